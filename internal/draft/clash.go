package draft

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"incipit/internal/core/merge"
)

// Made is what somebody changed of a draft: members of its content; none where that is
// not known.
type Made struct {
	By      string
	At      time.Time
	Members []string
}

// Clash is the error of a change of what others changed meanwhile, too: who made what of
// it as it stands now. Nothing was changed by it.
type Clash struct{ Made []Made }

func (c *Clash) Error() string {
	var said []string
	for _, m := range c.Made {
		said = append(said, fmt.Sprintf("%s: %v", m.By, m.Members))
	}
	return "the same was changed meanwhile, by " + strings.Join(said, "; ")
}

// Refused is what a command finds wrong with what it comes to, in a sentence for whoever
// gave it. Nothing was changed.
type Refused string

func (r Refused) Error() string { return string(r) }

// Refuse gives the Refused of a sentence, or nil where there is nothing to say.
func Refuse(said string) error {
	if said == "" {
		return nil
	}
	return Refused(said)
}

// Stale is the error of a command that goes by what is seen where others have changed
// that: a draft of some kind. It is ErrStale; nothing was done.
type Stale struct {
	Kind Kind
	Made []Made
}

func (e *Stale) Error() string { return ErrStale.Error() }

// Is makes it ErrStale.
func (e *Stale) Is(target error) bool { return target == ErrStale }

// Reading gives what of a step's content is changed member by member.
type Reading func(content json.RawMessage) (merge.Members, error)

// Whole is the Reading of a content whose own members are meant.
func Whole(content json.RawMessage) (merge.Members, error) { return merge.Of(content) }

// readBack is how many steps are read at once on the way back: each may be as large as a
// web page.
const readBack = 8

// Back goes back through the steps of a draft, from the one that holds to the one that was
// seen, which is kept: look is given each with the one before it, until it has enough.
func Back(tx *gorm.DB, now Step, seen int64, look func(before, after Step) (enough bool, err error)) error {
	after := now
	for {
		var steps []Step
		err := tx.Where("kind = ? AND subject = ? AND revision >= ? AND revision < ?", now.Kind, now.Subject, seen, after.Revision).
			Order("revision DESC").Limit(readBack).Find(&steps).Error
		if err != nil {
			return fmt.Errorf("read what was changed of %s %d: %w", now.Kind, now.Subject, err)
		}
		for _, before := range steps {
			enough, err := look(before, after)
			if err != nil || enough {
				return err
			}
			after = before
		}
		if len(steps) < readBack {
			return nil
		}
	}
}

// Since says by whom a draft differs from what was seen of it: each member with whoever
// changed it last; a maker comes once, with their last time, the latest last. Where what
// was seen is not kept, it is whoever made the step that holds, without members.
func Since(tx *gorm.DB, now Step, seen int64, read Reading) ([]Made, error) {
	if seen == now.Revision {
		return nil, nil
	}
	saw, err := At(tx, now.Kind, now.Subject, seen)
	if errors.Is(err, ErrGone) {
		return []Made{{By: now.MadeBy, At: now.MadeAt}}, nil
	}
	if err != nil {
		return nil, err
	}
	was, err := read(saw.Content)
	if err != nil {
		return nil, err
	}
	later, err := read(now.Content)
	if err != nil {
		return nil, err
	}
	seeker := merge.Seek(merge.Changed(was, later))
	var out []Made // the latest first
	err = Back(tx, now, seen, func(before, after Step) (bool, error) {
		earlier, err := read(before.Content)
		if err != nil {
			return false, err
		}
		if names := seeker.Look(earlier, later); len(names) > 0 {
			if k := slices.IndexFunc(out, func(m Made) bool { return m.By == after.MadeBy }); k >= 0 {
				out[k].Members = append(names, out[k].Members...)
			} else {
				out = append(out, Made{By: after.MadeBy, At: after.MadeAt, Members: names})
			}
		}
		later = earlier
		return seeker.Done(), nil
	})
	slices.Reverse(out)
	return out, err
}

// Seen gives a *Stale where a draft is not what was seen of it.
func Seen(tx *gorm.DB, now Step, seen int64, read Reading) error {
	if seen == now.Revision {
		return nil
	}
	made, err := Since(tx, now, seen, read)
	if err != nil {
		return err
	}
	return &Stale{now.Kind, made}
}

// Of keeps what was made of some members.
func Of(made []Made, members []string) []Made {
	var out []Made
	for _, m := range made {
		m.Members = slices.DeleteFunc(slices.Clone(m.Members), func(name string) bool { return !slices.Contains(members, name) })
		if len(m.Members) > 0 {
			out = append(out, m)
		}
	}
	return out
}

// Bring brings mine, which was made of a revision, into the step that holds, and tells
// what others made meanwhile beside it; a *Clash where they changed the same.
func Bring(tx *gorm.DB, now Step, seen int64, read Reading, mine merge.Members) (merge.Members, []Made, error) {
	if seen == now.Revision {
		return mine, nil, nil
	}
	was, err := At(tx, now.Kind, now.Subject, seen)
	if errors.Is(err, ErrGone) {
		return nil, nil, &Clash{[]Made{{By: now.MadeBy, At: now.MadeAt}}}
	}
	if err != nil {
		return nil, nil, err
	}
	others, err := Since(tx, now, seen, read)
	if err != nil {
		return nil, nil, err
	}
	before, err := read(was.Content)
	if err != nil {
		return nil, nil, err
	}
	theirs, err := read(now.Content)
	if err != nil {
		return nil, nil, err
	}
	merged, clash := merge.Three(before, theirs, mine)
	if len(clash) > 0 {
		return nil, nil, &Clash{Of(others, clash)}
	}
	return merged, others, nil
}

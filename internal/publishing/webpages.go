package publishing

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/webpage"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/placing"
)

// WebPage is a page that we publish. Step is the revision of its draft that holds.
type WebPage struct {
	ID        int64
	Step      int64
	CreatedAt time.Time
	UpdatedAt time.Time
}

// WebPageStep is one step of a page's draft.
type WebPageStep struct {
	Revision   int64
	Content    webpage.Page
	MadeBy     string
	MadeAt     time.Time
	Undo, Redo bool // as far as it was asked
}

func pageStep(step draft.Step) (WebPageStep, error) {
	content, err := draft.Read[webpage.Page](step)
	return WebPageStep{Revision: step.Revision, Content: content, MadeBy: step.MadeBy, MadeAt: step.MadeAt}, err
}

// firstRevision is the revision of a page's first step: 0 names none.
const firstRevision = 1

// WebPageVersion is a page as it was published.
type WebPageVersion struct {
	WebPageID int64        `gorm:"primaryKey"`
	Number    int          `gorm:"primaryKey"`
	Content   webpage.Page `gorm:"serializer:json"`
	MadeBy    string
	MadeAt    time.Time
}

type webPageTurn struct {
	ID        int64
	WebPageID int64
	Version   int
	Due       time.Time
	MadeBy    string
	MadeAt    time.Time
}

type webPagePath struct {
	Path      string `gorm:"primaryKey"`
	WebPageID int64
	Holds     bool
}

// ErrTaken is given when an address leads to another page already.
var ErrTaken = errors.New("another page has that address")

// Begin adds a page with a title at an address as it was typed, or gives a draft.Refused.
// The first page is where the site begins; others have their address of their title,
// where none was typed.
func (s *Publisher) Begin(ctx context.Context, title, typed, by string) (WebPage, error) {
	typed = strings.TrimSpace(typed)
	content, path := webpage.New(title), webpage.PathOf(typed)
	if typed != "" && path == "" {
		return WebPage{}, draft.Refused(webpage.CheckPath(typed))
	}
	p, err := s.AddWebPage(ctx, path, content, by)
	if errors.Is(err, ErrTaken) && typed == "" && webpage.PathOf(title) != "" {
		p, err = s.AddWebPage(ctx, webpage.PathOf(title), content, by)
	}
	if errors.Is(err, ErrTaken) {
		err = draft.Refused("Another page has that address; choose another one.")
	}
	return p, err
}

// AddWebPage keeps a new page with its address, or gives a draft.Refused.
func (s *Publisher) AddWebPage(ctx context.Context, path string, content webpage.Page, by string) (WebPage, error) {
	if err := draft.Refuse(content.Check()); err != nil {
		return WebPage{}, err
	}
	p := WebPage{Step: firstRevision}
	err := s.db.In(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(&p).Error; err != nil {
			return fmt.Errorf("add a web page: %w", err)
		}
		if _, err := draft.Begin(tx, draft.Page, p.ID, firstRevision, by, content); err != nil {
			return err
		}
		return setPath(tx, p.ID, path)
	})
	return p, err
}

// WebPage reads one page.
func (s *Publisher) WebPage(ctx context.Context, id int64) (WebPage, error) {
	var p WebPage
	err := s.db.WithContext(ctx).First(&p, id).Error
	return p, database.Found(err, fmt.Sprintf("web page %d", id))
}

// ListedPage is a web page as the list shows it.
type ListedPage struct {
	ID     int64
	Title  string
	MadeBy string
	MadeAt time.Time
	Path   string
	Holds  int // the version that readers see, or 0
	// The draft and what readers see, where these differ; else nothing of them is read.
	Draft *webpage.Page  `gorm:"serializer:json"`
	Seen  *webpage.Page  `gorm:"serializer:json"`
	Plans []webpage.Turn `gorm:"-"`
}

// WebPagesBelow lists pages, the oldest first, from behind the one with an id.
func (s *Publisher) WebPagesBelow(ctx context.Context, behind int64) (database.Page[ListedPage], error) {
	var out []ListedPage
	db := s.db.WithContext(ctx)
	now := time.Now().UTC()
	err := db.Raw(`
		SELECT w.id, s.content->>'title' AS title, s.made_by, s.made_at, coalesce(h.path, '') AS path, coalesce(t.version, 0) AS holds,
		       CASE WHEN s.content <> v.content THEN s.content END AS draft, CASE WHEN s.content <> v.content THEN v.content END AS seen
		FROM (SELECT * FROM web_pages WHERE id > ? ORDER BY id LIMIT ?) w
		JOIN draft_steps s ON s.kind = 'page' AND s.subject = w.id AND s.revision = w.step
		LEFT JOIN web_page_paths h ON h.web_page_id = w.id AND h.holds
		LEFT JOIN LATERAL (SELECT version FROM web_page_turns WHERE web_page_id = w.id AND due <= ? ORDER BY due DESC, id DESC LIMIT 1) t ON true
		LEFT JOIN web_page_versions v ON v.web_page_id = w.id AND v.number = t.version
		ORDER BY w.id`, behind, database.ListRows+1, now).Scan(&out).Error
	if err != nil {
		return database.Page[ListedPage]{}, fmt.Errorf("list web pages: %w", err)
	}
	var all int
	if err := db.Raw("SELECT count(*) FROM web_pages").Scan(&all).Error; err != nil {
		return database.Page[ListedPage]{}, fmt.Errorf("count web pages: %w", err)
	}
	p := database.Part(out, all, func(l ListedPage) int64 { return l.ID })
	ids := make([]int64, len(p.Rows))
	for i, l := range p.Rows {
		ids[i] = l.ID
	}
	turns, err := turnsOf(db.Where("due > ?", now), ids...)
	if err != nil {
		return p, err
	}
	for i, l := range p.Rows {
		p.Rows[i].Plans = webpage.Planned(turns[l.ID], now)
	}
	return p, nil
}

// onPage adds a step to a page's draft.
func (s *Publisher) onPage(ctx context.Context, id int64, add func(tx *gorm.DB, now draft.Step) (draft.Step, error)) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		_, now, err := standingPage(tx, id)
		if err != nil {
			return err
		}
		_, err = add(tx, now)
		return err
	})
}

// standingPage reads a page for change and the step of its draft that holds.
func standingPage(tx *gorm.DB, id int64) (WebPage, draft.Step, error) {
	p, err := lockedWebPage(tx, id)
	if err != nil {
		return p, draft.Step{}, err
	}
	step, err := draft.At(tx, draft.Page, id, p.Step)
	return p, step, err
}

// draftOf reads the step of a page's draft that holds.
func (s *Publisher) draftOf(ctx context.Context, p WebPage) (WebPageStep, error) {
	held, err := draft.Hold(s.db.WithContext(ctx), draft.Page, p.ID, p.Step)
	if err != nil {
		return WebPageStep{}, err
	}
	out, err := pageStep(held.Step)
	out.Undo, out.Redo = held.Undo, held.Redo
	return out, err
}

// WebPageDraft reads the step of a page's draft that holds.
func (s *Publisher) WebPageDraft(ctx context.Context, id int64) (WebPageStep, error) {
	p, err := s.WebPage(ctx, id)
	if err != nil {
		return WebPageStep{}, err
	}
	return s.draftOf(ctx, p)
}

func lockedWebPage(tx *gorm.DB, id int64) (WebPage, error) {
	var p WebPage
	err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&p, id).Error
	return p, database.Found(err, fmt.Sprintf("web page %d", id))
}

// Restore makes a version the next step of a draft that stands where an editor saw it, or
// gives a *draft.Stale. What was drafted before is an undo away.
func (s *Publisher) Restore(ctx context.Context, id, seen int64, by string, version int) error {
	kept, err := s.WebPageVersionAt(ctx, id, version)
	if err != nil {
		return err
	}
	return s.SetWebPage(ctx, id, seen, by, kept.Content)
}

// SetWebPage makes content the next step of a draft that stands where an editor saw it,
// or gives a *draft.Stale.
func (s *Publisher) SetWebPage(ctx context.Context, id, seen int64, by string, content webpage.Page) error {
	return s.onPage(ctx, id, func(tx *gorm.DB, now draft.Step) (draft.Step, error) {
		if err := draft.Seen(tx, now, seen, draft.Whole); err != nil {
			return now, err
		}
		return draft.Next(tx, now, by, content)
	})
}

// MoveWebPage goes back (-1) or forward (+1) in a draft that stands where an editor saw
// it, or gives a *draft.Stale. Where there is no such step it stays.
func (s *Publisher) MoveWebPage(ctx context.Context, id, seen int64, by string, way int) error {
	err := s.onPage(ctx, id, func(tx *gorm.DB, now draft.Step) (draft.Step, error) {
		if err := draft.Seen(tx, now, seen, draft.Whole); err != nil {
			return now, err
		}
		return draft.Move(tx, now, by, way)
	})
	if errors.Is(err, draft.ErrNothing) {
		return nil
	}
	return err
}

// PublishWebPage keeps the draft, as an editor saw it, as the next version and has readers
// see it as planned; a *draft.Stale where the draft moved on meanwhile. Plans from
// before are dropped: the latest word counts.
func (s *Publisher) PublishWebPage(ctx context.Context, id, seen int64, by string, plan webpage.Plan) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		_, step, err := standingPage(tx, id)
		if err != nil {
			return err
		}
		if err := draft.Seen(tx, step, seen, draft.Whole); err != nil {
			return err
		}
		content, err := draft.Read[webpage.Page](step)
		if err != nil {
			return err
		}
		var last int
		if err := tx.Model(&WebPageVersion{}).Where("web_page_id = ?", id).Select("coalesce(max(number), 0)").Scan(&last).Error; err != nil {
			return fmt.Errorf("count versions: %w", err)
		}
		now := time.Now().UTC()
		if err := tx.Create(&WebPageVersion{WebPageID: id, Number: last + 1, Content: content, MadeBy: by, MadeAt: now}).Error; err != nil {
			return fmt.Errorf("keep the version: %w", err)
		}
		if err := dropPlans(tx, id, now); err != nil {
			return err
		}
		from := now
		if plan.From.After(now) {
			from = plan.From
		}
		return turn(tx, webPageTurn{WebPageID: id, Version: last + 1, Due: from, MadeBy: by, MadeAt: now}, plan.Until)
	})
}

func turn(tx *gorm.DB, t webPageTurn, until time.Time) error {
	if err := tx.Create(&t).Error; err != nil {
		return fmt.Errorf("keep what readers see: %w", err)
	}
	if until.IsZero() {
		return nil
	}
	end := webPageTurn{WebPageID: t.WebPageID, Due: until, MadeBy: t.MadeBy, MadeAt: t.MadeAt}
	if err := tx.Create(&end).Error; err != nil {
		return fmt.Errorf("keep when it ends: %w", err)
	}
	return nil
}

func dropPlans(tx *gorm.DB, id int64, now time.Time) error {
	if err := tx.Where("web_page_id = ? AND due > ?", id, now).Delete(&webPageTurn{}).Error; err != nil {
		return fmt.Errorf("drop earlier plans: %w", err)
	}
	return nil
}

// WithdrawWebPage takes a page from its readers, now, where the version that they see is
// the one that its maker saw, or gives ErrStale.
func (s *Publisher) WithdrawWebPage(ctx context.Context, id int64, version int, by string) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		if _, err := lockedWebPage(tx, id); err != nil {
			return err
		}
		now := time.Now().UTC()
		turns, err := turnsOf(tx, id)
		if err != nil {
			return err
		}
		if holds := webpage.Holding(turns[id], now); holds != 0 && holds != version {
			return placing.ErrStale
		}
		if err := dropPlans(tx, id, now); err != nil {
			return err
		}
		return turn(tx, webPageTurn{WebPageID: id, Due: now, MadeBy: by, MadeAt: now}, time.Time{})
	})
}

// DropPlans gives up what was planned for a page.
func (s *Publisher) DropPlans(ctx context.Context, id int64) error {
	return s.db.In(ctx, func(tx *gorm.DB) error { return dropPlans(tx, id, time.Now().UTC()) })
}

// SetPath gives a page another address, as it was typed; the one before leads there still.
// A draft.Refused where it is none, or another page's.
func (s *Publisher) SetPath(ctx context.Context, id int64, typed string) error {
	typed = strings.TrimSpace(typed)
	path := webpage.PathOf(typed)
	if typed != "" && path == "" {
		return draft.Refused(webpage.CheckPath(typed))
	}
	err := s.db.In(ctx, func(tx *gorm.DB) error { return setPath(tx, id, path) })
	if errors.Is(err, ErrTaken) {
		err = draft.Refused("Another page has that address.")
	}
	return err
}

func setPath(tx *gorm.DB, id int64, path string) error {
	var there webPagePath
	err := tx.First(&there, "path = ?", path).Error
	switch {
	case err == nil && there.WebPageID != id && there.Holds:
		return ErrTaken
	case err != nil && !errors.Is(err, gorm.ErrRecordNotFound):
		return fmt.Errorf("look for an address: %w", err)
	}
	if err := tx.Model(&webPagePath{}).Where("web_page_id = ?", id).Update("holds", false).Error; err != nil {
		return fmt.Errorf("keep the earlier address: %w", err)
	}
	if err := tx.Save(&webPagePath{Path: path, WebPageID: id, Holds: true}).Error; err != nil {
		return fmt.Errorf("keep the address: %w", err)
	}
	return nil
}

// PathOf gives the address of a page.
func (s *Publisher) PathOf(ctx context.Context, id int64) (string, error) {
	var p webPagePath
	err := s.db.WithContext(ctx).First(&p, "web_page_id = ? AND holds", id).Error
	return p.Path, database.Found(err, fmt.Sprintf("address of web page %d", id))
}

// RemoveWebPage removes a page with all its versions.
func (s *Publisher) RemoveWebPage(ctx context.Context, id int64) error {
	return database.Found(s.db.WithContext(ctx).Delete(&WebPage{}, id).Error, fmt.Sprintf("remove web page %d", id))
}

// NamesOn gives what documents, collections and pictures on pages are called. What is
// gone has no name.
func (s *Publisher) NamesOn(ctx context.Context, pages ...webpage.Page) (webpage.Names, error) {
	of := map[webpage.Kind][]int64{}
	for _, p := range pages {
		for _, b := range p.Blocks() {
			if b.Of > 0 && b.Text == "" {
				of[b.Kind] = append(of[b.Kind], b.Of)
			}
		}
	}
	names := webpage.Names{}
	for kind, query := range map[webpage.Kind]string{
		webpage.Placement:  "SELECT p.id, d.title AS name FROM placements p JOIN documents d ON d.id = p.document_id WHERE p.id IN ?",
		webpage.Collection: "SELECT id, content->>'name' AS name FROM collections WHERE id IN ?",
		webpage.Picture:    "SELECT id, name FROM pictures WHERE id IN ?",
	} {
		if len(of[kind]) == 0 {
			continue
		}
		var rows []struct {
			ID   int64
			Name string
		}
		if err := s.db.WithContext(ctx).Raw(query, of[kind]).Scan(&rows).Error; err != nil {
			return nil, database.Found(err, "name what stands on pages")
		}
		names[kind] = map[int64]string{}
		for _, r := range rows {
			names[kind][r.ID] = r.Name
		}
	}
	return names, nil
}

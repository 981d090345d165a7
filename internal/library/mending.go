package library

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"strings"
	"unicode/utf8"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/textflow"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/pdf"
)

// Bounds of texts for pictures.
const (
	MostAlternative  = 1000 // letters
	MostAlternatives = 500  // of one edition
)

// Mending is what an editor says of a document for people who do not see its pages.
// Alternatives are texts for pictures of one edition, see pdf.Said; those that are not
// named stay.
type Mending struct {
	Title, Description, Language string
	WriteIn                      bool
	Alternatives                 map[int]string
	// Seen is what was said when somebody began to change it (see SaidMark); "" does not matter.
	Seen string
}

// ErrSaidMeanwhile is given where somebody else said something of a document since it was
// seen.
var ErrSaidMeanwhile = errors.New("something else is said of it by now")

// SaidMark names all that editors say of a document: another name for anything else.
func SaidMark(d Document, e Edition) string {
	b, _ := json.Marshal([]any{d.Title, d.Description, d.Language, d.WriteIn, e.ID, e.Alternatives}) //nolint:errchkjson // texts and numbers
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:8])
}

// clean gives it as it is kept, or draft.Refused.
func (m Mending) clean() (Mending, error) {
	tidy := func(s string) string {
		return strings.Join(strings.Fields(strings.ToValidUTF8(strings.ReplaceAll(s, "\x00", ""), "")), " ")
	}
	m.Title, m.Description, m.Language = tidy(m.Title), tidy(m.Description), strings.TrimSpace(m.Language)
	switch n := utf8.RuneCountInString(m.Title); {
	case n == 0 || n > MostTitle:
		return m, draft.Refused(fmt.Sprintf("A title has 1 to %d characters. Nothing was changed.", MostTitle))
	case utf8.RuneCountInString(m.Description) > MostDescription:
		return m, draft.Refused(fmt.Sprintf("A description has at most %d characters. Nothing was changed.", MostDescription))
	case m.Language != "" && (textflow.Language(m.Language) == "" || len(m.Language) > 35):
		return m, draft.Refused(fmt.Sprintf("“%.40s” is no language tag, as “en”, “de” or “pt-BR” are. Nothing was changed.", m.Language))
	}
	m.Language = textflow.Language(m.Language)
	kept := map[int]string{}
	for n, text := range m.Alternatives {
		text = tidy(text)
		if utf8.RuneCountInString(text) > MostAlternative {
			return m, draft.Refused(fmt.Sprintf("A text for a picture has at most %d characters. Nothing was changed.", MostAlternative))
		}
		kept[n] = text
	}
	m.Alternatives = kept
	return m, nil
}

// MostTitle is the longest title, in characters.
const MostTitle = 200

// Mend keeps what is said of a document, and has it written into its file where that is
// wanted. Where other texts for pictures are said, pictured has the text view say them.
func (s *Library) Mend(ctx context.Context, document int64, m Mending, job, pictured func(edition int64) river.JobArgs) error {
	m, err := m.clean()
	if err != nil {
		return err
	}
	return s.db.In(ctx, func(tx *gorm.DB) error {
		var d Document
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&d, document).Error; err != nil {
			return database.Found(err, fmt.Sprintf("document %d", document))
		}
		var e Edition
		if err := tx.Where("document_id = ? AND number = ?", document, d.Edition).First(&e).Error; err != nil {
			return database.Found(err, fmt.Sprintf("edition of document %d", document))
		}
		if m.Seen != "" && m.Seen != SaidMark(d, e) {
			return ErrSaidMeanwhile
		}
		err := tx.Model(&Document{}).Where("id = ?", document).Select("Title", "Description", "Language", "WriteIn").
			Updates(Document{Title: m.Title, Description: m.Description, Language: m.Language, WriteIn: m.WriteIn}).Error
		if err != nil {
			return fmt.Errorf("mend document %d: %w", document, err)
		}
		if err := tx.Model(&Edition{}).Where("document_id = ?", document).Update("language", m.Language).Error; err != nil {
			return fmt.Errorf("say the language of document %d: %w", document, err)
		}
		texts := map[int]string{}
		for n, text := range e.Alternatives {
			texts[n] = text
		}
		for n, text := range m.Alternatives {
			if text == "" {
				delete(texts, n)
			} else {
				texts[n] = text
			}
		}
		if len(texts) > MostAlternatives {
			return draft.Refused(fmt.Sprintf("A document has texts for at most %d pictures. Nothing was changed.", MostAlternatives))
		}
		if err := tx.Model(&Edition{ID: e.ID}).Select("Alternatives", "MendedNot").Updates(Edition{Alternatives: texts}).Error; err != nil {
			return fmt.Errorf("keep texts for pictures of edition %d: %w", e.ID, err)
		}
		if err := Reword(tx, document); err != nil {
			return err
		}
		if !maps.Equal(texts, e.Alternatives) {
			if err := s.db.Enqueue(ctx, tx, pictured(e.ID)); err != nil {
				return err
			}
		}
		if !m.WriteIn {
			err := tx.Model(&Edition{}).Where("document_id = ?", document).Updates(map[string]any{"mended_key": "", "mended_hash": "", "mended_says": "", "mended_not": ""}).Error
			return database.Found(err, "give the files as they came")
		}
		// The file does not say it yet.
		if err := tx.Model(&Edition{}).Where("id = ?", e.ID).Update("mended_says", "").Error; err != nil {
			return fmt.Errorf("have edition %d written into: %w", e.ID, err)
		}
		return s.db.Enqueue(ctx, tx, job(e.ID))
	})
}

// Says is what is to be written into the file of an edition, and a name for it: another one
// for anything else that is said.
func Says(d Document, e Edition) (pdf.Said, string) {
	said := pdf.Said{Title: d.Title, Language: d.Language, Alternatives: e.Alternatives}
	b, _ := json.Marshal(said) //nolint:errchkjson // texts and numbers
	sum := sha256.Sum256(b)
	return said, hex.EncodeToString(sum[:8])
}

// KeepMended keeps the file that says something, where that is still what is to be said; not
// is why there is none.
func (s *Library) KeepMended(ctx context.Context, e Edition, key, hash, says, not string) error {
	err := s.db.WithContext(ctx).Model(&Edition{ID: e.ID}).Select("MendedKey", "MendedHash", "MendedSays", "MendedNot").
		Updates(Edition{MendedKey: key, MendedHash: hash, MendedSays: says, MendedNot: not}).Error
	return database.Found(err, fmt.Sprintf("keep the file that says more of edition %d", e.ID))
}

// KeepAlternatives keeps texts for pictures of an edition, as they were kept before; pictured
// has the text view say them.
func (s *Library) KeepAlternatives(ctx context.Context, edition int64, texts map[int]string, pictured river.JobArgs) error {
	m, err := Mending{Title: "-", Alternatives: texts}.clean()
	if err != nil {
		return err
	}
	if len(m.Alternatives) > MostAlternatives {
		return draft.Refused(fmt.Sprintf("An edition has at most %d texts for pictures.", MostAlternatives))
	}
	return s.db.In(ctx, func(tx *gorm.DB) error {
		err := tx.Model(&Edition{}).Where("id = ?", edition).Select("Alternatives").Updates(Edition{Alternatives: m.Alternatives}).Error
		if err != nil {
			return database.Found(err, fmt.Sprintf("texts for pictures of edition %d", edition))
		}
		return s.db.Enqueue(ctx, tx, pictured)
	})
}

package library

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/proof"
	"incipit/internal/core/sheet"
	"incipit/internal/core/starter"
	"incipit/internal/core/textflow"
	"incipit/internal/core/toolbar"
	"incipit/internal/database"
	"incipit/internal/pdf"
)

// The states of an edition.
const (
	Examining = "examining"
	Ready     = "ready"
	Failed    = "failed"
)

// Document is a PDF with a title.
type Document struct {
	ID        int64
	Title     string
	AddedBy   *int64
	CreatedAt time.Time
	Edition   int // the number of the one in force
	// Description says what it is, and Language what it is in (BCP 47), where an editor
	// said so; "" otherwise.
	Description string
	Language    string
	// WriteIn says that what is said of it is written into the file that readers download.
	WriteIn bool
}

// Edition is one file of a document. While it is examined, Sheets holds the
// pages known so far; the first one is known from the start.
type Edition struct {
	ID             int64
	DocumentID     int64
	Number         int
	SHA256         string `gorm:"column:sha256"`
	Bytes          int64
	FileName       string
	BlobKey        string
	Own            string `gorm:"-"` // where its bytes lie, too, while it is added and BlobKey is another's
	State          string
	ProblemKind    string
	ProblemMessage string
	Pages          int
	PagesKnown     int
	Sheets         []sheet.Sheet `gorm:"serializer:json"`
	Facts          pdf.Facts     `gorm:"serializer:json"`
	HasText        bool
	Measured       bool
	Type           legible.Type   `gorm:"serializer:json"`
	Images         map[int]int64  `gorm:"serializer:json"` // bytes of page 1's image by width in px
	Locked         bool           // it asks for a password
	Indexed        int            // pages whose text is in the index
	Flow           textflow.Style `gorm:"serializer:json"`
	CreatedAt      time.Time
	AddedBy        *int64
	Said           string         `gorm:"column:language"` // the language that an editor said it is in
	Alternatives   map[int]string `gorm:"serializer:json"` // texts for pictures, see pdf.Said
	MendedKey      string         // the bytes of the file that says it, "" where there is none
	MendedHash     string         // their SHA-256
	MendedSays     string         // what it says, see Says
	MendedNot      string         // why it cannot be written into
	LiveAt         *time.Time     // when it goes to readers by itself
	LiveBy         string         // who said so
	LiveNot        string         // why it did not
	Recognised     []int          `gorm:"serializer:json"` // pages whose text a program recognised
	RecognisedIn   string         // in which languages, see Recognition
	Unread         Unread         `gorm:"serializer:json"`
}

// Mark names the edition among those of its document, for addresses: how its SHA-256 begins.
func (e Edition) Mark() string { return e.SHA256[:min(len(e.SHA256), marked)] }

const marked = 16 // digits

// PicturesSaid names what is said of the edition's pictures: another name for anything else,
// "" for nothing.
func (e Edition) PicturesSaid() string {
	if len(e.Alternatives) == 0 {
		return ""
	}
	b, _ := json.Marshal(e.Alternatives) //nolint:errchkjson // texts and numbers
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:6])
}

// BeforeCreate has lists that nobody filled be empty ones.
func (e *Edition) BeforeCreate(*gorm.DB) error {
	if e.Recognised == nil {
		e.Recognised = []int{}
	}
	return nil
}

// AllSheets gives a sheet for every page: those not known yet look like the
// first one.
func (e Edition) AllSheets() []sheet.Sheet {
	if len(e.Sheets) == 0 || len(e.Sheets) >= e.Pages {
		return e.Sheets
	}
	out := append([]sheet.Sheet{}, e.Sheets...)
	for n := len(out) + 1; n <= e.Pages; n++ {
		s := e.Sheets[0]
		s.Label = fmt.Sprint(n)
		out = append(out, s)
	}
	return out
}

// Language is the language of the edition as far as it is known: what an editor says, else
// what the file says, where that is one, else what its text is in, else "".
func (e Edition) Language() string {
	return cmp.Or(e.Said, textflow.Language(e.Facts.Language), e.Flow.Language)
}

// Holds is what the edition has that tools of the reader work on.
func (e Edition) Holds() toolbar.Holds {
	return toolbar.Holds{Pages: len(e.AllSheets()), Headings: e.Facts.Headings(), Layers: len(e.Facts.Layers), Text: e.HasText,
		Locked: e.Locked}
}

// AddDocument adds a document with its first edition, and the job that will
// examine it.
func (s *Library) AddDocument(ctx context.Context, d *Document, e *Edition, examine func(edition int64) river.JobArgs) error {
	return s.AddDocumentOf(ctx, d, e, Origin{}, examine)
}

// Origin is where the file of a document came from, other than in one piece: an upload in
// parts, or an address. It becomes a document once.
type Origin struct {
	Upload string
	Source int64
}

// arrived notes, in the transaction that adds a document, where it came from, or gives
// ErrArrived.
func (o Origin) arrived(tx *gorm.DB, d *Document) error {
	if o.Upload != "" {
		return arrived(tx, o.Upload, d)
	}
	if o.Source != 0 {
		return sourceArrived(tx, o.Source, d)
	}
	return nil
}

// AddDocumentOf is AddDocument for a file that came from somewhere.
func (s *Library) AddDocumentOf(ctx context.Context, d *Document, e *Edition, from Origin, examine func(edition int64) river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		d.Edition = 1
		if err := tx.Create(d).Error; err != nil {
			return fmt.Errorf("add document: %w", err)
		}
		if err := from.arrived(tx, d); err != nil {
			return err
		}
		e.DocumentID, e.Number, e.State, e.Images, e.Alternatives, e.AddedBy = d.ID, 1, Examining, map[int]int64{}, map[int]string{}, d.AddedBy
		if err := create(tx, e); err != nil {
			return err
		}
		return s.db.Enqueue(ctx, tx, examine(e.ID))
	})
}

// ProofFacts are what a proof goes by, as far as it does not depend on settings.
func (e Edition) ProofFacts() proof.Facts {
	return proof.Facts{
		Pages: frame.PagesOf(e.AllSheets()), Language: e.Language(), FileBytes: e.Bytes, Headings: e.Facts.Headings(),
		Layers: len(e.Facts.Layers), Untold: e.Flow.Untold,
		Text: e.HasText || e.State == Examining, Locked: e.Locked, Measured: e.Measured, Sizes: e.Type.Sizes(), Images: e.Images,
	}
}

// StarterFacts are what a starter is chosen by.
func (e Edition) StarterFacts() starter.Facts {
	return starter.Facts{Sheets: e.AllSheets(), Sizes: e.Type.Sizes(), Headings: e.Facts.Headings(), Fields: len(e.Facts.Fields),
		Opening: starter.Opening{Page: e.Facts.Opening.Page, Zoom: e.Facts.Opening.Zoom, Layout: e.Facts.Opening.Layout,
			Direction: e.Facts.Opening.Direction},
		NoPrint: e.Facts.Encrypted && !e.Facts.Permissions.Print, NoCopy: e.Facts.Encrypted && !e.Facts.Permissions.Copy}
}

// AddLocked adds a document whose first edition asks for a password. It was
// examined with the password, which is not kept; nor is anything that it says: how
// large its pages and its type are, and whether it has text, is all.
func (s *Library) AddLocked(ctx context.Context, d *Document, e *Edition, from Origin, word func(edition int64) river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		d.Edition = 1
		if err := tx.Create(d).Error; err != nil {
			return fmt.Errorf("add document: %w", err)
		}
		if err := from.arrived(tx, d); err != nil {
			return err
		}
		e.DocumentID, e.Number, e.State, e.Locked, e.Measured, e.Images, e.Alternatives, e.AddedBy = d.ID, 1, Ready, true, true, map[int]int64{}, map[int]string{}, d.AddedBy
		if err := create(tx, e); err != nil {
			return err
		}
		return s.db.Enqueue(ctx, tx, word(e.ID))
	})
}

// Edition reads one edition.
func (s *Library) Edition(ctx context.Context, id int64) (Edition, error) {
	var e Edition
	err := s.db.WithContext(ctx).First(&e, id).Error
	return e, database.Found(err, fmt.Sprintf("edition %d", id))
}

// CurrentEdition reads the edition of a document that is in force.
func (s *Library) CurrentEdition(ctx context.Context, document int64) (Edition, error) {
	var e Edition
	err := s.db.WithContext(ctx).Where("document_id = ? AND number = (SELECT edition FROM documents WHERE id = ?)", document, document).First(&e).Error
	return e, database.Found(err, fmt.Sprintf("edition of document %d", document))
}

// Document reads one document.
func (s *Library) Document(ctx context.Context, id int64) (Document, error) {
	var d Document
	err := s.db.WithContext(ctx).First(&d, id).Error
	return d, database.Found(err, fmt.Sprintf("document %d", id))
}

// Retitle gives a document another title.
func (s *Library) Retitle(ctx context.Context, id int64, title string) error {
	return s.say(ctx, id, map[string]any{"title": title})
}

// TakeTitle gives a document the title that its file has, where it is called after the
// file's name still: nobody has called it anything else.
func (s *Library) TakeTitle(ctx context.Context, id int64, named, title string) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		r := tx.Model(&Document{}).Where("id = ? AND title = ?", id, named).Update("title", title)
		if r.Error != nil || r.RowsAffected == 0 {
			return database.Found(r.Error, fmt.Sprintf("take the title of document %d", id))
		}
		return Reword(tx, id)
	})
}

// say changes what is said of a document, and by which words it is found.
func (s *Library) say(ctx context.Context, id int64, what map[string]any) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		r := tx.Model(&Document{}).Where("id = ?", id).Updates(what)
		if r.Error == nil && r.RowsAffected == 0 {
			r.Error = gorm.ErrRecordNotFound
		}
		if r.Error != nil {
			return database.Found(r.Error, fmt.Sprintf("say something of document %d", id))
		}
		return Reword(tx, id)
	})
}

// mostTwice bounds the titles that are named of documents with one file.
const mostTwice = 5

// SameFile lists the titles of other documents whose file has the same bytes, by their
// SHA-256.
func (s *Library) SameFile(ctx context.Context, sha256 string, except int64) ([]string, error) {
	var titles []string
	err := s.db.WithContext(ctx).Raw(`SELECT DISTINCT d.title FROM documents d JOIN editions e ON e.document_id = d.id WHERE e.sha256 = ? AND d.id <> ? ORDER BY 1 LIMIT ?`, sha256, except, mostTwice).Scan(&titles).Error
	return titles, database.Found(err, "look for the same file")
}

// ExaminedSoFar keeps the sheets known so far.
func (s *Library) ExaminedSoFar(ctx context.Context, edition int64, pages int) error {
	err := s.db.WithContext(ctx).Model(&Edition{}).Where("id = ? AND state = ?", edition, Examining).
		Update("pages_known", pages).Error
	return database.Found(err, fmt.Sprintf("note progress of edition %d", edition))
}

// Examined keeps what an examination found: the edition is ready. The jobs that
// come next are inserted in the same transaction.
func (s *Library) Examined(ctx context.Context, id int64, sheets []sheet.Sheet, facts pdf.Facts, text bool, unread Unread, next ...river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		err := tx.Model(&Edition{ID: id}).
			Select("State", "Pages", "PagesKnown", "Sheets", "Facts", "HasText", "ProblemKind", "ProblemMessage", "Unread").
			Updates(Edition{State: Ready, Pages: len(sheets), PagesKnown: len(sheets), Sheets: sheets, Facts: facts, HasText: text, Unread: unread}).Error
		if err != nil {
			return fmt.Errorf("keep the examination of edition %d: %w", id, err)
		}
		for _, job := range next {
			if err := s.db.Enqueue(ctx, tx, job); err != nil {
				return err
			}
		}
		return nil
	})
}

// MeasuredAs keeps an edition's type and the bytes of page 1's images.
func (s *Library) MeasuredAs(ctx context.Context, id int64, t legible.Type, images map[int]int64) error {
	err := s.db.WithContext(ctx).Model(&Edition{ID: id}).Select("Measured", "Type", "Images").
		Updates(Edition{Measured: true, Type: t, Images: images}).Error
	return database.Found(err, fmt.Sprintf("keep the measured type of edition %d", id))
}

// ExaminationFailed notes why an edition cannot be used.
func (s *Library) ExaminationFailed(ctx context.Context, id int64, problem *pdf.Problem) error {
	err := s.db.WithContext(ctx).Model(&Edition{ID: id}).
		Updates(map[string]any{"state": Failed, "problem_kind": string(problem.Kind), "problem_message": problem.Message}).Error
	return database.Found(err, fmt.Sprintf("note the failure of edition %d", id))
}

// ExamineAgain has an edition examined anew. One that asks for a password was
// examined when it came, and is left as it is.
func (s *Library) ExamineAgain(ctx context.Context, id int64, job func(edition int64) river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		r := tx.Model(&Edition{}).Where("id = ? AND NOT locked", id).
			Updates(map[string]any{"state": Examining, "pages_known": 1, "problem_kind": "", "problem_message": "", "measured": false, "indexed": 0})
		if r.Error == nil && r.RowsAffected == 0 {
			r.Error = gorm.ErrRecordNotFound
		}
		if r.Error != nil {
			return database.Found(r.Error, fmt.Sprintf("examine edition %d again", id))
		}
		return s.db.Enqueue(ctx, tx, job(id))
	})
}

// FailedEditions lists editions in force that cannot be used, by document.
func (s *Library) FailedEditions(ctx context.Context) (map[int64]int64, error) {
	var rows []struct{ DocumentID, ID int64 }
	err := s.db.WithContext(ctx).Raw("SELECT e.document_id, e.id FROM editions e JOIN documents d ON d.id = e.document_id AND d.edition = e.number WHERE e.state = ?", Failed).Scan(&rows).Error
	out := map[int64]int64{}
	for _, r := range rows {
		out[r.DocumentID] = r.ID
	}
	return out, database.Found(err, "list what cannot be used")
}

// OwnsFile says whether an edition has its bytes under a key.
func (s *Library) OwnsFile(ctx context.Context, blobKey string) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Raw(`SELECT (SELECT count(*) FROM editions WHERE blob_key = @key OR mended_key = @key AND mended_key <> '')
		+ (SELECT count(*) FROM removed_editions WHERE blob_key = @key)`, map[string]any{"key": blobKey}).Scan(&n).Error
	return n > 0, database.Found(err, "look for a file's owner")
}

// OwnsPages says whether an edition has a content hash.
func (s *Library) OwnsPages(ctx context.Context, sha256 string) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Edition{}).Where("sha256 = ?", sha256).Count(&n).Error
	return n > 0, database.Found(err, "look for the owner of page images")
}

// Jobs counts the jobs that wait or run, by kind and state.
func (s *Library) Jobs(ctx context.Context) ([]JobsOf, error) {
	var out []JobsOf
	err := s.db.WithContext(ctx).Raw(`SELECT kind, state::text AS state, count(*) AS n,
		greatest(extract(epoch FROM now() - min(coalesce(CASE WHEN state = 'running' THEN attempted_at END, scheduled_at))), 0)::float8 AS age FROM river_job
		WHERE state IN ('available', 'pending', 'retryable', 'running', 'scheduled') GROUP BY 1, 2`).Scan(&out).Error
	return out, database.Found(err, "count jobs")
}

// JobsOf are the jobs of one kind in one state; Age is how long the oldest has waited or run,
// in seconds.
type JobsOf struct {
	Kind, State string
	N           int
	Age         float64
}

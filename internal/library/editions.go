package library

import (
	"context"
	"errors"
	"fmt"
	"math"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/compare"
	"incipit/internal/core/sheet"
	"incipit/internal/database"
)

// MostEditions bounds the editions of a document.
const MostEditions = 200

// ErrTooManyEditions is given when a document has as many editions as it may have.
var ErrTooManyEditions = fmt.Errorf("a document has %d editions at most", MostEditions)

// AddEdition adds a file to a document, for its editors to look at: what readers see
// stays as it is until it is put in force (see placing.Placer.TurnTo).
func (s *Library) AddEdition(ctx context.Context, document int64, e *Edition, examine func(edition int64) river.JobArgs) error {
	return s.AddEditionOf(ctx, document, e, "", examine)
}

func (s *Library) addEdition(ctx context.Context, tx *gorm.DB, document int64, e *Edition, examine func(edition int64) river.JobArgs) error {
	var d Document
	if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&d, document).Error; err != nil {
		return database.Found(err, fmt.Sprintf("document %d", document))
	}
	var last, all int
	if err := tx.Raw("SELECT greatest(max(number), (SELECT max(number) FROM removed_editions WHERE document_id = @of), 0), count(*) FROM editions WHERE document_id = @of", map[string]any{"of": document}).Row().Scan(&last, &all); err != nil {
		return fmt.Errorf("count the editions of document %d: %w", document, err)
	}
	if all >= MostEditions {
		return ErrTooManyEditions
	}
	e.DocumentID, e.Number, e.State, e.Images, e.Said = document, last+1, Examining, map[int]int64{}, d.Language
	if e.Alternatives == nil {
		e.Alternatives = map[int]string{}
	}
	if e.Locked { // it was examined while there was a password
		e.State = Ready
	}
	if err := create(tx, e); err != nil {
		return err
	}
	return s.db.Enqueue(ctx, tx, examine(e.ID))
}

// ListedEdition is an edition as the list of a document's editions shows it.
type ListedEdition struct {
	ID             int64
	Number         int
	FileName       string
	Bytes          int64
	State          string
	ProblemMessage string
	Pages          int
	PagesKnown     int
	Locked         bool
	CreatedAt      time.Time
	AddedBy        string
	InForce        bool
	Published      bool // some version that readers saw has it
	LiveAt         *time.Time
	LiveNot        string
	Recognised     int // pages whose text a program recognised
}

// Editions lists the editions of a document, the newest first.
func (s *Library) Editions(ctx context.Context, document int64) ([]ListedEdition, error) {
	var out []ListedEdition
	err := s.db.WithContext(ctx).Raw(`
		SELECT e.id, e.number, e.file_name, e.bytes, e.state, e.problem_message, e.pages, e.pages_known, e.locked, e.created_at, e.live_at, e.live_not, jsonb_array_length(e.recognised) AS recognised,
		       coalesce(a.name, '') AS added_by, e.number = d.edition AS in_force,
		       EXISTS (SELECT FROM placement_versions v WHERE v.edition_id = e.id) AS published
		FROM editions e JOIN documents d ON d.id = e.document_id LEFT JOIN accounts a ON a.id = e.added_by
		WHERE e.document_id = ? ORDER BY e.number DESC LIMIT ?`, document, MostEditions).Scan(&out).Error
	return out, database.Found(err, fmt.Sprintf("list the editions of document %d", document))
}

// EditionOf reads an edition of a document by its number.
func (s *Library) EditionOf(ctx context.Context, document int64, number int) (Edition, error) {
	var e Edition
	if number < 1 || number > math.MaxInt32 {
		return e, fmt.Errorf("edition %d of document %d: %w", number, document, database.ErrNotFound)
	}
	err := s.db.WithContext(ctx).Where("document_id = ? AND number = ?", document, number).First(&e).Error
	return e, database.Found(err, fmt.Sprintf("edition %d of document %d", number, document))
}

// ErrInUse is given when an edition cannot be removed: it is in force, readers saw it, or
// a placement stays at it.
var ErrInUse = errors.New("the edition is in use")

// Turn is an edition's coming into force.
type Turn struct {
	Number int
	MadeBy string
	MadeAt time.Time
}

// Turns lists when editions came into force, the last first: at most a hundred.
func (s *Library) Turns(ctx context.Context, document int64) ([]Turn, error) {
	var out []Turn
	err := s.db.WithContext(ctx).Raw("SELECT number, made_by, made_at FROM edition_turns WHERE document_id = ? ORDER BY id DESC LIMIT 100", document).Scan(&out).Error
	return out, database.Found(err, fmt.Sprintf("read the turns of document %d", document))
}

// Comparison is what became of the pages of one edition in another one, as far as it is
// known: Result is nil until it is. Trouble says why it cannot be.
type Comparison struct {
	BeforeID  int64 `gorm:"primaryKey"`
	EditionID int64 `gorm:"primaryKey"`
	Done      int   // pages that are read, of both
	Pages     int
	Result    *Compared `gorm:"serializer:json"`
	Trouble   string
	// Budgets is how many times its budget of work it may take, and OutOfBudget that it
	// came to the end of it.
	Budgets     int
	OutOfBudget bool
}

// TableName tells GORM the table.
func (Comparison) TableName() string { return "edition_comparisons" }

// Compared is a result: Areas are where a page of the new edition is drawn otherwise, FreshAt
// where it has words that are new, and GoneAt where the old one has words that are gone, by
// page number and in fractions of it.
type Compared struct {
	compare.Comparison
	Areas   map[int][]sheet.Rect `json:"areas,omitempty"`
	FreshAt map[int][]sheet.Rect `json:"fresh,omitempty"`
	GoneAt  map[int][]sheet.Rect `json:"gone,omitempty"`
	// Beside is what is another one beside the pages, as far as it is told; MoreBeside are not.
	// It was compared where BesideRead says so, and as a whole where not BesideUnread.
	Beside       []compare.Difference `json:"beside,omitempty"`
	MoreBeside   int                  `json:"moreBeside,omitempty"`
	BesideRead   bool                 `json:"besideRead,omitempty"`
	BesideUnread bool                 `json:"besideUnread,omitempty"`
}

// CompareLater has two editions compared, once.
func (s *Library) CompareLater(ctx context.Context, before, edition int64, job river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		r := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&Comparison{BeforeID: before, EditionID: edition, Budgets: 1})
		if r.Error != nil || r.RowsAffected == 0 {
			return database.Found(r.Error, "note a comparison")
		}
		return s.db.Enqueue(ctx, tx, job)
	})
}

// CompareOn has a comparison that came to the end of its budget go on with as much again.
// One that did not is left as it is.
func (s *Library) CompareOn(ctx context.Context, before, edition int64, job river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		r := tx.Model(&Comparison{}).Where("before_id = ? AND edition_id = ? AND out_of_budget AND budgets < ?", before, edition, mostBudgets).
			Updates(map[string]any{"out_of_budget": false, "trouble": "", "result": nil, "budgets": gorm.Expr("budgets + 1")})
		if r.Error != nil || r.RowsAffected == 0 {
			return database.Found(r.Error, "have a comparison go on")
		}
		return s.db.Enqueue(ctx, tx, job)
	})
}

// mostBudgets bounds how often a comparison may go on.
const mostBudgets = 20

// ComparisonWanted says whether somebody may still look at a comparison: both editions are
// there, and their document was not removed.
func (s *Library) ComparisonWanted(ctx context.Context, before, edition int64) (is bool, err error) {
	err = s.db.WithContext(ctx).Raw(`SELECT count(*) = 2 FROM editions e JOIN documents d ON d.id = e.document_id
		WHERE e.id IN (?, ?)`, before, edition).Scan(&is).Error
	return is, database.Found(err, "look whether a comparison is wanted")
}

// Compared reads what is known of a comparison, or gives ErrNotFound.
func (s *Library) Compared(ctx context.Context, before, edition int64) (Comparison, error) {
	var c Comparison
	err := s.db.WithContext(ctx).Where("before_id = ? AND edition_id = ?", before, edition).First(&c).Error
	return c, database.Found(err, "read a comparison")
}

// BeingCompared says whether an edition is being compared with the one in force.
func (s *Library) BeingCompared(ctx context.Context, edition int64) (is bool, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT EXISTS (SELECT FROM edition_comparisons WHERE edition_id = ? AND result IS NULL AND trouble = '')", edition).Scan(&is).Error
	return is, database.Found(err, "look for a comparison")
}

// ComparedSoFar keeps how many pages are read.
func (s *Library) ComparedSoFar(ctx context.Context, c Comparison) error {
	err := s.db.WithContext(ctx).Model(&Comparison{}).Where("before_id = ? AND edition_id = ?", c.BeforeID, c.EditionID).
		Updates(map[string]any{"done": c.Done, "pages": c.Pages}).Error
	return database.Found(err, "note how far a comparison is")
}

// KeepCompared keeps a result, or why there is none.
func (s *Library) KeepCompared(ctx context.Context, c Comparison) error {
	err := s.db.WithContext(ctx).Model(&Comparison{}).Where("before_id = ? AND edition_id = ?", c.BeforeID, c.EditionID).
		Select("Result", "Trouble", "OutOfBudget").Updates(c).Error
	return database.Found(err, "keep a comparison")
}

// Where finds what pages of one edition have become in another one, and whether they are
// there still: as the two were compared, in whichever direction. Where they were not, a
// page is the one of its number. known says that they were, or that they cannot be.
func (s *Library) Where(ctx context.Context, from, to Edition) (find func(page int) (now int, there bool), known bool, err error) {
	var kept []Comparison
	err = s.db.WithContext(ctx).Where("(result IS NOT NULL OR trouble <> '') AND (before_id, edition_id) IN ((?, ?), (?, ?))", from.ID, to.ID,
		to.ID, from.ID).Order("result IS NULL").Limit(1).Find(&kept).Error
	if err != nil {
		return nil, false, fmt.Errorf("find pages of edition %d in edition %d: %w", from.ID, to.ID, err)
	}
	where := func(page int) (int, bool) { return page, page <= to.Pages }
	if len(kept) > 0 && kept[0].Result != nil {
		c := kept[0].Result.Comparison
		if kept[0].BeforeID == to.ID {
			c = c.Back()
		}
		where = c.Where
	}
	return func(page int) (int, bool) {
		now, there := where(page)
		return max(min(now, to.Pages), 1), there
	}, len(kept) > 0, nil
}

// PageNow gives the page of an edition that a page of another one of the same document has
// become, which is named by the start of its SHA-256.
func (s *Library) PageNow(ctx context.Context, e Edition, mark string, page int) (int, error) {
	var from []Edition
	err := s.db.WithContext(ctx).Select("id", "pages").Where("document_id = ? AND left(sha256, ?) = ?", e.DocumentID, marked, mark).
		Order("number DESC").Limit(1).Find(&from).Error
	if err != nil || len(from) == 0 {
		return max(min(page, e.Pages), 1), database.Found(err, "find the edition that is read")
	}
	where, _, err := s.Where(ctx, from[0], e)
	if err != nil {
		return page, err
	}
	page, _ = where(page)
	return page, nil
}

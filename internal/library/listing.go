package library

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"incipit/internal/core/naming"
	"incipit/internal/database"
)

// Listed is a document as the list shows it.
type Listed struct {
	ID             int64
	Title          string
	CreatedAt      time.Time
	Edition        int
	EditionID      int64
	FileName       string
	Bytes          int64
	Pages          int
	PagesKnown     int
	State          string
	HasText        bool // that is kept here
	Indexed        int  // pages whose text has been read
	Measured       bool
	ProblemMessage string
	Width, Height  float64 // of the first sheet, in points
	Placements     int
	Published      int
	PlacementID    *int64 // the first placement
	FileTitle      string // as the file itself has it
	Newest         int    // the number of the newest edition: above Edition, it waits to be looked at
	Description    string
	Categories     string // a line each
	Findings       *int   // how many things its report names; nil where there is none yet
	Must           string // what has to be fixed of a placement, where documents are looked for by that
	Rank           int
	Found          *Found `gorm:"-"` // where in the text the words are
}

// Reading says what is still being made of the file, or "": its pages are examined,
// then their text is read and their type measured.
func (l Listed) Reading() string {
	switch {
	case l.State == Examining:
		return fmt.Sprintf("Examining page %d of %d", l.PagesKnown, l.Pages)
	case l.State != Ready:
		return ""
	case l.HasText && l.Indexed < l.Pages:
		return fmt.Sprintf("Reading the text: page %d of %d", l.Indexed, l.Pages)
	case !l.Measured:
		return "Measuring its type"
	}
	return ""
}

// FindingCount is how many things its report names.
func (l Listed) FindingCount() int {
	if l.Findings == nil {
		return 0
	}
	return *l.Findings
}

// Lines are its categories.
func (l Listed) Lines() []string {
	if l.Categories == "" {
		return nil
	}
	return strings.Split(l.Categories, "\n")
}

// OwnTitle is the title that the file carries, where it is a real one and not the
// document's already.
func (l Listed) OwnTitle() string {
	if own := naming.Title(l.FileTitle, l.FileName); own != l.Title {
		return own
	}
	return ""
}

// The orders of the list.
const (
	Best    = "best" // by where the words are: the title, what is said of it, what it is about, anywhere
	Newest  = "newest"
	Oldest  = "oldest"
	ByTitle = "title"
	Largest = "largest"
	Longest = "longest"
)

// ordering is what a list goes by, and whether from the last on; of the same the id decides.
type ordering struct {
	key  string
	down bool
}

var orders = map[string]ordering{
	Best: {"-h.rank", true}, Newest: {"d.id", true}, Oldest: {"d.id", false}, ByTitle: {"d.title COLLATE incipit_titles", false},
	Largest: {"e.bytes", true}, Longest: {"e.pages", true},
}

// musts says whether readers see a placement of a document of which something has to be
// fixed (see placing.ProofDue).
const musts = "EXISTS (SELECT FROM placements p JOIN placement_musts m ON m.placement_id = p.id WHERE p.document_id = d.id AND p.published IS NOT NULL AND m.musts > 0)"

// filters are what documents can be told by, by the name and value of a filter.
var filters = map[string]map[string]string{
	"stands": {
		"nowhere":   "NOT EXISTS (SELECT FROM placements p WHERE p.document_id = d.id)",
		"draft":     "EXISTS (SELECT FROM placements p WHERE p.document_id = d.id) AND NOT EXISTS (SELECT FROM placements p WHERE p.document_id = d.id AND p.published IS NOT NULL)",
		"published": "EXISTS (SELECT FROM placements p WHERE p.document_id = d.id AND p.published IS NOT NULL)",
	},
	"care": {
		"failed":   "e.state = 'failed'",
		"invain":   "(EXISTS (SELECT FROM sources s WHERE s.document_id = d.id AND s.said <> '') OR EXISTS (SELECT FROM editions n WHERE n.document_id = d.id AND n.live_not <> ''))",
		"links":    "EXISTS (SELECT FROM edition_links l JOIN web_links w ON w.address = l.address WHERE l.edition_id = e.id AND " + broken + ")",
		"waiting":  "EXISTS (SELECT FROM editions n WHERE n.document_id = d.id AND n.number > d.edition)",
		"findings": "EXISTS (SELECT FROM edition_reports r WHERE r.edition_id = e.id AND r.findings > 0)",
		"glosses":  musts,
		"unseen": `d.id IN (SELECT document_id FROM placements WHERE published IS NOT NULL)
			AND d.id NOT IN (SELECT p.document_id FROM placements p WHERE p.id IN (SELECT placement_id FROM seen_pages))`,
	},
	"added": {
		"week":  "d.created_at > now() - interval '7 days'",
		"month": "d.created_at > now() - interval '1 month'",
		"year":  "d.created_at > now() - interval '1 year'",
		"older": "d.created_at <= now() - interval '1 year'",
	},
}

// Wanted is what somebody looks for in the list. What is empty does not matter; a value
// that is none is as if it were empty.
type Wanted struct {
	Words               string // of the title, of what is said of it, and of the text
	Category            string
	Stands, Care, Added string // see filters
	By                  int64  // the account that added it
	Order               string
	Below               int64  // begin below the one with this id
	Most                int    // rows, where fewer will do than a part of the list has
	titled              string // what its title holds
}

// Heeded gives it without values that are none, and with the order that holds.
func (w Wanted) Heeded() Wanted {
	w.Words = strings.TrimSpace(w.Words)
	for name, value := range map[string]*string{"stands": &w.Stands, "care": &w.Care, "added": &w.Added} {
		if filters[name][*value] == "" {
			*value = ""
		}
	}
	if orders[w.Order].key == "" || w.Order == Best && w.Words == "" {
		w.Order = Newest
		if w.Words != "" {
			w.Order = Best
		}
	}
	return w
}

// Narrow says whether it leaves out any document.
func (w Wanted) Narrow() bool {
	return w.Words+w.Category+w.Stands+w.Care+w.Added != "" || w.By != 0
}

// Documents lists the newest documents whose title holds some words, as far as one part of
// the list goes.
func (s *Library) Documents(ctx context.Context, words string) ([]Listed, error) {
	p, err := s.Find(ctx, Wanted{titled: words, Order: Newest})
	return p.Rows, err
}

// Find lists documents.
func (s *Library) Find(ctx context.Context, w Wanted) (database.Page[Listed], error) {
	w = w.Heeded()
	none := database.Page[Listed]{}
	most := database.ListRows
	if w.Words != "" {
		most = foundRows
	}
	if w.Most > 0 {
		most = min(most, w.Most)
	}
	args := map[string]any{"below": w.Below, "most": most + 1, "category": w.Category, "by": w.By}
	with, from, where := "", "all_documents d", []string{"d.removed_at IS NULL"}
	order := orders[w.Order]
	if strings.Contains(order.key+filters["care"][w.Care], "e.") {
		from += " JOIN editions e ON e.document_id = d.id AND e.number = d.edition"
	}
	var q sought
	if w.Words != "" {
		var err error
		if q, err = s.sought(ctx, w.Words); err != nil {
			return none, err
		}
		ids, ranks, err := s.hits(ctx, w.Words, q)
		if err != nil {
			return none, err
		}
		args["ids"], args["ranks"] = array(ids), array(ranks)
		with = "hit AS (SELECT * FROM unnest(CAST(@ids AS bigint[]), CAST(@ranks AS int[])) AS h(document_id, rank)), "
		from += " LEFT JOIN hit h ON h.document_id = d.id"
		where = append(where, "h.document_id IS NOT NULL")
	}
	for name, value := range map[string]string{"stands": w.Stands, "care": w.Care, "added": w.Added} {
		if value != "" {
			where = append(where, filters[name][value])
		}
	}
	if w.Category != "" {
		where = append(where, "EXISTS (SELECT FROM document_categories c WHERE c.document_id = d.id AND c.category = @category)")
	}
	if w.titled != "" {
		args["titled"] = "%" + escapeLike(w.titled) + "%"
		where = append(where, "lower(d.title) LIKE lower(@titled)")
	}
	if w.By != 0 {
		where = append(where, "d.added_by = @by")
	}
	rank := "0"
	if w.Words != "" {
		rank = "h.rank"
	}
	matching := "(" + strings.Join(where, " AND ") + ")"
	way, beyond := "", ">"
	if order.down {
		way, beyond = " DESC", "<"
	}
	by := fmt.Sprintf("%s%s, d.id%s", order.key, way, way)
	below := ""
	if w.Below > 0 {
		// The one that the part begins below keeps its place though it was removed meanwhile, or
		// is no longer one of these.
		below = fmt.Sprintf(" AND (%s, d.id) %s (SELECT %s, d.id FROM %s WHERE d.id = @below)", order.key, beyond, order.key, from)
	}
	must := "''"
	if w.Care == "glosses" {
		must = "(SELECT m.said FROM placements p JOIN placement_musts m ON m.placement_id = p.id WHERE p.document_id = d.id AND p.published IS NOT NULL AND m.musts > 0 ORDER BY p.id LIMIT 1)"
	}
	db := s.db.WithContext(ctx)
	var out []Listed
	err := db.Raw(`
		WITH `+with+`part AS MATERIALIZED (
			SELECT d.id, `+rank+` AS rank, row_number() OVER (ORDER BY `+by+`) AS n FROM `+from+` WHERE `+matching+below+` ORDER BY `+by+` LIMIT @most)
		SELECT d.id, d.title, d.description, d.created_at, e.number AS edition, e.id AS edition_id, e.file_name, e.bytes, f.rank,
		       e.pages, e.pages_known, e.state, e.problem_message, e.has_text AND NOT e.locked AS has_text, e.indexed, e.measured, coalesce(e.facts->>'title', '') AS file_title,
		       coalesce((e.sheets->0->>'width')::float8, 595) AS width,
		       coalesce((e.sheets->0->>'height')::float8, 842) AS height,
		       p.placements, p.published, p.placement_id, (SELECT max(number) FROM editions WHERE document_id = d.id) AS newest,
		       (SELECT findings FROM edition_reports WHERE edition_id = e.id) AS findings,
		       `+must+` AS must,
		       (SELECT string_agg(category, e'\n' ORDER BY category) FROM document_categories WHERE document_id = d.id) AS categories
		FROM part f JOIN documents d ON d.id = f.id JOIN editions e ON e.document_id = d.id AND e.number = d.edition
		JOIN LATERAL (SELECT count(*) AS placements, count(published) AS published, min(id) AS placement_id FROM placements WHERE document_id = d.id) p ON true
		ORDER BY f.n`, args).Scan(&out).Error
	if err != nil {
		return none, fmt.Errorf("list documents: %w", err)
	}
	if len(out) == 0 && w.Below > 0 { // the one that it begins below is gone for good
		w.Below = 0
		return s.Find(ctx, w)
	}
	var all int
	if with != "" {
		with = "WITH " + strings.TrimSuffix(with, ", ") + " "
	}
	// Named, as all of these are; GORM wants none where none is named.
	count, named := with+"SELECT count(*) FROM "+from+" WHERE "+matching, []any{}
	if strings.Contains(count, "@") {
		named = append(named, args)
	}
	if err := db.Raw(count, named...).Scan(&all).Error; err != nil {
		return none, fmt.Errorf("count documents: %w", err)
	}
	page := database.PartOf(out, most, all, func(l Listed) int64 { return l.ID })
	if w.Words == "" {
		return page, nil
	}
	var within []int64
	for _, l := range page.Rows {
		if l.Rank >= rankInText {
			within = append(within, l.EditionID)
		}
	}
	places, err := s.places(ctx, within, q)
	for i, l := range page.Rows {
		if f, ok := places[l.EditionID]; ok {
			page.Rows[i].Found = &f
		}
	}
	return page, err
}

// array writes numbers as an array of PostgreSQL.
func array[T int32 | int64](numbers []T) string {
	b := []byte{'{'}
	for i, n := range numbers {
		if i > 0 {
			b = append(b, ',')
		}
		b = strconv.AppendInt(b, int64(n), 10)
	}
	return string(append(b, '}'))
}

// foundRows is how many of the documents that have some words are shown at once: of each a
// place is looked for.
const foundRows = 50

// rankInText is from where on the text has words that nothing else of a document has.
const rankInText = 2

package site

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/access"
	"incipit/internal/core/collection"
	"incipit/internal/database"
	"incipit/internal/reader/words"
)

// collectionView is a collection as readers see it.
type collectionView struct {
	collection.Collection
	Key    string
	Words  words.Language
	Groups []collection.Group
	Shown  collection.Entry // the one that is read, or none
	Find   string
	By     collection.Order
	Count  int // before looking
}

// Orders are those that a reader may choose.
func (v collectionView) Orders() []collection.Order {
	out := []collection.Order{collection.ByHand, collection.ByTitle, collection.ByNewest}
	return slices.DeleteFunc(out, func(o collection.Order) bool { return o == collection.ByHand && v.Order != collection.ByHand })
}

// Found is how many documents match what is looked for.
func (v collectionView) Found() (n int) {
	for _, g := range v.Groups {
		n += len(g.Entries)
	}
	return n
}

// Say gives a message in the reader's language.
func (v collectionView) Say(name string, places ...any) (string, error) {
	return v.Words.Say(name, places...)
}

// Query is the address of an entry, or of none, in the same list.
func (v collectionView) Query(show string) string {
	q := url.Values{}
	if show != "" {
		q.Set("show", show)
	}
	if v.Find != "" {
		q.Set("find", v.Find)
	}
	if v.By != v.Order {
		q.Set("sort", string(v.By))
	}
	if len(q) == 0 {
		return "?"
	}
	return "?" + q.Encode()
}

// Facts are what stands beside a title: pages and size.
func (v collectionView) About(e collection.Entry) (string, error) {
	pages, err := v.Say("pages")
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("%s: %s · PDF, %s", pages, v.Words.Figure(e.Pages), v.Words.Bytes(e.Bytes)), nil
}

const mostFind = 120

func (s *Site) collection(c *echo.Context) error {
	ctx := c.Request().Context()
	kept, err := s.Publishing.CollectionByKey(ctx, c.Param("key"))
	if errors.Is(err, database.ErrNotFound) {
		return s.nothing(c)
	}
	if err != nil {
		return err
	}
	q := c.Request()
	if _, is := access.Stranger(kept.Content.Sites, s.Public, access.Heard(q.Header.Get)); is {
		return s.note(c, http.StatusForbidden, "site")
	}
	c.Response().Header().Add("Vary", "Accept-Language")
	v := collectionView{Collection: kept.Content, Key: kept.Key, Words: s.words.For(c.Request().Header.Get("Accept-Language")),
		By: kept.Content.Order}
	if by := collection.Order(c.QueryParam("sort")); v.Sorting && slices.Contains(v.Orders(), by) {
		v.By = by
	}
	if v.Search {
		v.Find = strings.TrimSpace(c.QueryParam("find"))
		if r := []rune(v.Find); len(r) > mostFind {
			v.Find = string(r[:mostFind])
		}
	}
	entries, err := s.Entries(ctx, kept.Content)
	if err != nil {
		return err
	}
	v.Count = len(entries)
	v.Groups = collection.Groups(collection.Matching(entries, v.Find), v.By)
	// Who reads a document goes on reading it while looking for another one.
	all := collection.Groups(entries, v.By)
	v.Shown, _ = collection.Chosen(all, c.QueryParam("show"), v.Arrangement)
	frames := "*"
	if len(v.Sites) > 0 {
		frames = "'self' " + strings.Join(v.Sites, " ")
	}
	return s.send(c, http.StatusOK, "collection.html", v, "", frames, true)
}

// Entries are the documents of a collection that readers see now. Those that open
// to invited readers alone are none of them: their names are not for everybody.
func (s *Site) Entries(ctx context.Context, c collection.Collection) ([]collection.Entry, error) {
	ids := make([]int64, len(c.Items))
	for i, item := range c.Items {
		ids[i] = item.Placement
	}
	if len(ids) == 0 {
		return nil, nil
	}
	standing, err := s.Placing.Standings(ctx, ids...)
	if err != nil {
		return nil, err
	}
	var out []collection.Entry
	for _, item := range c.Items {
		if st, there := standing[item.Placement]; there && st.Published != nil && !st.Guarded {
			out = append(out, st.Entry(item.Category))
		}
	}
	return out, nil
}

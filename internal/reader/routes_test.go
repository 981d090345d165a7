package reader_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/access"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/reader"
	"incipit/internal/testkit"
	"incipit/internal/testkit/pace"
)

// Every row of the table has a deed, and is shut where that is denied and open where it
// is not: to readers, and to editors on the stage.
func TestEveryRouteHasItsDeed(t *testing.T) {
	pace.Unraced(t)
	h := testkit.Open(t)
	p, e := h.Published(t, "volunteer-handbook.pdf", nil)
	e = h.Indexed(t, e.ID)
	open := setting.Default()
	open.Tools = toolbar.All()
	switches := map[access.Deed]func(*setting.Settings){
		access.TakeFile:    func(s *setting.Settings) { s.Download = false },
		access.PrintOut:    func(s *setting.Settings) { s.Print = false },
		access.TakeText:    func(s *setting.Settings) { s.Copying = false },
		access.ReadText:    func(s *setting.Settings) { s.TextView = setting.Closed },
		access.FindWords:   func(s *setting.Settings) { s.Tools = s.Tools.Without(toolbar.Find) },
		access.SeeContents: func(s *setting.Settings) { s.Tools = s.Tools.Without(toolbar.Contents) },
		access.SeeFacts:    func(s *setting.Settings) { s.Tools = s.Tools.Without(toolbar.About) },
	}
	words := strings.NewReplacer(":mark", e.SHA256[:16], ":page", "9", ":width", "1600", ":from", "1", ":to", "2", ":n", "1",
		":column", "0", ":row", "0")
	address := func(o reader.Route) string {
		path := words.Replace(o.Path)
		switch {
		case strings.HasPrefix(path, "/tile/"):
			path = strings.Replace(path, "/1600/", "/4800/", 1)
		case strings.HasPrefix(path, "/find/"), strings.HasPrefix(path, "/hits/"):
			path += "?q=tide"
		case strings.HasPrefix(path, "/print"):
			path += "?pages=1"
		}
		return path
	}
	// What the handbook has not got is not there for anybody.
	without := map[string]bool{"/layers/:mark": true, "/attached/:mark/:n": true, "/place/:mark": true}
	people := map[string]*testkit.Client{"/r/" + p.Key: h.Visitor(t), fmt.Sprintf("/stage/%d", p.ID): h.Editor(t)}
	look := func(denied access.Deed) {
		for base, who := range people {
			for _, o := range reader.Routes() {
				require.Contains(t, access.Deeds(), o.Deed, o.Path)
				if o.Method != http.MethodGet || o.Stage && strings.HasPrefix(base, "/r/") {
					continue
				}
				status, _, _ := who.Get(base + address(o))
				about := fmt.Sprintf("%s%s without %q", base, o.Path, denied)
				switch {
				case o.Deed == denied:
					assert.Contains(t, []int{http.StatusForbidden, http.StatusNotFound}, status, about)
				case !without[o.Path]:
					assert.Equal(t, http.StatusOK, status, about)
				}
			}
		}
	}
	h.Publish(t, p.ID, open)
	look("")
	for _, deed := range access.Deeds() {
		no, there := switches[deed]
		if !there {
			continue
		}
		s := open
		s.Tools = toolbar.All()
		no(&s)
		h.Publish(t, p.ID, s)
		look(deed)
	}
}

package desk

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"incipit/internal/library"
)

// careGroup is a kind of thing that needs somebody's care, and the first documents of it.
type careGroup struct {
	Care       string
	Title, Why string
	Address    string // of the whole list
	All        int
	Documents  []library.Listed
}

// careKinds are what is looked for, what is worst first.
var careKinds = []struct{ care, title, why string }{
	{"failed", "Cannot be read", "Their files cannot be used: have them examined again, or replace them."},
	{"waiting", "A new edition waits", "A file was added, or came from the address that is followed. Readers see the one before it until you have looked at what it changes."},
	{"invain", "An address or a time failed", "The website that the file comes from did not give it, or an edition did not go to readers at its time. The document says why."},
	{"findings", "Something is wrong for people who do not see their pages", "Their reports name it. Titles, languages and texts for pictures can be said here."},
	{"glosses", "Something has to be fixed where readers see them", "Their proof names it, on the screens that most readers have. Their benches offer what fixes it."},
	{"links", "Web links in them lead nowhere", "Two looks at each, a day apart, found nothing there. The documents name the pages."},
	{"unseen", "Published, but seen nowhere", "No reader has seen them on a page yet. The code may not have been pasted, or nobody has looked."},
}

// careRows is how many documents of a kind are named.
const careRows = 8

// care gathers what needs care over all documents.
func (d *Desk) care(c *echo.Context) error {
	var v struct {
		Groups []careGroup
		All    int
	}
	for _, k := range careKinds {
		page, err := d.Library.Find(c.Request().Context(), library.Wanted{Care: k.care, Most: careRows})
		if err != nil {
			return err
		}
		v.All += page.All
		if page.All == 0 {
			continue
		}
		v.Groups = append(v.Groups, careGroup{k.care, k.title, k.why, "/documents?care=" + k.care, page.All, page.Rows})
	}
	return d.send(c, http.StatusOK, "care", "What needs care", v)
}

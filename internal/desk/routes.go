package desk

import (
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"
	"github.com/tus/tusd/v2/pkg/handler"

	"incipit/internal/intake"
	"incipit/internal/picture"
)

// route is a row of the table of what the desk answers: who may ask, and how many bytes
// a request's body may have.
type route struct {
	method, path string
	who          audience
	most         size
	answer       func(*Desk, *echo.Context) error
}

// audience is who a route is for. There is no route without one.
type audience int

const (
	editors audience = iota + 1 // who has signed in
	anybody                     // strangers, too: where one signs in
)

// size is how many bytes a body may have.
type size int64

const usualBytes = 64 << 10

const (
	usual       size = 0
	fewWords    size = 8 << 10   // of strangers
	longText    size = 256 << 10 // of a web page
	partOfFile  size = intake.MostPart
	file        size = -1 // an upload, as the operator set it; its route says what is wrong with a longer one
	pictureFile size = -2 // a picture; likewise
)

// routes is the table. Who may ask is decided here and asked in one place (see Mount).
func routes() []route {
	return []route{
		{"GET", "/sign-in", anybody, usual, (*Desk).signInForm},
		{"POST", "/sign-in", anybody, longText, (*Desk).signIn},

		{"GET", "/set-up/:token", anybody, usual, (*Desk).setUpForm},
		{"POST", "/set-up/:token", anybody, fewWords, (*Desk).setUp},

		{"GET", "/new-password/:token", anybody, usual, (*Desk).newPasswordForm},
		{"POST", "/new-password/:token", anybody, fewWords, (*Desk).newPassword},

		{"POST", "/sign-out", editors, usual, (*Desk).signOut},

		{"GET", "/account", editors, usual, (*Desk).account},
		{"POST", "/account/password", editors, usual, (*Desk).changePassword},
		{"POST", "/account/sign-ins/:id/end", editors, usual, (*Desk).endSignIn},
		{"POST", "/account/sign-ins/end", editors, usual, (*Desk).endOtherSignIns},

		{"GET", "/", editors, usual, (*Desk).home},

		{"GET", "/documents", editors, usual, (*Desk).documents},
		{"GET", "/documents/rows", editors, usual, (*Desk).documentRows},
		{"POST", "/documents", editors, file, (*Desk).addDocument},
		{"POST", "/uploads/", editors, usual, tus((*handler.UnroutedHandler).PostFile)},
		{"GET", "/uploads/:upload", editors, usual, tus((*handler.UnroutedHandler).HeadFile)},
		{"PATCH", "/uploads/:upload", editors, partOfFile, tus((*handler.UnroutedHandler).PatchFile)},
		{"DELETE", "/uploads/:upload", editors, usual, tus((*handler.UnroutedHandler).DelFile)},
		{"POST", "/uploads/:upload/document", editors, usual, (*Desk).assemble},
		{"POST", "/uploads/:upload/edition", editors, usual, (*Desk).assembleFor},
		{"POST", "/documents/known", editors, usual, (*Desk).known},
		{"POST", "/documents/bulk", editors, usual, (*Desk).bulk},
		{"POST", "/documents/bulk/:id/undo", editors, usual, (*Desk).undoBulk},
		{"POST", "/documents/uses", editors, usual, (*Desk).usesOfMany},
		{"POST", "/documents/views", editors, usual, (*Desk).keepView},
		{"POST", "/documents/views/:id/remove", editors, usual, (*Desk).dropView},
		{"GET", "/care", editors, usual, (*Desk).care},
		{"GET", "/documents/from", editors, usual, (*Desk).from},
		{"POST", "/documents/from", editors, usual, (*Desk).addFrom},
		{"GET", "/documents/from/coming", editors, usual, (*Desk).coming},
		{"POST", "/documents/from/:source/again", editors, usual, (*Desk).fromAgain},
		{"POST", "/documents/from/:source/drop", editors, usual, (*Desk).fromDropped},
		{"GET", "/documents/removed", editors, usual, (*Desk).removed},
		{"POST", "/documents/:id/restore", editors, usual, (*Desk).putBack},
		{"GET", "/documents/:id/cover", editors, usual, (*Desk).cover},
		{"GET", "/documents/:id/said", editors, usual, (*Desk).mending},
		{"POST", "/documents/:id/said", editors, longText, (*Desk).mend},
		{"GET", "/documents/:id/recognition", editors, usual, (*Desk).recognition},
		{"POST", "/documents/:id/recognition", editors, usual, (*Desk).recognise},
		{"POST", "/documents/:id/recognition/stop", editors, usual, (*Desk).stopRecognition},
		{"POST", "/documents/:id/follow", editors, usual, (*Desk).follow},
		{"POST", "/documents/:id/look", editors, usual, (*Desk).lookNow},
		{"GET", "/documents/:id", editors, usual, (*Desk).document},
		{"POST", "/documents/:id/editions", editors, file, (*Desk).replace},
		{"GET", "/documents/:id/editions/:number", editors, usual, (*Desk).edition},
		{"GET", "/documents/:id/editions/:number/changes", editors, usual, (*Desk).editionChanges},
		{"GET", "/documents/:id/editions/:number/page/:page/:width", editors, usual, (*Desk).editionPage},
		{"POST", "/documents/:id/editions/:number/compare", editors, usual, (*Desk).compareOn},
		{"POST", "/documents/:id/editions/:number/turn", editors, usual, (*Desk).turnTo},
		{"POST", "/documents/:id/editions/:number/time", editors, usual, (*Desk).liveLater},
		{"POST", "/documents/:id/editions/:number/remove", editors, usual, (*Desk).removeEdition},
		{"POST", "/documents/:id/editions/:number/restore", editors, usual, (*Desk).putBackEdition},
		{"POST", "/documents/:id/title", editors, usual, (*Desk).retitle},
		{"POST", "/documents/:id/examine", editors, usual, (*Desk).examineAgain},
		{"POST", "/documents/:id/remove", editors, usual, (*Desk).removeDocument},
		{"POST", "/documents/:id/place", editors, usual, (*Desk).place},

		{"GET", "/placements", editors, usual, (*Desk).placements},
		{"GET", "/placements/:id", editors, usual, (*Desk).bench},
		{"POST", "/placements/:id/name", editors, usual, (*Desk).namePlacement},
		{"POST", "/placements/:id/stay", editors, usual, (*Desk).stay},
		{"POST", "/placements/:id/copy", editors, usual, (*Desk).copyPlacement},
		{"POST", "/placements/:id/remove", editors, usual, (*Desk).removePlacement},
		{"POST", "/placements/:id/restore", editors, usual, (*Desk).putBackPlacement},
		{"GET", "/placements/:id/state", editors, usual, (*Desk).benchState},
		{"PATCH", "/placements/:id/draft", editors, usual, (*Desk).change},
		{"POST", "/placements/:id/pull", editors, usual, (*Desk).pull},
		{"GET", "/placements/:id/compare", editors, usual, (*Desk).compare},
		{"GET", "/placements/:id/starters", editors, usual, (*Desk).starters},
		{"POST", "/placements/:id/starter", editors, usual, (*Desk).start},
		{"POST", "/placements/:id/undo", editors, usual, (*Desk).undo},
		{"POST", "/placements/:id/redo", editors, usual, (*Desk).redo},
		{"POST", "/placements/:id/publish", editors, usual, (*Desk).publish},
		{"POST", "/placements/:id/withdraw", editors, usual, (*Desk).withdraw},
		{"GET", "/placements/:id/ways", editors, usual, (*Desk).ways},
		{"GET", "/placements/:id/ways/code", editors, usual, (*Desk).wayCode},
		{"GET", "/placements/:id/ways/try", editors, usual, (*Desk).tryWay},

		{"GET", "/collections", editors, usual, (*Desk).collections},
		{"POST", "/collections", editors, usual, (*Desk).addCollection},
		{"GET", "/collections/:id", editors, usual, (*Desk).collection},
		{"GET", "/collections/:id/state", editors, usual, (*Desk).collectionState},
		{"PUT", "/collections/:id", editors, usual, (*Desk).changeCollection},
		{"POST", "/collections/:id/undo", editors, usual, (*Desk).undoCollection},
		{"POST", "/collections/:id/redo", editors, usual, (*Desk).redoCollection},
		{"POST", "/collections/:id/remove", editors, usual, (*Desk).removeCollection},

		{"GET", "/web-pages", editors, usual, (*Desk).webPages},
		{"POST", "/web-pages", editors, usual, (*Desk).addWebPage},
		{"GET", "/web-pages/frame", editors, usual, (*Desk).frameState},
		{"PUT", "/web-pages/frame", editors, usual, (*Desk).setFrame},
		{"POST", "/web-pages/frame/undo", editors, usual, (*Desk).undoFrame},
		{"POST", "/web-pages/frame/redo", editors, usual, (*Desk).redoFrame},
		{"GET", "/web-pages/:id", editors, usual, (*Desk).webPage},
		{"GET", "/web-pages/:id/state", editors, usual, (*Desk).webPageState},
		{"GET", "/web-pages/:id/step", editors, usual, (*Desk).webPageStep},
		{"POST", "/web-pages/:id/act", editors, longText, (*Desk).act},
		{"POST", "/web-pages/:id/pull", editors, usual, (*Desk).pullOnPage},
		{"POST", "/web-pages/:id/undo", editors, usual, (*Desk).undoPage},
		{"POST", "/web-pages/:id/redo", editors, usual, (*Desk).redoPage},
		{"POST", "/web-pages/:id/publish", editors, usual, (*Desk).publishPage},
		{"POST", "/web-pages/:id/withdraw", editors, usual, (*Desk).withdrawPage},
		{"POST", "/web-pages/:id/plans/drop", editors, usual, (*Desk).dropPlans},
		{"POST", "/web-pages/:id/path", editors, usual, (*Desk).setPath},
		{"GET", "/web-pages/:id/preview", editors, usual, (*Desk).preview},
		{"GET", "/web-pages/:id/history", editors, usual, (*Desk).history},
		{"POST", "/web-pages/:id/restore", editors, usual, (*Desk).restore},
		{"POST", "/web-pages/:id/remove", editors, usual, (*Desk).removeWebPage},

		{"GET", "/offers/:kind", editors, usual, (*Desk).offered},
		{"POST", "/offers/placements", editors, file, (*Desk).addHere},

		{"POST", "/pictures", editors, pictureFile, (*Desk).addPicture},

		{"GET", "/signing-keys", editors, usual, (*Desk).signingKeys},
		{"POST", "/signing-keys", editors, usual, (*Desk).addSigningKey},
		{"POST", "/signing-keys/:id/withdraw", editors, usual, (*Desk).withdrawSigningKey},

		{"POST", "/placements/:id/record", editors, usual, (*Desk).setRecord},

		{"GET", "/check", editors, usual, (*Desk).checkForm},
		{"POST", "/check", editors, mostSource, (*Desk).check},

		{"GET", "/house-style", editors, usual, (*Desk).houseStyle},
		{"GET", "/house-style/state", editors, usual, (*Desk).houseState},
		{"GET", "/house-style/carry", editors, usual, (*Desk).houseCarry},
		{"POST", "/house-style/thought", editors, usual, (*Desk).thinkHouse},
		{"PATCH", "/house-style", editors, usual, (*Desk).changeHouse},
		{"PUT", "/house-style/terms", editors, usual, (*Desk).changeTerms},
		{"POST", "/house-style/undo", editors, usual, (*Desk).undoHouse},
		{"POST", "/house-style/redo", editors, usual, (*Desk).redoHouse},
	}
}

// home leads to where the work begins.
func (d *Desk) home(c *echo.Context) error { return c.Redirect(http.StatusSeeOther, "/documents") }

// Mount adds the routes to a group that Protect guards.
func (d *Desk) Mount(g *echo.Group) {
	for _, r := range d.table {
		answer := func(c *echo.Context) error { return r.answer(d, c) }
		switch r.who {
		case editors:
			g.Add(r.method, r.path, answer, d.signedIn)
		case anybody:
			g.Add(r.method, r.path, answer)
		default:
			panic("a route for nobody: " + r.path)
		}
	}
}

// rowOf finds the row of a request, before it is routed; ok is false where there is none.
func (d *Desk) rowOf(r *http.Request) (row route, ok bool) {
	for _, row := range d.table {
		if row.method == r.Method && matches(row.path, r.URL.Path) {
			return row, true
		}
	}
	return route{}, false
}

// matches says whether a path is one of a pattern: its parts are the same, or stand for
// anything.
func matches(pattern, path string) bool {
	for {
		part, rest, more := strings.Cut(pattern, "/")
		is, left, others := strings.Cut(path, "/")
		if part != is && !(strings.HasPrefix(part, ":") && is != "") || more != others {
			return false
		}
		if !more {
			return true
		}
		pattern, path = rest, left
	}
}

// Limit gives how many bytes the body of a request to the desk may have, and
// whether the route answers for a longer one itself.
func (d *Desk) Limit(r *http.Request) (bytes int64, hears bool) {
	row, _ := d.rowOf(r)
	switch row.most {
	case usual:
		return usualBytes, false
	case file:
		return d.Intake.MaxBytes + aroundFile, true
	case pictureFile:
		return picture.MostBytes + 64<<10, true
	}
	return int64(row.most), false
}

// twice names the row of a table whose method and path another one has before it, or "": of
// two the second would never be asked, whatever audience it names.
func twice(table []route) string {
	seen := map[string]bool{}
	for _, row := range table {
		// What parameters are called makes no other path.
		parts := strings.Split(row.method+" "+row.path, "/")
		for i, p := range parts {
			if strings.HasPrefix(p, ":") {
				parts[i] = ":"
			}
		}
		name := strings.Join(parts, "/")
		if seen[name] {
			return row.method + " " + row.path
		}
		seen[name] = true
	}
	return ""
}

// open says whether a stranger may send something to a route.
func (d *Desk) open(r *http.Request) bool {
	row, ok := d.rowOf(r)
	return ok && row.who == anybody
}

// Package reader is the public viewer: what readers see of a placement, on
// other people's websites and in a window of its own.
//
// Every page is sized by CSS from the document's geometry, so that it can be
// seen and scrolled without script and nothing moves when images arrive. The
// same handlers serve the published version to everybody, below /r/{key}, and
// the draft to signed-in editors, below /stage/{id}. Each route asks
// core/access first. No cookie is read or set below /r/, nothing is stored, no
// other host is asked.
package reader

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"

	"incipit/internal/blob"
	"incipit/internal/core/access"
	"incipit/internal/core/address"
	"incipit/internal/core/setting"
	"incipit/internal/core/share"
	"incipit/internal/core/toolbar"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/nouns"
	"incipit/internal/press"
	"incipit/internal/reader/words"
	"incipit/internal/recall"
	"incipit/web"
)

// Reader serves placements.
type Reader struct {
	nouns.All
	Blobs *blob.Store
	Press *press.Press
	// Public is the address that readers reach us at, without a slash.
	Public string
	pages  *pages
	words  *words.Words

	shells   shells
	known    *recall.Known[shown]
	seals    *seals
	tells    *pace                      // by placement: how often a viewer may tell where it stands
	tellers  *pace                      // by placement and origin: the same
	finds    *pace                      // by origin: how often words may be looked for
	closed   *pace                      // the same, where a document's text may neither be taken nor read
	texts    *share.Line                // before whatever reads texts
	large    *share.Line                // before the pages of long documents are written
	refusals *pace                      // by placement and origin: how often a refused website is noted
	drawn    *lru.Cache[string, []byte] // layers as SVG, by what they are named after
}

// textPlaces is how many requests look through texts at once. Each costs the
// database and this process about as much as drawing a page does.
const textPlaces = 2

// mayLook waits for a place among those that look through texts.
func (r *Reader) mayLook(ctx context.Context, s shown) (leave func(), err error) {
	_, leave, err = r.texts.Enter(ctx, share.Asker{Document: s.edition.SHA256, Origin: share.Origin(ctx)})
	if errors.Is(err, share.ErrFull) {
		err = fmt.Errorf("%w: %w", press.ErrBusy, err)
	}
	return leave, err
}

// longFrom is from how many pages on a document's own page takes long to write:
// a crowd at one such document waits among itself.
const longFrom = 300

// mayWrite waits for a turn to write the page of a long document. leave may be
// called twice.
func (r *Reader) mayWrite(ctx context.Context, s shown) (leave func(), err error) {
	if s.edition.Pages < longFrom {
		return func() {}, nil
	}
	_, leave, err = r.large.Enter(ctx, share.Asker{Document: s.edition.SHA256, Origin: share.Origin(ctx)})
	if errors.Is(err, share.ErrFull) {
		err = fmt.Errorf("%w: %w", press.ErrBusy, err)
	}
	return leave, err
}

// mostDrawn bounds them, in memory.
const mostDrawn = 256

// New makes a Reader. secrets gives what keys for seals are made of, the newest first,
// the same on every server of the house.
func New(s nouns.All, b *blob.Store, p *press.Press, w *web.Files, public string,
	secrets func(context.Context) ([][]byte, error)) (*Reader, error) {
	t, err := parse(w)
	if err != nil {
		return nil, err
	}
	said, err := words.Load()
	if err != nil {
		return nil, err
	}
	drawn, err := lru.New[string, []byte](mostDrawn)
	if err != nil {
		return nil, fmt.Errorf("make room for layers: %w", err)
	}
	return &Reader{Public: public, seals: newSeals(secrets), tells: newPace(5, 50), tellers: newPace(rate.Every(10*time.Minute), 6), finds: newPace(6, 60),
		closed: newPace(rate.Every(10*time.Second), 40), refusals: newPace(rate.Every(time.Hour), 3),
		texts: share.NewLine(share.Rules{Places: textPlaces, Waiting: 60, PerOrigin: 1}),
		large: share.NewLine(share.Rules{Places: textPlaces, Waiting: 200, PerDocument: 1}), drawn: drawn, All: s, Blobs: b, Press: p, pages: t,
		words: said, known: recall.New[shown](mostKnown, s.DB.Count)}, nil
}

// said gives the language a request asks for.
func (r *Reader) said(c *echo.Context) words.Language {
	c.Response().Header().Add("Vary", "Accept-Language")
	return r.words.For(c.Request().Header.Get("Accept-Language"))
}

// shown is a placement as one request sees it.
type shown struct {
	base      string // address below which its routes lie
	title     string
	settings  setting.Settings
	edition   library.Edition
	standing  access.Standing
	who       access.Who
	placement int64
	until     time.Time // when the token that opened it ends; zero without one
}

func (s shown) file() press.File {
	return press.File{SHA256: s.edition.SHA256, BlobKey: s.edition.BlobKey, Bytes: s.edition.Bytes, Units: s.edition.Facts.Units}
}

func (s shown) allows(deed access.Deed) bool {
	return access.Allows(s.who, s.standing, s.settings, deed)
}

// tools are those that readers are given.
func (s shown) tools() toolbar.Set { return access.Tools(s.standing, s.settings) }

// private says that it is not for everybody who has the address.
func (s shown) private() bool { return s.standing.Draft || s.settings.Guarded }

// secret says that nobody may keep what is answered, not even the browser that
// shows it: a grant ends. All else below a reader's address may be kept by that
// browser alone, never on the way: a switch that says no later must be able to
// reach it.
func (s shown) secret() bool { return s.edition.Locked || s.settings.Guarded && !s.standing.Draft }

// askAgain has an answer asked for anew each time.
func (s shown) askAgain(c *echo.Context) {
	keep := "private, no-cache"
	if s.secret() {
		keep = "private, no-store"
	}
	c.Response().Header().Set("Cache-Control", keep)
}

// mark is how addresses name the edition: enough of its hash to never mean
// another one.
func (s shown) mark() string { return s.edition.Mark() }

// finder gives the placement a request is about.
type finder func(c *echo.Context) (shown, error)

// refused answers where there is nothing to answer with.
func (r *Reader) refused(c *echo.Context, err error) error {
	if errors.Is(err, database.ErrNotFound) {
		return r.note(c, http.StatusNotFound, notHere)
	}
	return err
}

// Failed answers what went wrong outside a handler, or what no handler answered:
// with a note and nothing else, in the reader's frame.
func (r *Reader) Failed(c *echo.Context, err error) {
	status, n := http.StatusInternalServerError, away
	var said interface{ StatusCode() int }
	switch {
	case errors.Is(err, database.ErrNotFound):
		status, n = http.StatusNotFound, notHere
	case database.Unwritable(err):
		status, n = http.StatusBadRequest, notHere
	case database.Away(err), blob.Away(err):
		status = http.StatusServiceUnavailable
	case errors.As(err, &said):
		status, n = said.StatusCode(), notHere
		if status == http.StatusTooManyRequests {
			n = busy
		}
	}
	if status >= 500 {
		c.Response().Header().Set("Retry-After", "10")
		// A store that is away is one line in the log, and not one for each reader.
		if !errors.Is(err, context.Canceled) && !blob.Away(err) {
			slog.ErrorContext(c.Request().Context(), "a reader's request failed", "route", c.Path(), "error", err)
		}
	}
	if err := r.note(c, status, n); err != nil {
		// Whoever asked has gone.
		slog.DebugContext(c.Request().Context(), "a note was not sent", "error", err)
	}
}

var (
	errNoSuchPage = errors.New("there is no such page")
	errNotIndexed = errors.New("the text has not been read yet")
	errNoText     = errors.New("the document has no text")
	errTooOften   = errors.New("words are looked for too often")
)

// closed are the notes for what a placement does not give.
var closed = map[access.Deed]note{access.TakeFile: closedFile, access.PrintOut: closedPrint, access.TakeText: closedText,
	access.ReadText: closedText}

// published finds the version readers see by the public key.
func (r *Reader) published(c *echo.Context) (shown, error) {
	s, _, err := r.byKey(c)
	if err != nil {
		return s, err
	}
	return r.granted(c.Request().Context(), s, c.Param("key"))
}

// keptOf is what readers see of a placement, as it is remembered or read.
func (r *Reader) keptOf(ctx context.Context, key string) (shown, error) {
	return r.known.Of(key, func() (shown, time.Time, error) {
		s, err := r.readPublished(ctx, key)
		return s, time.Time{}, err
	})
}

// mostKnown is how many placements are remembered: a document of 1,300 pages takes
// 200 KB.
const mostKnown = 200

func (r *Reader) readPublished(ctx context.Context, key string) (shown, error) {
	k, err := r.Placing.ShownByKey(ctx, key)
	if err != nil {
		return shown{}, err
	}
	return shown{base: address.Reader(k.Placement.Key), title: k.Document.Title, placement: k.Placement.ID,
		settings: k.Version.Settings, edition: k.Edition,
		standing: access.Standing{Published: true, Holds: k.Edition.Holds()}}, nil
}

// draft finds the draft of a placement by its number.
func (r *Reader) draft(c *echo.Context, who access.Who) (shown, error) {
	ctx := c.Request().Context()
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return shown{}, database.ErrNotFound
	}
	w, err := r.Placing.Whole(ctx, id)
	if err != nil {
		return shown{}, err
	}
	settings, err := w.Settings()
	if err != nil {
		return shown{}, err
	}
	return shown{base: address.Stage(id), title: w.Document.Title, placement: id, settings: settings, edition: w.Edition,
		standing: access.Standing{Published: w.Placement.Published != nil, Draft: true, Holds: w.Edition.Holds()}, who: who}, nil
}

// pageOf reads the page number of a request.
func pageOf(c *echo.Context, s shown) (int, error) {
	page, err := strconv.Atoi(c.Param("page"))
	if err != nil || page < 1 || page > s.edition.Pages {
		return 0, errNoSuchPage
	}
	return page, nil
}

package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"
	"github.com/tus/tusd/v2/pkg/handler"
	expslog "golang.org/x/exp/slog"

	"incipit/internal/blob"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// Files come in parts by the tus protocol, version 1.0 (tus.io); what they make up is
// received when the browser asks for it (see assemble). Two servers may take parts of the
// same file: the database says which part is the next one.

// uploadsAt is where files in parts are sent.
const uploadsAt = "/uploads/"

// parts makes the handler of the protocol.
func (d *Desk) parts() (*handler.UnroutedHandler, error) {
	composer := handler.NewStoreComposer()
	composer.UseCore(partStore{d})
	composer.UseTerminater(partStore{d})
	h, err := handler.NewUnroutedHandler(handler.Config{
		StoreComposer: composer, BasePath: uploadsAt, MaxSize: d.Intake.MaxBytes, DisableDownload: true, DisableConcatenation: true,
		Cors: &handler.CorsConfig{Disable: true}, Logger: expslog.New(expslog.NewTextHandler(io.Discard, nil)),
	})
	if err != nil {
		return nil, fmt.Errorf("take files in parts: %w", err)
	}
	return h, nil
}

type accountInContext struct{}

// tus answers one request of the protocol for who is signed in.
func tus(answer func(*handler.UnroutedHandler, http.ResponseWriter, *http.Request)) func(*Desk, *echo.Context) error {
	return func(d *Desk, c *echo.Context) error {
		r := c.Request()
		r = r.WithContext(context.WithValue(r.Context(), accountInContext{}, d.Who(c).Account))
		served := d.uploads.Middleware(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { answer(d.uploads, w, r) }))
		http.StripPrefix(strings.TrimSuffix(uploadsAt, "/"), served).ServeHTTP(pathOnly{c.Response()}, r)
		return nil
	}
}

// pathOnly tells where a file is sent by the path alone: a proxy in front may have another
// name and scheme than the request says.
type pathOnly struct{ http.ResponseWriter }

func (w pathOnly) WriteHeader(status int) {
	if at, err := url.Parse(w.Header().Get("Location")); err == nil && at.Path != "" {
		w.Header().Set("Location", at.Path)
	}
	// How long the file is, not this answer.
	w.Header().Del("Content-Length")
	w.ResponseWriter.WriteHeader(status)
}

// Unwrap leads http.ResponseController to what is written to.
func (w pathOnly) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// partStore is where the protocol keeps what arrives.
type partStore struct{ d *Desk }

func accountOf(ctx context.Context) int64 {
	id, _ := ctx.Value(accountInContext{}).(int64)
	return id
}

// NewUpload notes a file that is about to come.
func (s partStore) NewUpload(ctx context.Context, info handler.FileInfo) (handler.Upload, error) {
	u, err := s.d.Intake.Expect(ctx, accountOf(ctx), info.MetaData["filename"], info.Size)
	if err != nil {
		return nil, protocolError(err)
	}
	return arriving{s.d, u}, nil
}

// GetUpload finds one of who asks.
func (s partStore) GetUpload(ctx context.Context, id string) (handler.Upload, error) {
	u, err := s.d.Library.Upload(ctx, accountOf(ctx), id)
	if err != nil {
		return nil, protocolError(err)
	}
	return arriving{s.d, u}, nil
}

// AsTerminatableUpload is for those that are cancelled.
func (s partStore) AsTerminatableUpload(u handler.Upload) handler.TerminatableUpload {
	return u.(arriving)
}

type arriving struct {
	d *Desk
	u library.Upload
}

func (p arriving) WriteChunk(ctx context.Context, offset int64, src io.Reader) (int64, error) {
	n, err := p.d.Intake.Part(ctx, p.u, offset, src)
	return n, protocolError(err)
}

func (p arriving) GetInfo(context.Context) (handler.FileInfo, error) {
	return handler.FileInfo{ID: p.u.ID, Size: p.u.Bytes, Offset: p.u.Received, MetaData: handler.MetaData{"filename": p.u.Name}}, nil
}

// GetReader is not asked for: what is on its way is not given out.
func (arriving) GetReader(context.Context) (io.ReadCloser, error) {
	return nil, handler.ErrNotImplemented
}

// FinishUpload does nothing: the browser asks for what comes of it (see assemble).
func (arriving) FinishUpload(context.Context) error { return nil }

func (p arriving) Terminate(ctx context.Context) error {
	return protocolError(p.d.Intake.Cancel(ctx, p.u))
}

// protocolError writes an error as the protocol's: why, as JSON.
func protocolError(err error) error {
	if err == nil {
		return nil
	}
	say := func(status int, code string, v any) error {
		b, _ := json.Marshal(v)
		return handler.Error{ErrorCode: code, Message: err.Error(), HTTPResponse: handler.HTTPResponse{StatusCode: status, Body: string(b),
			Header: handler.HTTPHeader{"Content-Type": "application/json"}}}
	}
	var bad *pdf.Problem
	var refused draft.Refused
	switch {
	case errors.Is(err, library.ErrElsewhere):
		return handler.ErrMismatchOffset
	case errors.Is(err, database.ErrNotFound):
		return handler.ErrNotFound
	case errors.As(err, &bad):
		return say(http.StatusUnprocessableEntity, "ERR_REFUSED", refusal{Message: refusalOf(bad)})
	case errors.As(err, &refused):
		return say(http.StatusTooManyRequests, "ERR_TOO_MANY", refusal{Message: string(refused)})
	case blob.Full(err):
		return say(http.StatusInsufficientStorage, "ERR_FULL", refusal{Message: fullSaid})
	case blob.ReadOnly(err):
		return say(http.StatusInsufficientStorage, "ERR_READ_ONLY", refusal{Message: readOnlySaid})
	case blob.Away(err):
		return say(http.StatusServiceUnavailable, "ERR_AWAY", refusal{Message: "The server's storage does not answer just now. What has arrived is kept; the rest follows by itself."})
	case database.Away(err):
		return say(http.StatusServiceUnavailable, "ERR_AWAY", refusal{Message: "The database does not answer just now. What has arrived is kept; the rest follows by itself."})
	}
	slog.Error("a part of a file was not kept", "error", err)
	return say(http.StatusInternalServerError, "ERR_INTERNAL", refusal{Message: "Something went wrong here. What has arrived is kept; the rest follows by itself."})
}

// readOnlySaid is told where a file cannot be written.
const readOnlySaid = "The server's storage may only be read. What has arrived is kept, and everything that readers see; whoever runs the server has to let it write there. Then resume."

// fullSaid is told where there is no room for a file.
const fullSaid = "There is no room left on the server's disk. What has arrived is kept, and everything that readers see; make room and resume."

// assemble makes a document of a file that has arrived in parts. Asked again, it gives the
// same document.
func (d *Desk) assemble(c *echo.Context) error {
	ctx := c.Request().Context()
	u, err := d.Library.Upload(ctx, d.Who(c).Account, c.Param("upload"))
	if err != nil {
		return err
	}
	u, err = d.Intake.Assemble(ctx, u, c.FormValue("password"))
	var refused *pdf.Problem
	var early draft.Refused
	switch {
	case errors.As(err, &refused):
		return c.JSON(http.StatusUnprocessableEntity, refusal{refusalOf(refused), refused.Kind == pdf.NeedsPassword, refused.Kind == pdf.NoConverter || refused.Kind == pdf.Unconverted})
	case errors.As(err, &early):
		return c.JSON(http.StatusConflict, problem{string(early)})
	case blob.Full(err):
		return c.JSON(http.StatusInsufficientStorage, problem{fullSaid})
	case err != nil:
		return err
	}
	return c.JSON(http.StatusOK, added{Document: *u.DocumentID, Title: u.Title})
}

// assembleFor makes an edition of a document of a file that has arrived in parts. Asked
// again, it gives the same one.
func (d *Desk) assembleFor(c *echo.Context) error {
	ctx := c.Request().Context()
	document, err := strconv.ParseInt(c.FormValue("document"), 10, 64)
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "document").Wrap(err)
	}
	if _, err := d.Library.Document(ctx, document); err != nil {
		return err
	}
	u, err := d.Library.Upload(ctx, d.Who(c).Account, c.Param("upload"))
	if err != nil {
		return err
	}
	u, err = d.Intake.AssembleFor(ctx, u, document, c.FormValue("password"))
	if blob.Full(err) {
		return c.JSON(http.StatusInsufficientStorage, problem{fullSaid})
	}
	if said := unreplaced(err); said != "" {
		// What arrived is of no further use: fewer editions are needed.
		if errors.Is(err, library.ErrTooManyEditions) {
			err = d.Intake.Cancel(context.WithoutCancel(ctx), u)
			if err != nil && !errors.Is(err, database.ErrNotFound) {
				return err
			}
		}
		return c.JSON(http.StatusUnprocessableEntity, refusal{said, pdf.KindOf(err) == pdf.NeedsPassword, false})
	}
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, editionAt(document, u.Edition))
}

// mostKnown bounds the files that are asked about at once.
const mostKnown = 500

// known tells which files are here already, by their SHA-256, before they are sent.
func (d *Desk) known(c *echo.Context) error {
	var asked struct {
		SHA256 []string `json:"sha256"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&asked); err != nil || len(asked.SHA256) > mostKnown {
		return echo.NewHTTPError(http.StatusBadRequest, "files").Wrap(err)
	}
	out := struct {
		Known []library.Known `json:"known"`
	}{Known: []library.Known{}}
	if len(asked.SHA256) > 0 {
		found, err := d.Library.KnownFiles(c.Request().Context(), asked.SHA256)
		if err != nil {
			return err
		}
		out.Known = append(out.Known, found...)
	}
	return c.JSON(http.StatusOK, out)
}

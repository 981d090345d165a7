package intake

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// Files may come in parts, each durable before it is acknowledged, so that one goes on
// where it was when the line, the browser or the server was interrupted. What parts make
// up is received like any other file.

// PartsPrefix is the prefix of the keys that parts are kept under.
const PartsPrefix = "parts/"

// MostPart is how many bytes a part has at most: a proxy's usual limit is 1 MB.
const MostPart = 1 << 20

// LeastPart is how many bytes a part has at least, on the average: a line that breaks off
// may leave smaller ones, and each is a row and a blob. So many more than the size asks for
// are let through (spareParts).
const (
	LeastPart  = 64 << 10
	spareParts = 64
)

// Expect notes a file that is about to come in parts.
func (in *Intake) Expect(ctx context.Context, account int64, name string, size int64) (library.Upload, error) {
	if size > in.MaxBytes {
		return library.Upload{}, pdf.Problemf(pdf.TooLarge, "The file is larger than %d MB.", in.MaxBytes>>20)
	}
	if size <= 0 {
		return library.Upload{}, pdf.Problemf(pdf.NotPDF, "The file is empty.")
	}
	id, err := database.NewKey()
	if err != nil {
		return library.Upload{}, err
	}
	u := library.Upload{ID: id, AccountID: account, Name: FileName(name), Bytes: size}
	return u, in.Library.AddUpload(ctx, u)
}

// Part takes the next part of a file, as much of it as arrives, and gives how many bytes
// are kept. A part that begins elsewhere than the last one ended is library.ErrElsewhere.
func (in *Intake) Part(ctx context.Context, u library.Upload, at int64, r io.Reader) (int64, error) {
	if at != u.Received {
		return 0, library.ErrElsewhere
	}
	most := min(u.Bytes-at, MostPart)
	// Whoever is cut off has sent what has arrived.
	part, cut := io.ReadAll(io.LimitReader(r, most))
	if len(part) == 0 {
		if cut != nil {
			return 0, fmt.Errorf("receive a part of %q: %w", u.Name, cut)
		}
		return 0, nil
	}
	if at == 0 {
		if err := mayBe(part); err != nil && (len(part) >= pdf.HeadLength || int64(len(part)) == u.Bytes) {
			return 0, err
		}
	}
	if small := int64(len(part)) < LeastPart && at+int64(len(part)) < u.Bytes; small {
		n, err := in.Library.CountParts(ctx, u.ID)
		if err != nil {
			return 0, err
		}
		if int64(n) >= at/LeastPart+spareParts {
			return 0, draft.Refused("The parts of this file are too small: send 64 KB or more at once. What has arrived is kept.")
		}
	}
	key, err := newKey()
	if err != nil {
		return 0, err
	}
	key = PartsPrefix + strings.TrimPrefix(key, FilesPrefix)
	ctx = context.WithoutCancel(ctx) // what has arrived is kept
	if _, err := in.Blobs.Write(ctx, key, bytes.NewReader(part)); err != nil {
		return 0, fmt.Errorf("keep a part of %q: %w", u.Name, err)
	}
	err = in.Library.AddPart(ctx, library.UploadPart{UploadID: u.ID, At: at, Bytes: int64(len(part)), BlobKey: key})
	switch {
	case errors.Is(err, database.ErrUncertain):
		return 0, err // it may have been kept: its bytes stay, until the sweep
	case err != nil:
		return 0, errors.Join(err, in.Blobs.Delete(ctx, key))
	}
	return int64(len(part)), nil
}

// Assemble makes a document of a file that has arrived. Asked again it gives the same
// document. What cannot be used is a *pdf.Problem; its parts are kept where something
// else than another file would help, and let go of otherwise.
func (in *Intake) Assemble(ctx context.Context, u library.Upload, password string) (library.Upload, error) {
	return in.assemble(ctx, u, func(name string, r io.Reader) error {
		_, _, err := in.receive(ctx, name, r, u.AccountID, password, library.Origin{Upload: u.ID})
		return err
	})
}

// AssembleFor is Assemble for an edition of a document that is there.
func (in *Intake) AssembleFor(ctx context.Context, u library.Upload, document int64, password string) (library.Upload, error) {
	if u.DocumentID != nil && (*u.DocumentID != document || u.Edition == 0) {
		return u, draft.Refused("The file has become another document already.")
	}
	return in.assemble(ctx, u, func(name string, r io.Reader) error {
		_, err := in.replace(ctx, document, name, r, u.AccountID, password, nil, u.ID)
		return err
	})
}

func (in *Intake) assemble(ctx context.Context, u library.Upload, become func(name string, r io.Reader) error) (library.Upload, error) {
	if u.DocumentID != nil {
		return u, nil
	}
	if u.Received != u.Bytes {
		return u, draft.Refused("The file has not arrived as a whole yet.")
	}
	parts, err := in.Library.Parts(ctx, u.ID)
	if err != nil {
		return u, err
	}
	err = in.asPDF(ctx, u.Name, &joined{ctx: ctx, in: in, parts: parts}, become)
	var problem *pdf.Problem
	switch {
	case errors.Is(err, library.ErrArrived):
		// Somebody was faster: the same browser, in another tab or after a reload.
	case errors.As(err, &problem):
		if !keepsParts(problem) {
			err = errors.Join(err, in.Cancel(context.WithoutCancel(ctx), u))
		}
		return u, err
	case err != nil:
		// Whoever was faster has let go of the parts that this one was reading.
		if now, gone := in.Library.Upload(ctx, u.AccountID, u.ID); gone == nil && now.DocumentID != nil {
			return now, nil
		}
		return u, err
	}
	u, err = in.Library.Upload(ctx, u.AccountID, u.ID)
	if err != nil {
		return u, err
	}
	if u.DocumentID == nil {
		return u, fmt.Errorf("assemble %q: it became no document", u.Name)
	}
	// The parts have become a file. Those that stay for want of an answer go with the next sweep.
	for _, p := range parts {
		_ = in.Blobs.Delete(context.WithoutCancel(ctx), p.BlobKey)
	}
	return u, nil
}

// Cancel lets go of a file on its way.
func (in *Intake) Cancel(ctx context.Context, u library.Upload) error {
	parts, err := in.Library.Parts(ctx, u.ID)
	if err != nil {
		return err
	}
	if err := in.Library.DropUpload(ctx, u.AccountID, u.ID); err != nil {
		return err
	}
	for _, p := range parts {
		if err := in.Blobs.Delete(ctx, p.BlobKey); err != nil {
			return fmt.Errorf("remove a part of %q: %w", u.Name, err)
		}
	}
	return nil
}

// joined reads parts one after the other.
type joined struct {
	ctx   context.Context //nolint:containedctx // of one reading
	in    *Intake
	parts []library.UploadPart
	now   *bytes.Reader
}

func (j *joined) Read(p []byte) (int, error) {
	for j.now == nil || j.now.Len() == 0 {
		if len(j.parts) == 0 {
			return 0, io.EOF
		}
		part := j.parts[0]
		b := make([]byte, part.Bytes)
		if _, err := j.in.Blobs.Ranges(j.ctx, part.BlobKey).ReadAt(b, 0); err != nil && !errors.Is(err, io.EOF) {
			return 0, fmt.Errorf("read a part: %w", err)
		}
		j.now, j.parts = bytes.NewReader(b), j.parts[1:]
	}
	return j.now.Read(p)
}

// Package intake takes a file on its way to being an edition.
//
// Receive streams a file into storage, hashes it on the way, looks at its
// content, makes it durable and only then acknowledges it, together with the
// job that will examine the rest. What is refused leaves nothing behind; what
// a crash leaves behind is removed by Sweep.
package intake

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"path"
	"strings"
	"time"
	"unicode"

	"incipit/internal/blob"
	"incipit/internal/core/share"
	"incipit/internal/core/sheet"
	"incipit/internal/database"
	"incipit/internal/fetch"
	"incipit/internal/library"
	"incipit/internal/nouns"
	"incipit/internal/pdf"
)

// Intake receives files.
type Intake struct {
	nouns.All
	Blobs    *blob.Store
	Engine   pdf.Engine
	MaxBytes int64
	// Office makes PDFs of office documents; nil where nothing can.
	Office   Office
	NoOffice error // why there is none
	// Recogniser reads text in pictures of pages; nil where nothing can.
	Recogniser   Recogniser
	NoRecogniser error // why there is none
	// Fetch asks other websites for files.
	Fetch *fetch.Fetcher
	// Leases keep two processes from the same job; nil where there is only one.
	Leases *database.Leases
}

// FilesPrefix is the prefix of the keys that files are kept under.
const FilesPrefix = "files/"

// Receive takes a file that somebody names. A *pdf.Problem says why a file is
// refused.
func (in *Intake) Receive(ctx context.Context, name string, r io.Reader, by int64) (library.Document, library.Edition, error) {
	return in.ReceiveLocked(ctx, name, r, by, "")
}

// headOf reads the start of a file until its header is there, or as far as one may
// stand: a slow sender is not waited for longer than needed.
func headOf(r io.Reader) ([]byte, error) {
	head := make([]byte, 0, pdf.HeadLength)
	for len(head) < cap(head) && pdf.HeaderAt(head) < 0 {
		n, err := r.Read(head[len(head):min(len(head)+1024, cap(head))])
		head = head[:len(head)+n]
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return head, err
		}
	}
	return head, nil
}

// ReceiveLocked takes a file that may ask for a password. The password opens it
// now, to count and measure its pages; it is not kept.
func (in *Intake) ReceiveLocked(ctx context.Context, name string, r io.Reader, by int64, password string) (library.Document,
	library.Edition, error) {
	return in.receive(ctx, name, r, by, password, library.Origin{})
}

// receive takes a file that came from somewhere.
func (in *Intake) receive(ctx context.Context, name string, r io.Reader, by int64, password string, from library.Origin) (library.Document,
	library.Edition, error) {
	d := library.Document{Title: TitleOf(name)}
	if by != 0 {
		d.AddedBy = &by
	}
	e, err := in.store(ctx, name, r, func(ctx context.Context, e *library.Edition) error {
		return in.admit(ctx, name, &d, e, password, from)
	})
	return d, e, err
}

// Replace takes a file as another edition of a document, which is examined and compared
// with the one in force; readers get it when somebody says so. A file that asks for a
// password is opened with it now, as one of a new document is, and cannot be compared.
func (in *Intake) Replace(ctx context.Context, document int64, name string, r io.Reader, by int64, password string) (library.Edition, error) {
	return in.replace(ctx, document, name, r, by, password, nil, "")
}

// replace is Replace; with live, the edition goes to readers by itself from then on; upload
// is the one that the file came in, "" where it came in one piece.
func (in *Intake) replace(ctx context.Context, document int64, name string, r io.Reader, by int64, password string, live *time.Time, upload string) (library.Edition, error) {
	return in.store(ctx, name, r, func(ctx context.Context, e *library.Edition) error {
		if by != 0 {
			e.AddedBy = &by
		}
		ctx = share.From(ctx, "") // see admit
		src := source(ctx, in.Blobs, *e)
		cover, err := in.Engine.Cover(ctx, src)
		e.FileName = FileName(name)
		if pdf.KindOf(err) == pdf.NeedsPassword && password != "" {
			src.Password = password
			o, err := in.open(ctx, src)
			if err != nil {
				return fmt.Errorf("%q: %w", name, err)
			}
			o.Of(e)
			return in.Library.AddEditionOf(ctx, document, e, upload, wordJob)
		}
		if err != nil {
			return fmt.Errorf("open %q: %w", name, err)
		}
		e.Pages, e.PagesKnown, e.Sheets = cover.Pages, 1, []sheet.Sheet{cover.First}
		if live != nil {
			e.LiveAt, e.LiveBy = live, FollowedBy
		}
		return in.Library.AddEditionOf(ctx, document, e, upload, examineJob)
	})
}

// PutBackEdition puts a removed edition back, and has it examined.
func (in *Intake) PutBackEdition(ctx context.Context, document int64, number int) error {
	return in.Library.PutBackEdition(ctx, document, number, examineJob, wordJob)
}

// store keeps the bytes of a file and has somebody admit it. Of what is not admitted
// nothing stays; where nobody knows whether it was, its bytes do, until the sweep.
func (in *Intake) store(ctx context.Context, name string, r io.Reader, admit func(context.Context, *library.Edition) error) (library.Edition, error) {
	none := func(err error) (library.Edition, error) { return library.Edition{}, err }
	head, err := headOf(r)
	if err != nil {
		return none(fmt.Errorf("receive %q: %w", name, err))
	}
	if err := pdf.CheckHead(head); err != nil {
		return none(err)
	}
	key, err := newKey()
	if err != nil {
		return none(err)
	}
	hash := sha256.New()
	body := &bounded{r: io.MultiReader(bytes.NewReader(head), r), left: in.MaxBytes, max: in.MaxBytes}
	size, err := in.Blobs.Write(ctx, key, io.TeeReader(body, hash))
	if err != nil {
		return none(fmt.Errorf("receive %q: %w", name, err))
	}
	e := library.Edition{SHA256: hex.EncodeToString(hash.Sum(nil)), Bytes: size, Own: key}
	if e.BlobKey, err = in.keptWhole(ctx, e); err != nil {
		return none(errors.Join(err, in.Blobs.Delete(context.WithoutCancel(ctx), key)))
	}
	if err := admit(ctx, &e); err != nil {
		if errors.Is(err, database.ErrUncertain) {
			return none(err)
		}
		// Also when the sender has gone: nothing may stay behind.
		if gone := in.Blobs.Delete(context.WithoutCancel(ctx), key); gone != nil {
			return none(errors.Join(err, gone))
		}
		return none(err)
	}
	if e.BlobKey != key {
		// It shares those of another. What cannot be removed now the sweep takes.
		if err := in.Blobs.Delete(context.WithoutCancel(ctx), key); err != nil {
			slog.WarnContext(ctx, "bytes that lie there already stay twice until the next sweep", "key", key, "error", err)
		}
	}
	return e, nil
}

// keptWhole gives the key of equal bytes that are kept, which it reads: what was lost or
// damaged there is not shared, so that adding a file again helps. Where there are none it is
// the edition's own.
func (in *Intake) keptWhole(ctx context.Context, e library.Edition) (string, error) {
	keys, err := in.Library.KeptAs(ctx, e.SHA256, e.Bytes)
	if err != nil {
		return "", err
	}
	for _, key := range keys {
		if r, err := in.Blobs.Open(ctx, key); err == nil {
			hash := sha256.New()
			_, err = io.Copy(hash, r)
			r.Close()
			if err == nil && hex.EncodeToString(hash.Sum(nil)) == e.SHA256 {
				return key, nil
			}
		}
	}
	return e.Own, nil
}

// admit opens a stored file and, when it can be used, adds its rows.
func (in *Intake) admit(ctx context.Context, name string, d *library.Document, e *library.Edition, password string, from library.Origin) error {
	// What an editor has just sent is the house's own: strangers do not keep it
	// out of the engine's line.
	ctx = share.From(ctx, "")
	src := source(ctx, in.Blobs, *e)
	cover, err := in.Engine.Cover(ctx, src)
	locked := pdf.KindOf(err) == pdf.NeedsPassword && password != ""
	if locked {
		src.Password = password
		cover, err = in.Engine.Cover(ctx, src)
	}
	if err != nil {
		return fmt.Errorf("open %q: %w", name, err)
	}
	e.FileName, e.Pages, e.PagesKnown = FileName(name), cover.Pages, 1
	e.Sheets = []sheet.Sheet{cover.First}
	if locked {
		o, err := in.open(ctx, src)
		if err != nil {
			return fmt.Errorf("%q: %w", name, err)
		}
		o.Of(e)
		return in.Library.AddLocked(ctx, d, e, from, wordJob)
	}
	return in.Library.AddDocumentOf(ctx, d, e, from, examineJob)
}

func source(ctx context.Context, blobs *blob.Store, e library.Edition) pdf.Source {
	ctx = context.WithoutCancel(ctx) // see press.File.Source
	return pdf.Source{ID: e.SHA256, Size: e.Bytes, Bytes: blobs.Ranges(ctx, e.BlobKey), Units: e.Facts.Units}
}

// newKey makes a key for one file; the two letters spread files over folders.
func newKey() (string, error) {
	b := make([]byte, 16)
	if _, err := rand.Read(b); err != nil {
		return "", fmt.Errorf("make a key: %w", err)
	}
	h := hex.EncodeToString(b)
	return FilesPrefix + h[:2] + "/" + h, nil
}

// bounded passes on at most left bytes, then fails.
type bounded struct {
	r         io.Reader
	left, max int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if b.left <= 0 {
		var one [1]byte
		if n, err := b.r.Read(one[:]); n == 0 && err != nil {
			return 0, err
		}
		return 0, pdf.Problemf(pdf.TooLarge, "The file is larger than %d MB.", b.max>>20)
	}
	if int64(len(p)) > b.left {
		p = p[:b.left]
	}
	n, err := b.r.Read(p)
	b.left -= int64(n)
	return n, err
}

// FileName keeps the last part of a name a browser sent, without control
// characters. It is shown, never used as a path.
func FileName(name string) string {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	name = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || r == unicode.ReplacementChar {
			return -1
		}
		return r
	}, strings.ToValidUTF8(name, ""))
	if r := []rune(name); len(r) > 200 {
		name = string(r[:200])
	}
	if name == "." || name == "/" || name == ".." {
		return ""
	}
	return name
}

// TitleOf makes a first title of a file's name: tide-table_2026.pdf becomes
// "Tide table 2026".
func TitleOf(name string) string {
	name = FileName(name)
	if ext := path.Ext(name); strings.EqualFold(ext, ".pdf") {
		name = strings.TrimSuffix(name, ext)
	}
	title := strings.Join(strings.FieldsFunc(name, func(r rune) bool { return unicode.IsSpace(r) || r == '_' || r == '-' }), " ")
	if title == "" {
		return "Untitled document"
	}
	r := []rune(title)
	r[0] = unicode.ToUpper(r[0])
	return string(r)
}

package inout

import (
	"context"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"incipit/internal/blob"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/nouns"
	"incipit/internal/picture"
)

// Source is an installation that is written out.
type Source struct {
	nouns.All
	Blobs *blob.Store
	// PageHTML gives a published web page as its readers get it.
	PageHTML func(ctx context.Context, path string) ([]byte, error)
	// Tell is told what was written, one line after the other.
	Tell func(line string)
}

// Counted says how much there is in a folder.
type Counted struct {
	Documents, Editions, Placements, Collections, WebPages, Pictures int
}

// writer writes files into a folder and remembers their hashes.
type writer struct {
	dir   string
	files map[string]string
}

func (w *writer) file(path string, r io.Reader) (sum string, err error) {
	full := filepath.Join(w.dir, filepath.FromSlash(path))
	if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
		return "", fmt.Errorf("write %s: %w", path, err)
	}
	f, err := os.OpenFile(full, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return "", fmt.Errorf("write %s: %w", path, err)
	}
	h := sha256.New()
	_, err = io.Copy(io.MultiWriter(f, h), r)
	if err := errors.Join(err, f.Sync(), f.Close()); err != nil {
		return "", fmt.Errorf("write %s: %w", path, err)
	}
	sum = hex.EncodeToString(h.Sum(nil))
	w.files[path] = sum
	return sum, nil
}

func (w *writer) json(path string, v any) error {
	b, err := json.MarshalIndent(v, "", "  ")
	if err != nil {
		return fmt.Errorf("write %s: %w", path, err)
	}
	_, err = w.file(path, strings.NewReader(string(b)+"\n"))
	return err
}

// Write writes everything into a folder, which must be empty or not there. Servers may run:
// each document is written as it is at that moment.
func (s *Source) Write(ctx context.Context, dir string) (n Counted, err error) {
	if there, err := os.ReadDir(dir); err == nil && len(there) > 0 {
		return n, fmt.Errorf("%s is not empty: nothing was written", dir)
	}
	// The folder is there when it is whole.
	if err := os.MkdirAll(filepath.Dir(filepath.Clean(dir)), 0o755); err != nil {
		return n, fmt.Errorf("make the folder: %w", err)
	}
	under, err := os.MkdirTemp(filepath.Dir(filepath.Clean(dir)), ".incipit-export-")
	if err != nil {
		return n, fmt.Errorf("make the folder: %w", err)
	}
	defer os.RemoveAll(under)
	if err := os.Chmod(under, 0o755); err != nil { //nolint:gosec // it is for others to read
		return n, fmt.Errorf("make the folder: %w", err)
	}
	w := &writer{under, map[string]string{}}
	for _, part := range []func(context.Context, *writer, *Counted) error{s.documents, s.collections, s.webPages, s.pictures, s.house} {
		if err := part(ctx, w, &n); err != nil {
			return n, err
		}
	}
	m := Manifest{Format: Format, MadeAt: time.Now().UTC().Truncate(time.Second), Files: w.files}
	if err := w.json("export.json", m); err != nil {
		return n, err
	}
	if err := os.Remove(dir); err != nil && !errors.Is(err, os.ErrNotExist) {
		return n, fmt.Errorf("make the folder: %w", err)
	}
	if err := os.Rename(under, dir); err != nil {
		return n, fmt.Errorf("make the folder: %w", err)
	}
	return n, nil
}

// ids lists the numbers of the rows of a table, the first first.
func (s *Source) ids(ctx context.Context, table string) ([]int64, error) {
	var out []int64
	err := s.DB.WithContext(ctx).Table(table).Order("id").Pluck("id", &out).Error
	return out, database.Found(err, "list "+table)
}

func (s *Source) documents(ctx context.Context, w *writer, n *Counted) error {
	ids, err := s.ids(ctx, "documents")
	if err != nil {
		return err
	}
	var table strings.Builder
	rows := csv.NewWriter(&table)
	if err := rows.Write([]string{"number", "title", "description", "language", "categories"}); err != nil {
		return fmt.Errorf("write documents.csv: %w", err)
	}
	for i, id := range ids {
		d, err := s.document(ctx, w, id)
		if errors.Is(err, database.ErrNotFound) {
			continue // it was removed meanwhile
		}
		if err != nil {
			return err
		}
		if err := rows.Write([]string{strconv.FormatInt(id, 10), d.Title, d.Description, d.Language, strings.Join(d.Categories, "; ")}); err != nil {
			return fmt.Errorf("write documents.csv: %w", err)
		}
		n.Documents++
		n.Editions += len(d.Editions)
		n.Placements += len(d.Placements)
		s.Tell(fmt.Sprintf("Document %d of %d: %s", i+1, len(ids), d.Title))
	}
	rows.Flush()
	_, err = w.file("documents.csv", strings.NewReader(table.String()))
	return err
}

func (s *Source) document(ctx context.Context, w *writer, id int64) (Document, error) {
	d, err := s.Library.Document(ctx, id)
	if err != nil {
		return Document{}, err
	}
	out := Document{Number: d.ID, Title: d.Title, Description: d.Description, Language: d.Language, WriteIn: d.WriteIn, InForce: d.Edition}
	if out.Categories, err = s.Library.CategoriesOf(ctx, id); err != nil {
		return out, err
	}
	if out.Categories == nil {
		out.Categories = []string{}
	}
	listed, err := s.Library.Editions(ctx, id)
	if err != nil {
		return out, err
	}
	for i := len(listed) - 1; i >= 0; i-- {
		e, err := s.Library.Edition(ctx, listed[i].ID)
		if err != nil {
			return out, err
		}
		to := Edition{Number: e.Number, File: fmt.Sprintf("documents/%d/edition-%d.pdf", id, e.Number), Name: e.FileName, SHA256: e.SHA256,
			Alternatives: e.Alternatives, Recognised: e.Recognised, RecognisedIn: e.RecognisedIn, Opened: e.Opened(), AddedAt: e.CreatedAt.UTC()}
		if err := s.edition(ctx, w, e, to.File); err != nil {
			return out, err
		}
		out.Editions = append(out.Editions, to)
	}
	if out.Placements, err = s.placements(ctx, id); err != nil {
		return out, err
	}
	src, err := s.Library.SourceOf(ctx, id)
	if err == nil {
		out.From = &From{src.Address, src.Hours, src.AtOnce}
	} else if !errors.Is(err, database.ErrNotFound) {
		return out, err
	}
	return out, w.json(fmt.Sprintf("documents/%d/document.json", id), out)
}

func (s *Source) edition(ctx context.Context, w *writer, e library.Edition, path string) error {
	f, err := s.Blobs.Open(ctx, e.BlobKey)
	if err != nil {
		return fmt.Errorf("read edition %d of document %d: %w", e.Number, e.DocumentID, err)
	}
	defer f.Close()
	sum, err := w.file(path, f)
	if err == nil && sum != e.SHA256 {
		err = fmt.Errorf("edition %d of document %d is damaged: its bytes are not those that came", e.Number, e.DocumentID)
	}
	return err
}

func (s *Source) placements(ctx context.Context, document int64) ([]Placement, error) {
	out := []Placement{}
	all, err := s.Placing.ShownOf(ctx, document)
	if err != nil {
		return nil, err
	}
	for _, p := range all {
		w, err := s.Placing.Whole(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		to := Placement{Number: p.ID, Key: p.Key, Name: p.Name, StaysAt: p.StaysAt, Starter: w.Draft.Starter, Reason: w.Draft.Reason, Draft: w.Draft.Patch}
		if w.Placement.Record != nil {
			to.Record = *w.Placement.Record
		}
		if p.Published != nil {
			to.Published = &Published{p.Edition, w.Version.Settings}
		}
		out = append(out, to)
	}
	return out, nil
}

func (s *Source) collections(ctx context.Context, w *writer, n *Counted) error {
	ids, err := s.ids(ctx, "collections")
	if err != nil {
		return err
	}
	for _, id := range ids {
		c, err := s.Publishing.Collection(ctx, id)
		if err != nil {
			return err
		}
		if err := w.json(fmt.Sprintf("collections/%d.json", id), Collection{c.ID, c.Key, c.Content}); err != nil {
			return err
		}
		n.Collections++
	}
	return nil
}

func (s *Source) webPages(ctx context.Context, w *writer, n *Counted) error {
	ids, err := s.ids(ctx, "web_pages")
	if err != nil {
		return err
	}
	for _, id := range ids {
		step, err := s.Publishing.WebPageDraft(ctx, id)
		if err != nil {
			return err
		}
		p := WebPage{Number: id, Draft: step.Content}
		if p.Path, err = s.Publishing.PathOf(ctx, id); err != nil {
			return err
		}
		now, err := s.Publishing.PublishedPage(ctx, p.Path, time.Now())
		switch {
		case err == nil:
			p.Published = &now.Content
			html, err := s.PageHTML(ctx, p.Path)
			if err != nil {
				return err
			}
			if _, err := w.file(fmt.Sprintf("web-pages/%d.html", id), strings.NewReader(string(html))); err != nil {
				return err
			}
		case !errors.Is(err, database.ErrNotFound):
			return err
		}
		if err := w.json(fmt.Sprintf("web-pages/%d.json", id), p); err != nil {
			return err
		}
		n.WebPages++
	}
	return nil
}

func (s *Source) pictures(ctx context.Context, w *writer, n *Counted) error {
	ids, err := s.ids(ctx, "pictures")
	if err != nil {
		return err
	}
	for _, id := range ids {
		p, err := s.Publishing.Picture(ctx, id)
		if err != nil {
			return err
		}
		for _, width := range p.Widths {
			b, err := s.Blobs.Read(ctx, picture.Key(p.SHA256, width))
			if err != nil {
				return fmt.Errorf("read picture %d: %w", id, err)
			}
			if _, err := w.file(fmt.Sprintf("pictures/%d-%d", id, width), strings.NewReader(string(b))); err != nil {
				return err
			}
		}
		if err := w.json(fmt.Sprintf("pictures/%d.json", id), pictureOf(p)); err != nil {
			return err
		}
		n.Pictures++
	}
	return nil
}

func (s *Source) house(ctx context.Context, w *writer, _ *Counted) error {
	h, err := s.Placing.House(ctx)
	if err != nil {
		return err
	}
	if err := w.json("house-style.json", HouseStyle{h.Settings, h.Terms, h.Sites}); err != nil {
		return err
	}
	f, err := s.Publishing.SiteFrame(ctx)
	if err != nil {
		return err
	}
	return w.json("site-frame.json", f.Content)
}

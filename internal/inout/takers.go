package inout

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"incipit/internal/blob"
	"incipit/internal/core/address"
	"incipit/internal/core/webpage"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/picture"
	"incipit/internal/placing"
	"incipit/internal/publishing"
)

func (r *reader) takeHouse(ctx context.Context, _ *Counted) (int, error) {
	return one(r, "house-style.json", func(h HouseStyle) error {
		now, err := r.into.Placing.House(ctx)
		if err != nil {
			return err
		}
		_, err = r.into.Placing.ChangeHouse(ctx, now.Revision, r.into.Who, placing.House{Settings: h.Settings, Terms: h.Terms, Sites: h.Sites}, nil)
		return err
	})
}

func (r *reader) takeFrame(ctx context.Context, _ *Counted) (int, error) {
	return one(r, "site-frame.json", func(f webpage.Frame) error {
		now, err := r.into.Publishing.SiteFrame(ctx)
		if err != nil {
			return err
		}
		for i, l := range f.Links {
			f.Links[i].Page = r.pages[l.Page]
		}
		f.Links = slices.DeleteFunc(f.Links, func(l webpage.Nav) bool { return l.Page == 0 && l.Address == "" })
		_, err = r.into.Publishing.ChangeSiteFrame(ctx, now.Revision, r.into.Who, f)
		return err
	})
}

// takePictures takes the bytes of pictures as they were served; what calls itself another kind
// of picture than it is, is left out.
func (r *reader) takePictures(ctx context.Context, n *Counted) (int, error) {
	return each(r, "pictures", "*.json", func(p Picture) error {
		if !isHash(p.SHA256) || len(p.Widths) == 0 || len(p.Widths) > mostWidths || p.Width < 1 || p.Height < 1 || p.Width > pdf.MostSide || p.Height > pdf.MostSide {
			return errors.New("it is no picture")
		}
		// Whoever has a picture of this name has it as it is here.
		there, err := r.into.Publishing.OwnsPicture(ctx, p.SHA256)
		if err != nil {
			return err
		}
		copies := map[int][]byte{}
		for _, width := range p.Widths {
			b, err := r.bytesOf(fmt.Sprintf("pictures/%d-%d", p.Number, width), picture.MostBytes)
			if err != nil {
				return err
			}
			if width < 1 || width > pdf.MostSide || copies[width] != nil || http.DetectContentType(b) != p.MediaType || !slices.Contains([]string{"image/jpeg", "image/png", "image/webp", "image/gif"}, p.MediaType) {
				return errors.New("it is no picture of the kind that it says")
			}
			copies[width] = b
		}
		if !there {
			if err := r.writePicture(ctx, p.SHA256, copies); err != nil {
				return err
			}
		}
		kept, err := r.into.Publishing.AddPicture(ctx, publishing.Picture{SHA256: p.SHA256, Name: p.Name, Width: p.Width, Height: p.Height,
			MediaType: p.MediaType, Widths: p.Widths, GivenOut: p.GivenOut})
		if err != nil {
			return err
		}
		r.pictures[p.Number] = kept.ID
		n.Pictures++
		return nil
	})
}

// mostWidths bounds the widths of a picture.
const mostWidths = 6

// isHash says whether a text is a SHA-256 as it is written here.
func isHash(text string) bool {
	b, err := hex.DecodeString(text)
	return err == nil && len(b) == sha256.Size && strings.ToLower(text) == text
}

// writePicture writes a picture in its widths, over nothing that is there; what it wrote is
// removed where one cannot be written.
func (r *reader) writePicture(ctx context.Context, hash string, copies map[int][]byte) error {
	written := []string{}
	undo := func(err error) error {
		for _, key := range written {
			err = errors.Join(err, r.into.Blobs.Delete(context.WithoutCancel(ctx), key))
		}
		return err
	}
	for width, b := range copies {
		key := picture.Key(hash, width)
		_, err := r.into.Blobs.Read(ctx, key)
		if err == nil {
			return undo(errors.New("other bytes lie there already"))
		}
		if !errors.Is(err, blob.ErrNotFound) {
			return undo(err)
		}
		if _, err := r.into.Blobs.Write(ctx, key, bytes.NewReader(b)); err != nil {
			return undo(err)
		}
		written = append(written, key)
	}
	return nil
}

func (r *reader) takeDocuments(ctx context.Context, n *Counted) (int, error) {
	return each(r, "documents", "*/document.json", func(d Document) error {
		id, err := r.document(ctx, d)
		if err != nil {
			if id != 0 {
				err = errors.Join(err, r.into.Library.RemoveDocument(context.WithoutCancel(ctx), id, r.into.Who))
			}
			for _, p := range d.Placements { // nothing is to name what was removed
				delete(r.placements, p.Number)
			}
			return err
		}
		n.Documents++
		n.Editions += len(d.Editions)
		n.Placements += len(d.Placements)
		r.into.Tell(d.Title)
		return nil
	})
}

// document takes one document in, with its editions and placements, or gives its number and
// why not: what was taken of it by then is removed, as an editor removes it.
func (r *reader) document(ctx context.Context, d Document) (id int64, err error) {
	if len(d.Editions) == 0 || len(d.Editions) > library.MostEditions || len(d.Placements) > placing.MostPlacements {
		return 0, errors.New("it has no editions, or too many of them or of placements")
	}
	editions := map[int]library.Edition{} // by their number there
	for _, was := range d.Editions {
		f, err := r.open(was.File)
		if err != nil {
			return id, err
		}
		var e library.Edition
		var made library.Document
		switch {
		case id == 0 && was.Opened != nil:
			made, e, err = r.into.Intake.ReceiveOpened(ctx, was.Name, f, r.into.By, *was.Opened)
			id = made.ID
		case id == 0:
			made, e, err = r.into.Intake.Receive(ctx, was.Name, f, r.into.By)
			id = made.ID
		case was.Opened != nil:
			e, err = r.into.Intake.ReplaceOpened(ctx, id, was.Name, f, r.into.By, *was.Opened)
		default:
			e, err = r.into.Intake.Replace(ctx, id, was.Name, f, r.into.By, "")
		}
		f.Close()
		if err != nil {
			return id, fmt.Errorf("edition %d: %w", was.Number, err)
		}
		if e.SHA256 != r.m.Files[was.File] {
			return id, fmt.Errorf("edition %d: %s was changed while it was read", was.Number, was.File)
		}
		if e, err = r.examined(ctx, e); err != nil {
			return id, fmt.Errorf("edition %d: %w", was.Number, err)
		}
		if len(was.Alternatives) > 0 {
			if err := r.into.Intake.SaidOfPictures(ctx, e.ID, was.Alternatives); err != nil {
				return id, err
			}
		}
		if len(was.Recognised) > 0 {
			if err := r.into.Library.KeepRecognised(ctx, e.ID, was.Recognised, was.RecognisedIn); err != nil {
				return id, err
			}
		}
		editions[was.Number] = e
	}
	now, ok := editions[d.InForce]
	if !ok {
		return id, fmt.Errorf("edition %d, which readers see, is not there", d.InForce)
	}
	if now.Number != 1 {
		same := func(page int) (int, bool) { return page, page <= now.Pages }
		if err := r.into.Placing.TurnTo(ctx, id, 1, now.Number, r.into.By, r.into.Who, same); err != nil {
			return id, err
		}
	}
	if err := r.into.Intake.Mend(ctx, id, library.Mending{Title: d.Title, Description: d.Description, Language: d.Language, WriteIn: d.WriteIn}); err != nil {
		return id, err
	}
	err = r.into.DB.In(ctx, func(tx *gorm.DB) error {
		for _, c := range d.Categories {
			c, err := library.CleanCategory(c)
			if err != nil {
				return err
			}
			if _, err := library.Categorise(tx, c, []int64{id}); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return id, err
	}
	if d.From != nil {
		if !d.From.Hours.Known() {
			return id, draft.Refused("the address is followed in a way that is not known")
		}
		if err := r.into.Intake.From(ctx, r.into.By, &id, d.From.Address, d.From.Hours, d.From.AtOnce); err != nil {
			return id, err
		}
	}
	for _, was := range d.Placements {
		p := placing.Reinstated{Key: was.Key, Name: was.Name, Record: was.Record, Start: placing.Start{Starter: was.Starter, Reason: was.Reason, Patch: was.Draft}}
		if was.StaysAt != 0 {
			p.StaysAt = editions[was.StaysAt].Number
		}
		if was.Published != nil {
			e, ok := editions[was.Published.Edition]
			if !ok {
				return id, fmt.Errorf("placement %d shows edition %d, which is not there", was.Number, was.Published.Edition)
			}
			p.Published, p.Edition, p.Pages = &was.Published.Settings, e.ID, e.Pages
		}
		made, err := r.into.Placing.Reinstate(ctx, id, p)
		if err != nil {
			return id, fmt.Errorf("placement %d: %w", was.Number, err)
		}
		if made.Key != was.Key {
			r.into.Tell(fmt.Sprintf("%s: /r/%s is taken here, so this placement is /r/%s", d.Title, was.Key, made.Key))
		}
		r.placements[was.Number] = made.ID
	}
	return id, nil
}

// examined waits until an edition has been examined.
func (r *reader) examined(ctx context.Context, e library.Edition) (library.Edition, error) {
	ctx, stop := context.WithTimeout(ctx, waitsForFile)
	defer stop()
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for e.State == library.Examining {
		select {
		case <-tick.C:
		case <-ctx.Done():
			return e, errors.New("its file was not examined in time: are the jobs worked?")
		}
		now, err := r.into.Library.Edition(ctx, e.ID)
		if err != nil {
			return e, err
		}
		e = now
	}
	if e.State == library.Failed {
		return e, errors.New(e.ProblemMessage)
	}
	return e, nil
}

func (r *reader) takeCollections(ctx context.Context, n *Counted) (int, error) {
	return each(r, "collections", "*.json", func(c Collection) error {
		for i, item := range c.Content.Items {
			c.Content.Items[i].Placement = r.placements[item.Placement]
		}
		kept := c.Content.Items[:0]
		for _, item := range c.Content.Items {
			if item.Placement != 0 {
				kept = append(kept, item)
			}
		}
		c.Content.Items = kept
		made, err := r.into.Publishing.ReinstateCollection(ctx, c.Key, c.Content)
		if err != nil {
			return err
		}
		r.collections[c.Number] = made.ID
		n.Collections++
		return nil
	})
}

func (r *reader) takePages(ctx context.Context, n *Counted) (int, error) {
	return each(r, "web-pages", "*.json", func(p WebPage) error {
		first := p.Draft
		if p.Published != nil {
			first = *p.Published
		}
		made, err := r.into.Publishing.AddWebPage(ctx, p.Path, r.moved(first), r.into.Who)
		if errors.Is(err, publishing.ErrTaken) {
			return fmt.Errorf("another page has the address %s here", address.Page(p.Path))
		}
		if err != nil {
			return err
		}
		r.pages[p.Number] = made.ID
		n.WebPages++
		if p.Published == nil {
			return nil
		}
		step, err := r.into.Publishing.WebPageDraft(ctx, made.ID)
		if err != nil {
			return err
		}
		if err := r.into.Publishing.PublishWebPage(ctx, made.ID, step.Revision, r.into.Who, webpage.Plan{}); err != nil {
			return err
		}
		return r.into.Publishing.SetWebPage(ctx, made.ID, step.Revision, r.into.Who, r.moved(p.Draft))
	})
}

// moved has the blocks of a page name what they named there by its number here; what is not
// here is none.
func (r *reader) moved(p webpage.Page) webpage.Page {
	numbers := map[webpage.Kind]map[int64]int64{webpage.Placement: r.placements, webpage.Collection: r.collections, webpage.Picture: r.pictures}
	for _, row := range p.Rows {
		for _, column := range row.Columns {
			for i, b := range column.Blocks {
				if b.Of != 0 && numbers[b.Kind] != nil {
					column.Blocks[i].Of = numbers[b.Kind][b.Of]
				}
			}
		}
	}
	return p
}

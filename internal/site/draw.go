package site

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"html/template"
	"strings"

	"incipit/internal/core/address"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/publishing"
)

// Drawn is the content of a page as HTML, and what its documents measure.
type Drawn struct {
	HTML   template.HTML
	Frames map[string]Framed // by block
	Style  template.CSS      // for the blocks that have a size
	Over   bool              // something opens over the page, by our script
}

// Framed is a document on a page.
type Framed struct {
	Style     frame.Style
	Settings  setting.Settings // its placement's, with what the page differs in
	Base      setting.Settings // its placement's
	Edition   library.Edition
	Title     string
	Published bool
	Placement int64
}

// blockView is a block in the template.
type blockView struct {
	webpage.Block
	HTML    template.HTML
	Title   string
	Src     string
	Missing string // what an editor still has to do, or what readers miss
	Over    bool   // opens over the page
	Lazy    bool
	Picture pictureView
	Height  int // CSS px, of a collection
}

type pictureView struct {
	Src, Srcset   string
	Sizes         string // how wide it stands
	Width, Height int
}

type rowView struct {
	webpage.Row
	Columns []columnView
}

type columnView struct{ Blocks []blockView }

// Draw gives a page's content. For an editor, what is missing is said, and
// documents that readers do not see yet are shown from their drafts.
func (s *Site) Draw(ctx context.Context, p webpage.Page, editing bool) (Drawn, error) {
	f, err := s.Publishing.SiteFrame(ctx)
	if err != nil {
		return Drawn{}, err
	}
	return s.draw(ctx, p, s.wording(f.Content), editing)
}

func (s *Site) draw(ctx context.Context, p webpage.Page, said wording, editing bool) (Drawn, error) {
	out := Drawn{Frames: map[string]Framed{}}
	on, err := s.standing(ctx, p)
	if err != nil {
		return out, err
	}
	rows := []rowView{}
	first := true
	for _, r := range p.Rows {
		row := rowView{Row: r}
		for at, c := range r.Columns {
			column := columnView{}
			for _, b := range c.Blocks {
				v, err := s.block(ctx, b, on, &out, editing)
				if err != nil {
					return out, err
				}
				v.Picture.Sizes = r.Split.Sizes(at)
				if b.Kind == webpage.Placement || b.Kind == webpage.Collection {
					v.Lazy = !first
					first = false
				}
				column.Blocks = append(column.Blocks, v)
			}
			row.Columns = append(row.Columns, column)
		}
		rows = append(rows, row)
	}
	var b bytes.Buffer
	if err := s.t.ExecuteTemplate(&b, "rows", map[string]any{"Rows": rows, "Editing": editing, "Said": said}); err != nil {
		return out, fmt.Errorf("draw a page: %w", err)
	}
	out.HTML = template.HTML(b.String()) //nolint:gosec // written by the template above
	var css strings.Builder
	for _, r := range p.Blocks() {
		if f, ok := out.Frames[r.ID]; ok {
			fmt.Fprintf(&css, "#b-%s .held{width:%s;width:%s;height:%s;height:%s;margin:%s;%s}", r.ID, f.Style.PlainWidth, f.Style.Width,
				f.Style.PlainHeight, f.Style.Height, f.Style.Margin, f.Style.Dress)
		}
	}
	out.Style = template.CSS(css.String()) //nolint:gosec // figures and units alone
	return out, nil
}

func (s *Site) block(ctx context.Context, b webpage.Block, on standing, out *Drawn, editing bool) (blockView, error) {
	v := blockView{Block: b}
	var err error
	switch b.Kind {
	case webpage.Text:
		v.HTML, err = Set(b.Text)
		if strings.TrimSpace(b.Text) == "" {
			v.Missing = "Nothing is written here yet."
		}
	case webpage.Link, webpage.Button:
		v.Over = address.IsReader(strings.TrimPrefix(b.Address, s.Public))
		out.Over = out.Over || v.Over
		if b.Address == "" || strings.TrimSpace(b.Text) == "" {
			v.Missing = "It needs words and an address."
		}
	case webpage.Picture:
		pictured(b, on, &v)
	case webpage.Collection:
		collected(b, on, &v)
	case webpage.Placement:
		err = s.framed(ctx, b, on, &v, out, editing)
	}
	return v, err
}

// missing says what an editor sees where nothing can be shown: nothing was chosen yet,
// or what was chosen is no more.
func missing(b webpage.Block, what string) string {
	if b.Of == 0 {
		return "Choose a " + what + "."
	}
	return "The " + what + " that stood here was removed. Choose another one, or take this away."
}

// standing is what stands on a page, as it is read at once.
type standing struct {
	shown       map[int64]placing.Shown // documents that readers see
	pictures    map[int64]publishing.Picture
	collections map[int64]publishing.Collection
}

func (s *Site) standing(ctx context.Context, p webpage.Page) (on standing, err error) {
	of := map[webpage.Kind][]int64{}
	for _, b := range p.Blocks() {
		if b.Of > 0 {
			of[b.Kind] = append(of[b.Kind], b.Of)
		}
	}
	if on.shown, err = s.Placing.ShownByID(ctx, of[webpage.Placement]...); err != nil {
		return on, err
	}
	if on.pictures, err = s.Publishing.PicturesByID(ctx, of[webpage.Picture]...); err != nil {
		return on, err
	}
	on.collections, err = s.Publishing.CollectionsByID(ctx, of[webpage.Collection]...)
	return on, err
}

func pictured(b webpage.Block, on standing, v *blockView) {
	p, there := on.pictures[b.Of]
	if !there {
		v.Missing = missing(b, "picture")
		return
	}
	var set []string
	for _, w := range p.Widths {
		set = append(set, fmt.Sprintf("%s %dw", PictureAt(p, w), w))
	}
	v.Picture = pictureView{Src: PictureAt(p, p.Widths[len(p.Widths)-1]), Srcset: strings.Join(set, ", "), Width: p.Width, Height: p.Height}
}

func collected(b webpage.Block, on standing, v *blockView) {
	c, there := on.collections[b.Of]
	if !there {
		v.Missing = missing(b, "collection")
		return
	}
	v.Title, v.Src, v.Height = c.Content.Name, address.Collection(c.Key), c.Content.Height
}

// framed sets a document: its frame is that of its placement, as readers see
// it, with what this page differs in.
func (s *Site) framed(ctx context.Context, b webpage.Block, on standing, v *blockView, out *Drawn, editing bool) error {
	var f Framed
	if k, there := on.shown[b.Of]; there {
		f = Framed{Title: k.Document.Title, Placement: b.Of, Edition: k.Edition, Base: k.Version.Settings, Published: true}
		v.Src = address.Reader(k.Placement.Key)
	} else {
		w, err := s.Placing.Whole(ctx, b.Of)
		if errors.Is(err, database.ErrNotFound) {
			v.Missing = missing(b, "document")
			return nil
		}
		if err != nil {
			return err
		}
		v.Missing = "Readers see a polite note here until this document is published on its bench."
		// What is withdrawn is not named to readers, either.
		if !editing {
			return nil
		}
		f = Framed{Title: w.Document.Title, Placement: b.Of, Edition: w.Edition}
		if f.Base, err = w.Settings(); err != nil {
			return err
		}
		v.Title, v.Src = w.Document.Title, address.Stage(b.Of)
	}
	var err error
	if f.Settings, err = b.Set.Over(f.Base); err != nil {
		return fmt.Errorf("set the size of a document: %w", err)
	}
	f.Style = frame.CSS(f.Settings, frame.PagesOf(f.Edition.AllSheets()))
	if v.Title = f.Title; f.Published && f.Base.Guarded && !editing {
		v.Title = "" // only who was invited may know it
	}
	out.Frames[b.ID] = f
	return nil
}

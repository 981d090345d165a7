package sandbox

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"

	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/core/overlay"
	"incipit/internal/pdf"
	"incipit/internal/pdf/plain"
	"incipit/internal/pdf/wire"
	"incipit/internal/pdf/xmp"
)

// What is looked for beyond the engine's own calls costs a copy of the file:
// larger ones are taken as they come.
const mostLooked = 64 << 20 // bytes of a file

// copied gives the file as the engine writes it.
func (d *document) copied() (*plain.File, error) {
	out := &capped{left: d.engine.limits.Copy}
	if _, err := d.engine.instance.FPDF_SaveAsCopy(&requests.FPDF_SaveAsCopy{Document: d.ref, FileWriter: out,
		Flags: requests.SaveFlagRemoveSecurity}); err != nil {
		if out.full {
			return nil, pdf.Problemf(pdf.TooLarge, "The file is too large to look into.")
		}
		return nil, fmt.Errorf("copy the file: %w", err)
	}
	f, err := plain.Read(out.Bytes())
	if err != nil {
		return nil, pdf.Problemf(pdf.Damaged, "The file's parts cannot be told apart.")
	}
	return f, nil
}

// contents fills in the layers of a file, the units of its pages, and what it
// says of its rights. What cannot be looked into has none of them.
func (d *document) contents(facts *pdf.Facts) {
	f := d.objects()
	if f == nil {
		return
	}
	for i, l := range f.Layers() {
		if i == pdf.MostLayers {
			break
		}
		facts.Layers = append(facts.Layers, pdf.Content{Number: i + 1, Name: pdf.Cut(l.Name, pdf.MostName), On: l.On})
	}
	facts.Units = f.Units()
	packet, err := f.Metadata()
	if err != nil {
		return
	}
	about, err := xmp.Read(packet)
	if err != nil {
		return
	}
	// What is kept twice, in the packet and outside it, counts as the packet has it
	// (ISO 32000-2, 14.3.3).
	facts.Title = cmp.Or(pdf.Cut(about.Title, pdf.MostTitle), facts.Title)
	facts.Author = cmp.Or(pdf.Cut(about.Author, pdf.MostWords), facts.Author)
	rights := about.Rights
	// An address that no browser should be sent to is words.
	a := rights.Address
	scheme, _, _ := strings.Cut(strings.ToLower(a), ":")
	switch safe := overlay.SafeAddress(a) && scheme != "mailto" && len(a) <= pdf.MostAddress; {
	case safe:
		facts.Licence = a
	case rights.Terms == "":
		rights.Terms = a
	}
	facts.Terms = pdf.Cut(rights.Terms, pdf.MostWords)
	facts.Licence = cmp.Or(facts.Licence, licence(rights.Terms))
}

// noLayers is the choice in which no layer is on.
const noLayers = "-"

// openLayered opens a file with a choice of its layers: a copy whose default
// configuration says so.
func openLayered(e *engine, ask wire.Ask) (*document, error) {
	plainAsk := ask
	plainAsk.Layers = ""
	whole, err := e.document(plainAsk)
	if err != nil {
		return nil, err
	}
	f, err := whole.copied()
	if err != nil {
		return nil, err
	}
	all := f.Layers()
	var on []plain.Ref
	for _, part := range strings.Split(ask.Layers, ".") {
		if n, err := strconv.Atoi(part); err == nil && n >= 1 && n <= len(all) {
			on = append(on, all[n-1].Ref)
		} else if ask.Layers != noLayers {
			return nil, pdf.Problemf(pdf.NoSuchPage, "There is no layer %s.", part)
		}
	}
	b, err := f.WithLayers(on)
	if err != nil {
		return nil, pdf.Problemf(pdf.Damaged, "The layers of the file cannot be switched.")
	}
	d := &document{engine: e, id: ask.ID, password: ask.Password, layers: ask.Layers, file: newRemoteFile(0, 1, e.fetch)}
	opened, err := e.instance.OpenDocument(&requests.OpenDocument{File: &b})
	if err != nil {
		return nil, pdf.Problemf(pdf.Damaged, "The layers of the file cannot be switched.")
	}
	d.ref, d.pages = opened.Document, whole.pages
	d.plain, _ = plain.Read(b)
	d.looked = true
	if err := d.openForm(); err != nil {
		d.close()
		return nil, err
	}
	return d, nil
}

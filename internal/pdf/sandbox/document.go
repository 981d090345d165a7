package sandbox

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"strconv"

	"github.com/klippa-app/go-pdfium/enums"
	pdferrors "github.com/klippa-app/go-pdfium/errors"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
	"incipit/internal/pdf/plain"
	"incipit/internal/pdf/wire"
)

const openPages = 6 // pages kept loaded for one document

// document is one open PDF.
type document struct {
	// original says that plain are the objects of the file itself, and not of a copy.
	original  bool
	engine    *engine
	id        string
	password  string
	layers    string          // the choice it was opened with
	units     map[int]float64 // UserUnit of pages, as far as told
	file      *remoteFile
	ref       references.FPDF_DOCUMENT
	form      *references.FPDF_FORMHANDLE
	pages     int
	encrypted bool
	loaded    []loadedPage
	header    int64           // bytes before the header that the engine passes over itself
	plain     *plain.File     // its objects, where they can be read; see objects
	looked    bool            // for them
	off       map[string]bool // layers that are switched off, by name; see hiding
}

type loadedPage struct {
	number int
	ref    references.FPDF_PAGE
}

// nearStart is where in a file an engine looks for its header, in bytes.
const nearStart = 1000

func openDocument(e *engine, ask wire.Ask) (*document, error) {
	d := &document{engine: e, id: ask.ID, password: ask.Password, file: newRemoteFile(ask.Size, e.limits.Blocks, e.fetch)}
	head := make([]byte, pdf.HeadLength)
	n, err := io.ReadFull(d.file, head)
	if d.file.failed != nil {
		return nil, fmt.Errorf("%w: %w", errSource, err)
	}
	if err := pdf.CheckHead(head[:n]); err != nil {
		return nil, err
	}
	if at := pdf.HeaderAt(head[:n]); at > nearStart { // nearer ones the engine finds itself
		d.file.skip = int64(at)
	} else {
		d.header = int64(max(at, 0))
	}
	request := &requests.OpenDocument{FileReader: d.file, FileReaderSize: ask.Size - d.file.skip}
	if ask.Password != "" {
		request.Password = &ask.Password
	}
	opened, err := e.instance.OpenDocument(request)
	if err != nil {
		return nil, d.openProblem(err, ask.Password != "")
	}
	d.ref = opened.Document
	count, err := e.instance.FPDF_GetPageCount(&requests.FPDF_GetPageCount{Document: d.ref})
	if err != nil {
		d.close()
		return nil, fmt.Errorf("count pages: %w", err)
	}
	d.pages = count.PageCount
	switch {
	case d.pages < 1:
		d.close()
		return nil, pdf.Problemf(pdf.Damaged, "The file has no pages that can be read.")
	case d.pages > e.limits.MaxPages:
		d.close()
		return nil, pdf.Problemf(pdf.TooManyPages, "The file has %d pages; at most %d can be set on a web page.", d.pages, e.limits.MaxPages)
	}
	if rev, err := e.instance.FPDF_GetSecurityHandlerRevision(&requests.FPDF_GetSecurityHandlerRevision{Document: d.ref}); err == nil {
		d.encrypted = rev.SecurityHandlerRevision > 0
	}
	if err := d.openForm(); err != nil {
		d.close()
		return nil, err
	}
	return d, nil
}

func (d *document) openProblem(err error, withPassword bool) error {
	switch {
	case d.file.failed != nil:
		return fmt.Errorf("%w: %w", errSource, d.file.failed)
	case errors.Is(err, pdferrors.ErrPassword) && withPassword:
		return pdf.Problemf(pdf.NeedsPassword, "The password does not open this file.")
	case errors.Is(err, pdferrors.ErrPassword):
		return pdf.Problemf(pdf.NeedsPassword, "The file asks for a password before it opens.")
	case errors.Is(err, pdferrors.ErrSecurity):
		return pdf.Problemf(pdf.Damaged, "The file is protected in a way that cannot be read.")
	}
	return pdf.Problemf(pdf.Damaged, "The file begins like a PDF but cannot be read; it may be cut short or damaged.")
}

// close gives back what the document holds. Its errors cannot matter: the
// document is not used again.
func (d *document) close() {
	for _, p := range d.loaded {
		_, _ = d.engine.instance.FPDF_ClosePage(&requests.FPDF_ClosePage{Page: p.ref})
	}
	d.loaded = nil
	if d.form != nil {
		_, _ = d.engine.instance.FPDFDOC_ExitFormFillEnvironment(&requests.FPDFDOC_ExitFormFillEnvironment{FormHandle: *d.form})
	}
	_, _ = d.engine.instance.FPDF_CloseDocument(&requests.FPDF_CloseDocument{Document: d.ref})
}

// page loads a page, or gives the loaded one; the pages used last stay loaded.
func (d *document) page(number int) (requests.Page, error) {
	if number < 1 || number > d.pages {
		return requests.Page{}, pdf.Problemf(pdf.NoSuchPage, "There is no page %d; the document has %d.", number, d.pages)
	}
	for i, p := range d.loaded {
		if p.number == number {
			d.loaded = append(append(d.loaded[:i:i], d.loaded[i+1:]...), p)
			return requests.Page{ByReference: &p.ref}, nil
		}
	}
	if len(d.loaded) >= openPages {
		_, _ = d.engine.instance.FPDF_ClosePage(&requests.FPDF_ClosePage{Page: d.loaded[0].ref})
		d.loaded = d.loaded[1:]
	}
	loaded, err := d.engine.instance.FPDF_LoadPage(&requests.FPDF_LoadPage{Document: d.ref, Index: number - 1})
	if err != nil {
		if d.file.failed != nil {
			return requests.Page{}, fmt.Errorf("%w: %w", errSource, d.file.failed)
		}
		return requests.Page{}, pdf.Problemf(pdf.Damaged, "Page %d cannot be read.", number)
	}
	if d.form != nil {
		_, _ = d.engine.instance.FORM_OnAfterLoadPage(&requests.FORM_OnAfterLoadPage{
			Page: requests.Page{ByReference: &loaded.Page}, FormHandle: *d.form})
	}
	d.loaded = append(d.loaded, loadedPage{number, loaded.Page})
	ref := loaded.Page
	return requests.Page{ByReference: &ref}, nil
}

// boxOf gives the visible box and rotation of a page by its number, with its
// unit.
func (d *document) boxOf(page requests.Page, number int) (sheet.Crop, int, error) {
	crop, rotation, err := d.box(page)
	crop.Unit = d.units[number]
	return crop, rotation, err
}

// box gives the visible box and rotation of a page.
func (d *document) box(page requests.Page) (sheet.Crop, int, error) {
	b, err := d.engine.instance.FPDF_GetPageBoundingBox(&requests.FPDF_GetPageBoundingBox{Page: page})
	if err != nil {
		return sheet.Crop{}, 0, fmt.Errorf("read the page's box: %w", err)
	}
	r, err := d.engine.instance.FPDFPage_GetRotation(&requests.FPDFPage_GetRotation{Page: page})
	if err != nil {
		return sheet.Crop{}, 0, fmt.Errorf("read the page's rotation: %w", err)
	}
	crop := sheet.Crop{Left: float64(b.Rect.Left), Bottom: float64(b.Rect.Bottom), Right: float64(b.Rect.Right), Top: float64(b.Rect.Top)}
	if crop.Bottom > crop.Top {
		crop.Bottom, crop.Top = crop.Top, crop.Bottom
	}
	return crop, 90 * int(r.PageRotation), nil
}

func (d *document) cover() (pdf.Cover, error) {
	first, err := d.sheet(1) // asked of the engine: an upload does not wait for all pages
	if err != nil {
		return pdf.Cover{}, err
	}
	return pdf.Cover{Pages: d.pages, First: first, Encrypted: d.encrypted}, nil
}

// unreadable gives the sheet of a page whose content cannot be read: its place
// and number are kept, in its own size if that much can be told, so that the
// rest of the document can be shown.
func (d *document) unreadable(number int, label string) sheet.Sheet {
	s := sheet.Sheet{Width: 595.28, Height: 841.89, Label: label}
	size, err := d.engine.instance.FPDF_GetPageSizeByIndexF(&requests.FPDF_GetPageSizeByIndexF{Document: d.ref, Index: number - 1})
	if err == nil && size.Size.Width >= sheet.MinSide && size.Size.Height >= sheet.MinSide {
		s = sheet.New(sheet.Crop{Right: float64(size.Size.Width), Top: float64(size.Size.Height)}, 0, label)
	}
	return s
}

func (d *document) sheets(from, to int) ([]sheet.Sheet, error) {
	if from < 1 || to > d.pages || from > to {
		return nil, pdf.Problemf(pdf.NoSuchPage, "There are no pages %d to %d; the document has %d.", from, to, d.pages)
	}
	if f := d.objects(); f != nil {
		return d.described(f.Pages()[from-1:to], from), nil
	}
	if d.file.failed != nil {
		return nil, d.file.failed
	}
	out := make([]sheet.Sheet, 0, to-from+1)
	for n := from; n <= min(to, from+loadedAtOnce-1); n++ {
		s, err := d.sheet(n)
		if err != nil {
			return nil, err
		}
		out = append(out, s)
	}
	return out, nil
}

// loadedAtOnce is how many pages are loaded for one request, at most: dense ones
// take a tenth of a second each.
const loadedAtOnce = 50

// sheet loads a page to see its size.
func (d *document) sheet(n int) (sheet.Sheet, error) {
	label := strconv.Itoa(n)
	if l, err := d.engine.instance.FPDF_GetPageLabel(&requests.FPDF_GetPageLabel{Document: d.ref, Page: n - 1}); err == nil && l.Label != "" {
		label = cmp.Or(pdf.Cut(l.Label, pdf.MostLabel), label)
	}
	page, err := d.page(n)
	if pdf.KindOf(err) == pdf.Damaged {
		return d.unreadable(n, label), nil
	}
	if err != nil {
		return sheet.Sheet{}, err
	}
	crop, rotation, err := d.boxOf(page, n)
	if err != nil {
		return sheet.Sheet{}, err
	}
	return sheet.New(crop, rotation, label), nil
}

func (d *document) facts() (pdf.Facts, error) {
	in := d.engine.instance
	meta := func(tag string) string {
		m, err := in.FPDF_GetMetaText(&requests.FPDF_GetMetaText{Document: d.ref, Tag: tag})
		if err != nil {
			return ""
		}
		return m.Value
	}
	f := pdf.Facts{
		Title: pdf.Cut(meta("Title"), pdf.MostTitle), Author: pdf.Cut(meta("Author"), pdf.MostWords), Encrypted: d.encrypted,
		Permissions: pdf.Permissions{Print: true, Copy: true},
		Form:        d.form != nil,
		Outline:     []pdf.Heading{}, Fields: []pdf.Field{},
	}
	f.Subject, f.Keywords = pdf.Cut(meta("Subject"), pdf.MostWords), pdf.Cut(meta("Keywords"), pdf.MostWords)
	f.Created, f.Changed = dated(pdf.Cut(meta("CreationDate"), pdf.MostLabel)), dated(pdf.Cut(meta("ModDate"), pdf.MostLabel))
	f.Licence = licence(f.Keywords, f.Subject)
	f.Attached = d.attached()
	d.contents(&f)
	if p, err := in.FPDF_GetDocPermissions(&requests.FPDF_GetDocPermissions{Document: d.ref}); err == nil && d.encrypted {
		f.Permissions = pdf.Permissions{Print: p.PrintDocument, Copy: p.CopyOrExtractText}
	}
	if t, err := in.FPDFCatalog_IsTagged(&requests.FPDFCatalog_IsTagged{Document: d.ref}); err == nil {
		f.Tagged = t.IsTagged
	}
	if l, err := in.FPDFCatalog_GetLanguage(&requests.FPDFCatalog_GetLanguage{Document: d.ref}); err == nil {
		f.Language = pdf.Cut(l.Language, pdf.MostLanguage)
	}
	if objects := d.objects(); objects != nil {
		f.Outline, f.Opening = d.outlined(objects), d.opening(objects)
	} else {
		d.headings(nil, 1, &f.Outline)
	}
	return f, nil
}

// headings walks the outline, bounded in number and depth since a damaged one
// can run in circles.
func (d *document) headings(parent *references.FPDF_BOOKMARK, level int, out *[]pdf.Heading) {
	in := d.engine.instance
	first, err := in.FPDFBookmark_GetFirstChild(&requests.FPDFBookmark_GetFirstChild{Document: d.ref, Bookmark: parent})
	if err != nil || level > pdf.MostDepth {
		return
	}
	for at := first.Bookmark; at != nil && len(*out) < pdf.MostHeadings; {
		h := pdf.Heading{Level: level}
		if t, err := in.FPDFBookmark_GetTitle(&requests.FPDFBookmark_GetTitle{Bookmark: *at}); err == nil {
			h.Title = pdf.Cut(t.Title, pdf.MostTitle)
		}
		if dest, err := in.FPDFBookmark_GetDest(&requests.FPDFBookmark_GetDest{Document: d.ref, Bookmark: *at}); err == nil && dest.Dest != nil {
			h.Page = d.destPage(*dest.Dest)
		} else if act, err := in.FPDFBookmark_GetAction(&requests.FPDFBookmark_GetAction{Bookmark: *at}); err == nil && act.Action != nil {
			if dest, err := in.FPDFAction_GetDest(&requests.FPDFAction_GetDest{Document: d.ref, Action: *act.Action}); err == nil &&
				dest.Dest != nil {
				h.Page = d.destPage(*dest.Dest)
			}
		}
		*out = append(*out, h)
		d.headings(at, level+1, out)
		next, err := in.FPDFBookmark_GetNextSibling(&requests.FPDFBookmark_GetNextSibling{Document: d.ref, Bookmark: *at})
		if err != nil {
			return
		}
		at = next.Bookmark
	}
}

// destPage gives the page a destination leads to, counted from 1, or 0.
func (d *document) destPage(dest references.FPDF_DEST) int {
	i, err := d.engine.instance.FPDFDest_GetDestPageIndex(&requests.FPDFDest_GetDestPageIndex{Document: d.ref, Dest: dest})
	if err != nil || i.Index < 0 || i.Index >= d.pages {
		return 0
	}
	return i.Index + 1
}

var fieldTypes = map[enums.FPDF_FORMFIELD_TYPE]string{
	enums.FPDF_FORMFIELD_TYPE_PUSHBUTTON:  "button",
	enums.FPDF_FORMFIELD_TYPE_CHECKBOX:    "check",
	enums.FPDF_FORMFIELD_TYPE_RADIOBUTTON: "radio",
	enums.FPDF_FORMFIELD_TYPE_COMBOBOX:    "choice",
	enums.FPDF_FORMFIELD_TYPE_LISTBOX:     "list",
	enums.FPDF_FORMFIELD_TYPE_TEXTFIELD:   "text",
	enums.FPDF_FORMFIELD_TYPE_SIGNATURE:   "signature",
}

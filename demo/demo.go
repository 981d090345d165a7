// Package demo is the demo scenario: the made-up Harrowmere Bird Observatory,
// its documents, and an editor who looks after its website.
package demo

import (
	"bytes"
	"context"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"fmt"

	"incipit/internal/app"
	"incipit/internal/people"
)

//go:embed pdf/*.pdf
var files embed.FS

// The demo's editor.
const (
	Email    = "maren@harrowmere.example"
	Password = "wigeon-on-the-scrape"
	editor   = "Maren Oakes"
)

// Documents are the demo's PDFs: file name to title, in the order they are
// added.
func Documents() []Document {
	return []Document{
		{"logbook-1953.pdf", "Warden’s logbook, spring 1953"},
		{"leaflet-welcome.pdf", "Welcome leaflet in four languages"},
		{"spring-notes.pdf", "Spring notes in Japanese, set vertically"},
		{"survey-paper.pdf", "Survey paper: Where the Knot went"},
		{"annual-report.pdf", "Annual report 2025"},
		{"survey-form.pdf", "Wader count form"},
		{"trail-map.pdf", "Trail map"},
		{"volunteer-handbook.pdf", "Volunteer handbook"},
		{"tide-table.pdf", "Tide and hide access table"},
	}
}

// Document is one of the demo's PDFs.
type Document struct{ File, Title string }

// PDF gives the bytes of a demo document.
func PDF(name string) ([]byte, error) { return files.ReadFile("pdf/" + name) }

// Offered is what the other website offers to be fetched, by name; what a file becomes is
// called next.
func Offered() (map[string][]byte, error) {
	kept := map[string][]byte{}
	for name, of := range map[string]string{"tide-tables.pdf": "tide-table.pdf", "welcome.pdf": "leaflet-welcome.pdf", "welcome.pdf.next": "spring-notes.pdf"} {
		b, err := PDF(of)
		if err != nil {
			return nil, fmt.Errorf("read what the website offers: %w", err)
		}
		kept[name] = b
	}
	return kept, nil
}

// Seed fills an empty database with the demo's documents and its editor. The
// editor comes last: a seeding that was cut off is taken up again. say is told
// each step.
func Seed(ctx context.Context, a *app.App, say func(string)) error {
	done, err := a.People.HasAccounts(ctx)
	if err != nil || done {
		return err
	}
	for i, d := range Documents() {
		say(fmt.Sprintf("Document %d of %d: %s", i+1, len(Documents()), d.Title))
		if err := Add(ctx, a, d); err != nil {
			return err
		}
	}
	if err := Waiting(ctx, a); err != nil {
		return err
	}
	hash, err := people.Hash(Password)
	if err != nil {
		return err
	}
	return a.People.AddAccount(ctx, &people.Account{Email: Email, Name: editor, PasswordHash: hash, Owner: true})
}

// Waiting adds a corrected edition of the annual report, for its editor to look at: a page
// is gone, and a number is another one.
func Waiting(ctx context.Context, a *app.App) error {
	const title, file = "Annual report 2025", "annual-report-2.pdf"
	all, err := a.Library.Documents(ctx, title)
	if err != nil {
		return fmt.Errorf("find %s: %w", title, err)
	}
	content, err := PDF(file)
	if err != nil {
		return fmt.Errorf("open %s: %w", file, err)
	}
	for _, d := range all {
		if d.Title != title || d.Newest > d.Edition {
			continue
		}
		if _, err := a.Intake.Replace(ctx, d.ID, file, bytes.NewReader(content), 0, ""); err != nil {
			return fmt.Errorf("add %s: %w", file, err)
		}
	}
	return nil
}

// Add adds one demo document, unless its content is there already.
func Add(ctx context.Context, a *app.App, d Document) error {
	content, err := PDF(d.File)
	if err != nil {
		return fmt.Errorf("open %s: %w", d.File, err)
	}
	hash := sha256.Sum256(content)
	if there, err := a.Library.OwnsPages(ctx, hex.EncodeToString(hash[:])); err != nil || there {
		return err
	}
	added, _, err := a.Intake.Receive(ctx, d.File, bytes.NewReader(content), 0)
	if err != nil {
		return fmt.Errorf("add %s: %w", d.File, err)
	}
	return a.Library.Retitle(ctx, added.ID, d.Title)
}

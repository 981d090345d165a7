package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/report"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/paper"
)

const german = "Die Marsch ist von Sonnenaufgang bis Sonnenuntergang offen. Bitte bleiben Sie auf den Wegen: Der Schlick ist tief, und die Flut kommt schneller, als ein Mensch gehen kann. Die Hütten im Norden stehen bei Springflut unter Wasser; fragen Sie am Empfang, wann der Weg gesperrt wird."

// Each file of a corpus has one fault, and it is found; its sound twins have none.
func TestReport(t *testing.T) {
	if testing.Short() {
		t.Skip("it starts the program two dozen times")
	}
	dir := t.TempDir()
	reported := func(name string, b []byte) report.Report {
		t.Helper()
		file := filepath.Join(dir, name+".pdf")
		require.NoError(t, os.WriteFile(file, b, 0o600))
		out, errs, code := shell(t, "report", "--json", file)
		require.Zero(t, code, errs)
		var got report.Report
		require.NoError(t, json.Unmarshal([]byte(out), &got))
		return got
	}
	for name, c := range map[string]struct {
		change func(*paper.Tagged)
		want   string // kinds and pages
	}{
		"sound":                      {nil, ""},
		"sound-with-roles":           {func(d *paper.Tagged) { d.Roles = true }, ""},
		"sound-replaced":             {func(d *paper.Tagged) { d.Replaced = true }, ""},
		"sound-language-at-the-top":  {func(d *paper.Tagged) { d.Top = true }, ""},
		"sound-blank-page":           {func(d *paper.Tagged) { d.Blank = true }, ""},
		"sound-region":               {func(d *paper.Tagged) { d.Language = "en-GB" }, ""},
		"sound-german":               {func(d *paper.Tagged) { d.Language, d.Text = "de", german }, ""},
		"sound-hidden-fields":        {func(d *paper.Tagged) { d.Hidden, d.Fields = true, []string{"", ""} }, ""},
		"no-title":                   {func(d *paper.Tagged) { d.Title = "" }, "no-title 0"},
		"title-of-a-file":            {func(d *paper.Tagged) { d.Title = "scan0043.pdf" }, "no-title 0"},
		"title-is-its-name":          {func(d *paper.Tagged) { d.Title = "title-is-its-name" }, "no-title 0"},
		"no-language":                {func(d *paper.Tagged) { d.Language = "" }, "no-language 0"},
		"no-tag":                     {func(d *paper.Tagged) { d.Language = "English" }, "wrong-language 0"},
		"wrong-language":             {func(d *paper.Tagged) { d.Text = german }, "wrong-language 0"},
		"not-tagged":                 {func(d *paper.Tagged) { d.Untagged = true }, "not-tagged 0"},
		"page-without-text":          {func(d *paper.Tagged) { d.Scan = true }, "page-without-text 2"},
		"heading-skips":              {func(d *paper.Tagged) { d.Headings = []int{1, 2, 4, 2} }, "heading-skips 1"},
		"heading-skips-first":        {func(d *paper.Tagged) { d.Headings = []int{2, 2} }, "heading-skips 1"},
		"heading-skips-roles":        {func(d *paper.Tagged) { d.Headings, d.Roles = []int{1, 3}, true }, "heading-skips 1"},
		"figure-without-alternative": {func(d *paper.Tagged) { d.Figures = append(d.Figures, "") }, "figure-without-alternative 1"},
		"table-without-headers":      {func(d *paper.Tagged) { d.NoHeads = true }, "table-without-headers 1"},
		"field-without-name":         {func(d *paper.Tagged) { d.Fields[1] = "" }, "field-without-name 1"},
		"font-without-unicode": {func(d *paper.Tagged) { d.Codes, d.Blank = true, true },
			"font-without-unicode 1"},
	} {
		d := paper.Sound()
		if c.change != nil {
			c.change(&d)
		}
		b := d.PDF()
		got := reported(name, b)
		var found []string
		for _, f := range got.Findings {
			found = append(found, fmt.Sprint(f.Kind, " ", f.Page))
			assert.NotEmpty(t, f.Sentence)
			assert.NotEmpty(t, f.Clause)
			assert.NotContains(t, f.Sentence, "%!")
		}
		assert.Equal(t, c.want, strings.Join(found, ", "), "%s: %v", name, got.Findings)
		agrees(t, filepath.Join(dir, name+".pdf"), d)
	}
	got := reported("guess", paper.Tagged{Title: "Wattvögel zählen", Text: german, Language: "en"}.PDF())
	assert.Equal(t, "en", got.Language)
	assert.Equal(t, "de", got.Guess)
	assert.Contains(t, fmt.Sprint(got.Findings), "looks like German")

	out, _, code := shell(t, "report", filepath.Join(dir, "no-title.pdf"))
	require.Zero(t, code)
	assert.Equal(t, "document: The file has no title: windows, lists and search engines show the name of the file instead. [PDF/UA-1 7.1; WCAG 2.2 2.4.2]\n", out)
	file := filepath.Join(dir, "locked.pdf")
	require.NoError(t, os.WriteFile(file, hostile.Locked(), 0o600))
	_, errs, code := shell(t, "report", file, "--json")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, `{"error":`)
}

// agrees sets what the file is made of against what another reader says of it.
func agrees(t *testing.T, file string, d paper.Tagged) {
	t.Helper()
	other, err := exec.LookPath("pdfinfo")
	if err != nil {
		t.Log("pdfinfo is missing: apt-get install poppler-utils")
		return
	}
	out, err := exec.Command(other, "-struct", file).Output()
	require.NoError(t, err)
	headings := regexp.MustCompile(`(?m)^ *H[1-6]\b`).FindAllString(string(out), -1)
	figures := regexp.MustCompile(`(?m)^ *Figure\b`).FindAllString(string(out), -1)
	if d.Untagged {
		assert.Empty(t, headings, file)
		return
	}
	assert.Len(t, headings, len(d.Headings), "%s: %s", file, out)
	assert.Len(t, figures, len(d.Figures), file)
}

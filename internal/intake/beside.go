package intake

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"strings"

	"incipit/internal/core/compare"
	"incipit/internal/pdf"
)

// mostAttachedBytes is how much of the files inside a file is read to be compared; of what
// is beyond, name and size are.
const mostAttachedBytes = 64 << 20

// ToCompareBeside reads what a file has beside its pages, for compare.DifferBeside.
func ToCompareBeside(ctx context.Context, engine pdf.Engine, src pdf.Source) (compare.Beside, error) {
	b, err := engine.Beside(ctx, src)
	switch {
	case costs(err) || pdf.KindOf(err) != "":
		b = compare.Beside{Unread: true}
	case err != nil:
		return b, fmt.Errorf("read what is beside the pages: %w", err)
	}
	f, err := engine.Facts(ctx, src)
	if costs(err) || pdf.KindOf(err) != "" {
		b.Unread = true
		return b, nil
	}
	if err != nil {
		return b, fmt.Errorf("read what the file says of itself: %w", err)
	}
	left := int64(mostAttachedBytes)
	for _, a := range f.Attached {
		sum := fmt.Sprintf("%d bytes", a.Bytes)
		if left -= max(a.Bytes, 0); left >= 0 {
			content, err := engine.Attachment(ctx, src, a.Number)
			switch {
			case costs(err) || pdf.KindOf(err) != "":
				b.Unread = true
			case err != nil:
				return b, fmt.Errorf("read %q inside the file: %w", a.Name, err)
			default:
				left -= max(int64(len(content))-max(a.Bytes, 0), 0) // a file says less than it has
				h := sha256.Sum256(content)
				sum += ", SHA-256 " + hex.EncodeToString(h[:8])
			}
		}
		b.Files = append(b.Files, compare.Fact{Name: a.Name, Value: sum})
	}
	for _, l := range f.Layers {
		b.Layers = append(b.Layers, compare.Fact{Name: l.Name, Value: map[bool]string{true: "on", false: "off"}[l.On]})
	}
	b.Facts = facts(f)
	return b, nil
}

// facts are what a file says of itself and readers, or those that keep it, go by. When it
// was made and changed is not among them: that is another one each time.
func facts(f pdf.Facts) (out []compare.Fact) {
	say := func(name, value string) {
		if value != "" {
			out = append(out, compare.Fact{Name: name, Value: value})
		}
	}
	is := func(name string, so bool) {
		if so {
			say(name, "yes")
		}
	}
	say("title", f.Title)
	say("author", f.Author)
	say("subject", f.Subject)
	say("keywords", f.Keywords)
	say("language", f.Language)
	say("licence", f.Licence)
	say("terms", f.Terms)
	is("encrypted", f.Encrypted)
	is("no-printing", !f.Permissions.Print)
	is("no-copying", !f.Permissions.Copy)
	is("tagged", f.Tagged)
	var contents strings.Builder
	for _, h := range f.Outline {
		fmt.Fprintf(&contents, "%s%s\n", strings.Repeat(" ", h.Level), h.Title)
	}
	if contents.Len() > 0 {
		h := sha256.Sum256([]byte(contents.String()))
		say("contents", fmt.Sprintf("%d entries, SHA-256 %s", len(f.Outline), hex.EncodeToString(h[:8])))
	}
	return out
}

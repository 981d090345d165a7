package xmp_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/pdf/xmp"
)

// packet wraps properties as tools write them.
func packet(attributes, properties string) string {
	return "<?xpacket begin=\"\ufeff\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>\n" +
		`<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">` +
		`<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:xmpRights="` + xmp.Management +
		`" xmlns:cc="http://creativecommons.org/ns#" ` + attributes + `>` + properties +
		`</rdf:Description></rdf:RDF>` + strings.Repeat(" ", 200) + "\n<?xpacket end=\"w\"?>"
}

func TestRead(t *testing.T) {
	const by = "https://creativecommons.org/licenses/by/4.0/"
	for _, c := range []struct {
		name, packet string
		want         xmp.Rights
	}{
		{"nothing is said", packet("", "<dc:format>application/pdf</dc:format>"), xmp.Rights{}},
		{"as an element", packet("", "<xmpRights:WebStatement> "+by+"\n</xmpRights:WebStatement>"), xmp.Rights{Address: by}},
		{"as an attribute", packet(`xmpRights:WebStatement="`+by+`"`, ""), xmp.Rights{Address: by}},
		{"as a resource", packet("", `<cc:license rdf:resource="`+by+`"/>`), xmp.Rights{Address: by}},
		{"a licence before a statement", packet(`xmpRights:WebStatement="https://harrowmere.example/rights"`, `<cc:license rdf:resource="`+by+
			`"/>`), xmp.Rights{Address: by}},
		{"terms for every language", packet("", `<dc:rights><rdf:Alt><rdf:li xml:lang="de">Alle Rechte vorbehalten</rdf:li><rdf:li xml:lang="x-default">All rights
			reserved</rdf:li></rdf:Alt></dc:rights>`), xmp.Rights{Terms: "All rights reserved"}},
		{"terms in the first language", packet("", `<dc:rights><rdf:Alt><rdf:li xml:lang="de">Alle Rechte vorbehalten</rdf:li><rdf:li xml:lang="pl">Wszelkie prawa</rdf:li></rdf:Alt></dc:rights>`), xmp.Rights{Terms: "Alle Rechte vorbehalten"}},
		{"terms of use before rights", packet("", `<dc:rights><rdf:Alt><rdf:li xml:lang="x-default">© Harrowmere</rdf:li></rdf:Alt></dc:rights><xmpRights:UsageTerms><rdf:Alt><rdf:li xml:lang="x-default">Free to copy &amp; share</rdf:li></rdf:Alt></xmpRights:UsageTerms>`), xmp.Rights{Terms: "Free to copy & share"}},
		{"another namespace of that name", packet(`xmlns:o="https://harrowmere.example/ns"`,
			"<o:license>none of ours</o:license><o:rights>none</o:rights>"), xmp.Rights{}},
		{"no packet at all", "", xmp.Rights{}},
	} {
		got, err := xmp.Read([]byte(c.packet))
		require.NoError(t, err, c.name)
		assert.Equal(t, c.want, got.Rights, c.name)
	}
	got, err := xmp.Read([]byte(packet("", `<dc:title><rdf:Alt><rdf:li xml:lang="de">Gezeiten</rdf:li><rdf:li xml:lang="x-default">Tides</rdf:li></rdf:Alt></dc:title><dc:creator><rdf:Seq><rdf:li>Maren Oakes</rdf:li><rdf:li>Ines Calloway</rdf:li></rdf:Seq></dc:creator>`)))
	require.NoError(t, err)
	assert.Equal(t, xmp.About{Title: "Tides", Author: "Maren Oakes"}, got)
	for name, broken := range map[string]string{
		"cut off":       packet("", "<dc:rights>")[:400],
		"an entity":     `<!DOCTYPE x [<!ENTITY a "aaaa">]><x>&a;</x>`,
		"without end":   strings.Repeat("<a>", 10_000),
		"not of markup": "<<<",
	} {
		_, err := xmp.Read([]byte(broken))
		assert.Error(t, err, name)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(packet("", `<dc:rights><rdf:Alt><rdf:li xml:lang="de">a</rdf:li></rdf:Alt></dc:rights>`)))
	f.Fuzz(func(_ *testing.T, b []byte) { _, _ = xmp.Read(b) })
}

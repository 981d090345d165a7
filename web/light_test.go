package web_test

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/web"
)

// What the reader's scripts and style may weigh, gzipped: those that every reader
// loads, a part that comes when it is used, and all together.
const (
	mostAtStart     = 20 << 10
	mostOfAPart     = 3 << 10
	mostOfTheReader = 40 << 10
)

// later are the parts that come with the tool that needs them.
var later = map[string]bool{}

func init() {
	for _, name := range strings.Fields("address.js aloud.js contents.js dim.js find.js framed.js images.js note.js keys.js native.js lock.js overview.js panels.js paper.css pointer.js print.js take.js text.css text.js tiles.js") {
		later["reader/"+name] = true
	}
}

// mostOnPage is what the script for other people's pages may weigh, gzipped.
const mostOnPage = 7 * 1024

func TestTheScriptForPagesIsLight(t *testing.T) {
	files, err := web.Load()
	require.NoError(t, err)
	b, err := files.Served("onpage/onpage.js")
	require.NoError(t, err)
	n := squeezed(t, b)
	t.Logf("onpage.js %d bytes gzipped", n)
	assert.Greater(t, n, 1000)
	assert.LessOrEqual(t, n, mostOnPage)
}

func TestTheReaderIsLight(t *testing.T) {
	files, err := web.Load()
	require.NoError(t, err)
	total, start := 0, 0
	for _, name := range files.Names("reader/") {
		w := httptest.NewRecorder()
		files.ServeHTTP(w, httptest.NewRequest("GET", files.Address(name), nil))
		require.Equal(t, 200, w.Code, name)
		n := squeezed(t, w.Body.Bytes())
		t.Logf("%-24s %6d bytes gzipped", name, n)
		total += n
		if later[name] {
			assert.LessOrEqual(t, n, mostOfAPart, name)
		} else {
			start += n
		}
	}
	t.Logf("%-24s %6d bytes gzipped", "at start", start)
	assert.LessOrEqual(t, start, mostAtStart)
	t.Logf("%-24s %6d bytes gzipped", "all", total)
	assert.Greater(t, total, 5_000)
	assert.LessOrEqual(t, total, mostOfTheReader)
}

func squeezed(t *testing.T, b []byte) int {
	t.Helper()
	var out bytes.Buffer
	z := gzip.NewWriter(&out)
	_, err := z.Write(b)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return out.Len()
}

// What is served means what was written: no script loses an import, no style a
// rule.
func TestLightFilesKeepTheirParts(t *testing.T) {
	files, err := web.Load()
	require.NoError(t, err)
	for _, name := range files.Names("reader/") {
		written, err := fs.ReadFile(web.Written(), name)
		require.NoError(t, err)
		w := httptest.NewRecorder()
		files.ServeHTTP(w, httptest.NewRequest("GET", files.Address(name), nil))
		for _, part := range []string{"export", "import", "fetch(", "@font-face", "@media"} {
			assert.Equal(t, strings.Count(uncommented(string(written)), part), strings.Count(w.Body.String(), part), "%s in %s", part, name)
		}
	}
}

// A family of fonts whose name begins like a generic one would lose its
// quotation marks and, with them, the whole declaration.
func TestFamiliesKeepTheirMeaning(t *testing.T) {
	files, err := web.Load()
	require.NoError(t, err)
	for _, name := range []string{"reader/reader.css", "reader/fonts.css"} {
		b, err := files.Served(name)
		require.NoError(t, err)
		for _, generic := range []string{"serif", "sans-serif", "monospace", "system-ui"} {
			assert.NotRegexp(t, generic+` [A-Za-z]`, string(b))
		}
		assert.Equal(t, name == "reader/fonts.css", strings.Contains(string(b), "Literata"),
			"fonts are named where they come, so that no device looks for them")
	}
}

// uncommented drops comments that take whole lines.
func uncommented(text string) string {
	var out []string
	block := false
	for _, line := range strings.Split(text, "\n") {
		l := strings.TrimSpace(line)
		switch {
		case strings.HasPrefix(l, "/*") && !strings.Contains(l, "*/"):
			block = true
		case block:
			block = !strings.Contains(l, "*/")
		case !strings.HasPrefix(l, "//") && !strings.HasPrefix(l, "/*"):
			out = append(out, line)
		}
	}
	return strings.Join(out, "\n")
}

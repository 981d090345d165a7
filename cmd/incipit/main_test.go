package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

// asProgram makes the test binary be the program.
const asProgram = "INCIPIT_TEST_AS_PROGRAM"

func TestMain(m *testing.M) {
	if os.Getenv(asProgram) != "" {
		main()
		return
	}
	testkit.Main(m)
}

// program gives a command that runs the program.
func program(t testing.TB, args ...string) *exec.Cmd {
	t.Helper()
	self, err := os.Executable()
	require.NoError(t, err)
	cmd := exec.Command(self, args...)
	cmd.Env = append(os.Environ(), asProgram+"=1")
	return cmd
}

// shell runs the program to its end.
func shell(t *testing.T, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	cmd := program(t, args...)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	begun := time.Now()
	err := cmd.Run()
	assert.Less(t, time.Since(begun), 30*time.Second)
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return out.String(), errs.String(), exit.ExitCode()
	}
	require.NoError(t, err)
	return out.String(), errs.String(), 0
}

func demoPDF(name string) string { return filepath.Join("..", "..", "demo", "pdf", name) }

func TestInspectJSON(t *testing.T) {
	out, _, code := shell(t, "inspect", demoPDF("survey-form.pdf"), "--json")
	require.Zero(t, code)
	var got map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	for _, key := range []string{"pages", "sheets", "outline", "title", "language", "encrypted", "permissions", "tagged", "text", "fields"} {
		assert.Contains(t, got, key)
	}
	assert.EqualValues(t, 1, got["pages"])
	assert.Equal(t, map[string]any{"print": true, "copy": true}, got["permissions"])
	assert.Contains(t, got["fields"], map[string]any{"name": "sector", "type": "choice", "page": 1.0})
	sheet := got["sheets"].([]any)[0].(map[string]any)
	assert.InDelta(t, 595, sheet["width"], 1)
	assert.Equal(t, "1", sheet["label"])

	out, _, code = shell(t, "inspect", "--json", demoPDF("logbook-1953.pdf"))
	require.Zero(t, code)
	assert.Contains(t, out, `"outline":[]`)
	assert.Contains(t, out, `"fields":[]`)
	out, _, code = shell(t, "inspect", demoPDF("annual-report.pdf"))
	require.Zero(t, code)
	assert.Contains(t, out, "turned 90°")
}

func TestRenderAndText(t *testing.T) {
	to := filepath.Join(t.TempDir(), "page.png")
	for _, name := range []string{"tide-table.pdf", "logbook-1953.pdf"} {
		_, errs, code := shell(t, "render", demoPDF(name), "--page", "2", "--width", "320", "--out", to)
		require.Zero(t, code, errs)
		f, err := os.Open(to)
		require.NoError(t, err)
		img, err := png.Decode(f)
		f.Close()
		require.NoError(t, err, "always a PNG")
		assert.Equal(t, 320, img.Bounds().Dx())
	}
	out, _, code := shell(t, "text", demoPDF("volunteer-handbook.pdf"), "--page", "9")
	require.Zero(t, code)
	assert.Contains(t, out, "Say what you saw before you say what you think it was.\n")
}

func TestBadFilesAreOneLineOfJSON(t *testing.T) {
	dir := t.TempDir()
	write := func(name string, b []byte) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, b, 0o644))
		return path
	}
	locked := write("locked.pdf", hostile.Locked())
	for _, c := range []struct {
		args []string
		kind string
	}{
		{[]string{"inspect", write("empty.pdf", nil), "--json"}, "not-a-pdf"},
		{[]string{"inspect", write("web.pdf", hostile.HTML())}, "not-a-pdf"},
		{[]string{"text", write("cut.pdf", []byte("%PDF-1.7 cut"))}, "damaged"},
		{[]string{"inspect", locked}, "needs-a-password"},
		{[]string{"inspect", locked, "--password", "guess"}, "needs-a-password"},
		{[]string{"text", demoPDF("tide-table.pdf"), "--page", "3"}, "no-such-page"},
		{[]string{"render", demoPDF("tide-table.pdf"), "--page", "0", "--out", filepath.Join(dir, "x.png")}, "no-such-page"},
		{[]string{"inspect", filepath.Join(dir, "missing.pdf")}, "failed"},
		{[]string{"inspect", dir}, "not-a-pdf"},
	} {
		out, errs, code := shell(t, c.args...)
		assert.Equal(t, 1, code, "%v", c.args)
		assert.Empty(t, out, "%v", c.args)
		var said struct {
			Error struct{ Kind, Message string }
		}
		require.NoError(t, json.Unmarshal([]byte(errs), &said), "%v: %s", c.args, errs)
		assert.Equal(t, c.kind, said.Error.Kind, "%v", c.args)
		assert.NotEmpty(t, said.Error.Message)
	}
	out, _, code := shell(t, "inspect", locked, "--password", hostile.Password, "--json")
	require.Zero(t, code)
	assert.Contains(t, out, `"encrypted":true`)
}

func TestProof(t *testing.T) {
	settings := filepath.Join(t.TempDir(), "s.json")
	require.NoError(t, os.WriteFile(settings, []byte(`{"flow":"turn","facing":"pairs","tools":["zoom","turn"]}`), 0o644))
	out, _, code := shell(t, "proof", demoPDF("tide-table.pdf"), "--settings", settings, "--column", "328", "--viewport", "360x800", "--json")
	require.Zero(t, code)
	var got struct {
		Frame, Inner struct{ Width, Height float64 }
		Scale        float64
		RowsInView   int `json:"rows_in_view"`
		Rows         []struct {
			Pages []int
			Box   struct{ X, Y, W, H float64 }
		}
		Type    struct{ Body struct{ Size float64 } }
		Glosses []struct {
			Kind, Level string
			Fixes       []struct{ Words string }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	assert.InDelta(t, 328, got.Frame.Width, 0)
	assert.InDelta(t, 326, got.Inner.Width, 0)
	assert.InDelta(t, 302.0/1684, got.Scale, 1e-4, "two pages of 842 pt abreast")
	require.Len(t, got.Rows, 1)
	assert.Equal(t, []int{1, 2}, got.Rows[0].Pages)
	assert.Equal(t, 1, got.RowsInView)
	assert.InDelta(t, 12, got.Rows[0].Box.X, 0.1)
	assert.InDelta(t, 6.3, got.Type.Body.Size, 0.01)
	assert.Equal(t, "must", got.Glosses[0].Level)
	assert.NotEmpty(t, got.Glosses[0].Fixes)

	out, _, code = shell(t, "proof", "--column", "960", "--viewport", "1280x800", demoPDF("logbook-1953.pdf"))
	require.Zero(t, code)
	assert.Contains(t, out, "cannot be measured")
	for _, bad := range []string{`{"flow":"up"}`, `{"flow":`, `{"colour":"red"}`, `{"open_at":3}`} {
		require.NoError(t, os.WriteFile(settings, []byte(bad), 0o644))
		_, errs, code := shell(t, "proof", demoPDF("tide-table.pdf"), "--settings", settings, "--column", "328")
		assert.Equal(t, 2, code, bad)
		assert.Contains(t, errs, "proof", bad)
	}
	for _, args := range [][]string{{"--column", "12"}, {"--column", "328", "--viewport", "wide"}, {"--column", "NaN"},
		{"--settings", "nowhere.json"}} {
		_, _, code := shell(t, append([]string{"proof", demoPDF("tide-table.pdf")}, args...)...)
		assert.Equal(t, 2, code, args)
	}
}

func TestABombEndsInTime(t *testing.T) {
	path := filepath.Join(t.TempDir(), "bomb.pdf")
	require.NoError(t, os.WriteFile(path, hostile.FormBomb(12, 12), 0o644))
	_, errs, code := shell(t, "render", path, "--page", "1", "--width", "400", "--out", path+".png")
	assert.Equal(t, 1, code)
	assert.Regexp(t, "took-too-long|out-of-memory|damaged", errs)
}

func TestWrongUse(t *testing.T) {
	for _, args := range [][]string{{"inspect"}, {"inspect", "a.pdf", "b.pdf"}, {"inspect", "--colour"},
		{"render", demoPDF("tide-table.pdf"), "--width", "0", "--out", "x"}, {"nothing"}, {"serve"}} {
		_, errs, code := shell(t, args...)
		assert.Equal(t, 2, code, "%v", args)
		assert.NotEmpty(t, errs)
	}
}

func TestCheckHost(t *testing.T) {
	file := filepath.Join(t.TempDir(), "visiting.html")
	require.NoError(t, os.WriteFile(file, []byte("<h1>Visiting</h1>\n<iframe src=”https://documents.harrowmere.example/r/tidestidestidestide1” title=\"Tides\" height=\"400\" loading=\"lazy\" allow=\"fullscreen\"></iframe>\n"), 0o644))
	out, _, code := shell(t, "checkhost", file, "--site", "https://documents.harrowmere.example", "--json")
	assert.Equal(t, 1, code, "readers see a fault")
	var got struct {
		Findings []struct {
			Name, Level, Title string
			Line               int
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	require.Len(t, got.Findings, 1)
	assert.Equal(t, "stray", got.Findings[0].Name)
	assert.Equal(t, 2, got.Findings[0].Line)
	out, _, code = shell(t, "checkhost", file, "--site", "https://documents.harrowmere.example")
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "visiting.html:2: must: Stray marks in the address")
	require.NoError(t, os.WriteFile(file, []byte("<p>Nothing of ours.</p>"), 0o644))
	out, _, code = shell(t, "checkhost", file, "--site", "https://documents.harrowmere.example", "--json")
	assert.Zero(t, code)
	assert.JSONEq(t, `{"findings":[]}`, out)
	_, _, code = shell(t, "checkhost")
	assert.Equal(t, 2, code)
}

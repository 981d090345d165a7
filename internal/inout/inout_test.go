package inout_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"io/fs"
	"maps"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"incipit/demo"
	"incipit/internal/backup"
	"incipit/internal/blob"
	"incipit/internal/core/address"
	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/inout"
	"incipit/internal/library"
	"incipit/internal/picture"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func written(t *testing.T, h *testkit.House) string {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "out")
	s := inout.Source{All: h.All, Blobs: h.Blobs, Tell: func(string) {}, PageHTML: func(ctx context.Context, path string) ([]byte, error) {
		status, body, _ := h.Visitor(t).Get(address.Page(path))
		if status != http.StatusOK {
			return nil, fmt.Errorf("status %d", status)
		}
		return []byte(body), nil
	}}
	_, err := s.Write(t.Context(), dir)
	require.NoError(t, err)
	return dir
}

func read(t *testing.T, h *testkit.House, dir string) (inout.Counted, int, []string, error) {
	t.Helper()
	var said []string
	to := inout.Target{All: h.All, Blobs: h.Blobs, Intake: h.Intake, Who: "import", Tell: func(line string) { said = append(said, line) },
		Left: func(line string) { said = append(said, "Left out: "+line) }}
	n, left, err := to.Read(t.Context(), dir)
	return n, left, said, err
}

// moments are what differs between two folders that hold the same, and the addresses of the
// houses they come from.
var moments = regexp.MustCompile(`"added_at": "[^"]*"|http(://|%3A%2F%2F)127\.0\.0\.1(:|%3A)\d+`)

// tree reads a folder: files by path.
func tree(t *testing.T, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || d.Name() == "export.json" {
			return err
		}
		b, err := os.ReadFile(path)
		name, _ := filepath.Rel(dir, path)
		if strings.HasSuffix(name, ".json") || strings.HasSuffix(name, ".html") {
			b = moments.ReplaceAll(b, []byte("-"))
		}
		out[name] = string(b)
		return err
	}))
	return out
}

// furnished is a house with something of everything.
func furnished(t *testing.T) (*testkit.House, placing.Placement) {
	t.Helper()
	h := testkit.Open(t)
	ctx := t.Context()
	style, err := h.Placing.House(ctx)
	require.NoError(t, err)
	style.Settings.Padding = 9
	_, err = h.Placing.ChangeHouse(ctx, style.Revision, "Maren Oakes", style, nil)
	require.NoError(t, err)

	shown, e := h.Published(t, "annual-report.pdf", func(s *setting.Settings) { s.OpenAt, s.Download = 3, true })
	stays, err := h.Placing.Copy(ctx, shown.ID)
	require.NoError(t, err)
	require.NoError(t, h.Placing.Name(ctx, stays.ID, "members’ page"))
	require.NoError(t, h.Placing.SetRecord(ctx, stays.ID, "visits/7"))
	require.NoError(t, h.Placing.Stay(ctx, stays.ID, 1, 1, 1, 0, "Maren Oakes", func(p int) (int, bool) { return p, true }))
	b, err := demo.PDF("annual-report-2.pdf")
	require.NoError(t, err)
	second, err := h.Intake.Replace(ctx, e.DocumentID, "second.pdf", bytes.NewReader(b), 0, "")
	require.NoError(t, err)
	patience.Until(t, func() bool {
		now, err := h.Library.Edition(ctx, second.ID)
		return err == nil && now.State == library.Ready
	})
	require.NoError(t, h.Placing.TurnTo(ctx, e.DocumentID, 1, 2, 0, "Maren Oakes", func(p int) (int, bool) { return p, true }))
	require.NoError(t, h.Intake.Mend(ctx, e.DocumentID, library.Mending{Title: "Report, “the” annual; one", Description: "What was counted.", Language: "en-GB", Alternatives: map[int]string{12: "A knot"}}))
	require.NoError(t, h.Library.KeepRecognised(ctx, second.ID, []int{2, 1, 2}, "deu+eng"))
	require.NoError(t, h.DB.In(ctx, func(tx *gorm.DB) error {
		_, err := library.Categorise(tx, "Reports, yearly", []int64{e.DocumentID})
		return err
	}))
	d := h.Add(t, "trail-map.pdf")
	h.Measured(t, d.ID)
	locked, _, err := h.Intake.ReceiveLocked(ctx, "nest-sites.pdf", bytes.NewReader(hostile.Locked()), 0, hostile.Password)
	require.NoError(t, err)
	_, err = h.Intake.Replace(ctx, locked.ID, "nest-sites-2.pdf", bytes.NewReader(append(hostile.Locked(), "% again\n"...)), 0, hostile.Password)
	require.NoError(t, err)

	var drawn bytes.Buffer
	require.NoError(t, png.Encode(&drawn, image.NewGray(image.Rect(0, 0, 60, 40))))
	pic, err := picture.Take(ctx, h.Intake.Engine, h.Publishing, h.Blobs, "knot.png", &drawn)
	require.NoError(t, err)
	c := collection.New("Surveys")
	c.Items = []collection.Item{{Placement: shown.ID, Category: "Reports"}, {Placement: stays.ID}}
	group, err := h.Publishing.AddCollection(ctx, c)
	require.NoError(t, err)
	page := webpage.New("Visiting")
	for _, block := range []webpage.Block{{Kind: webpage.Placement, Of: shown.ID}, {Kind: webpage.Collection, Of: group.ID}, {Kind: webpage.Picture, Of: pic.ID, Alt: "A knot"}} {
		page, err = page.Done(webpage.Act{Do: webpage.DoAddBelow, New: &block})
		require.NoError(t, err)
	}
	w, err := h.Publishing.AddWebPage(ctx, "", page, "Maren Oakes")
	require.NoError(t, err)
	step, err := h.Publishing.WebPageDraft(ctx, w.ID)
	require.NoError(t, err)
	require.NoError(t, h.Publishing.PublishWebPage(ctx, w.ID, step.Revision, "Maren Oakes", webpage.Plan{}))
	later := step.Content
	later.Title = "Visiting us"
	require.NoError(t, h.Publishing.SetWebPage(ctx, w.ID, step.Revision, "Maren Oakes", later))
	frame, err := h.Publishing.SiteFrame(ctx)
	require.NoError(t, err)
	frame.Content.Links = []webpage.Nav{{Label: "Visit", Page: w.ID}, {Label: "Tides", Address: "https://tides.example/"}}
	_, err = h.Publishing.ChangeSiteFrame(ctx, frame.Revision, "Maren Oakes", frame.Content)
	require.NoError(t, err)
	return h, shown
}

// What is written out, taken in elsewhere and written out again is the same; readers get the
// same bytes at the same addresses.
func TestOutAndInAgain(t *testing.T) {
	if testing.Short() {
		t.Skip("reads all files of a house three times")
	}
	h, shown := furnished(t)
	dir := written(t, h)
	before := tree(t, dir)
	assert.Contains(t, before["documents.csv"], `"Report, “the” annual; one",What was counted.,en-GB,"Reports, yearly"`)
	assert.Contains(t, before["web-pages/1.html"], "Visiting")
	assert.Len(t, before, 16)

	other := testkit.Open(t)
	n, left, said, err := read(t, other, dir)
	require.NoError(t, err)
	assert.Zero(t, left, said)
	assert.Equal(t, inout.Counted{Documents: 3, Editions: 5, Placements: 2, Collections: 1, WebPages: 1, Pictures: 1}, n)
	after := tree(t, written(t, other))
	for name, was := range before {
		assert.Equal(t, was, after[name], name)
	}
	assert.Len(t, after, len(before))
	// What a reader is offered depends on what was measured.
	for _, of := range []*testkit.House{h, other} {
		patience.Until(t, func() bool {
			var left int
			require.NoError(t, of.DB.Pool.QueryRow(t.Context(), "SELECT count(*) FROM editions WHERE state <> 'failed' AND NOT measured").Scan(&left))
			return left == 0
		})
	}
	for _, path := range []string{"/r/" + shown.Key, "/pages"} {
		status, body, _ := h.Visitor(t).Get(path)
		require.Equal(t, http.StatusOK, status)
		status, same, _ := other.Visitor(t).Get(path)
		require.Equal(t, http.StatusOK, status)
		assert.Equal(t, moments.ReplaceAllString(string(body), "-"), moments.ReplaceAllString(string(same), "-"))
	}

	// Taken in once more, keys are taken: others are given, and told. House style stays.
	n, left, said, err = read(t, other, dir)
	require.NoError(t, err)
	assert.Equal(t, inout.Counted{Documents: 2, Editions: 3, Collections: 1, Pictures: 1}, n, "what is left out is not counted")
	assert.Contains(t, strings.Join(said, "\n"), "house style and the frame of web pages stay as they are")
	assert.Contains(t, strings.Join(said, "\n"), "/r/"+shown.Key+" is taken here")
	assert.Contains(t, strings.Join(said, "\n"), "another page has the address /pages here")
	assert.Equal(t, 2, left, "the record and the page are taken")
}

// A folder that is not whole, or says what cannot be, changes nothing; what cannot be taken
// of one that is whole is left out, and the rest goes on.
func TestFoldersThatAreNotTakenIn(t *testing.T) {
	h := testkit.Open(t)
	h.Published(t, "trail-map.pdf", nil)
	whole := written(t, h)
	other := testkit.Open(t)
	for name, spoil := range map[string]func(dir string) error{
		"nothing": func(dir string) error { return os.RemoveAll(dir) },
		"cut":     func(dir string) error { return os.Truncate(filepath.Join(dir, "documents/1/edition-1.pdf"), 1000) },
		"missing": func(dir string) error { return os.Remove(filepath.Join(dir, "house-style.json")) },
		"newer": func(dir string) error {
			return os.WriteFile(filepath.Join(dir, "export.json"), []byte(`{"format":2}`), 0o644)
		},
		"outside": func(dir string) error {
			return os.WriteFile(filepath.Join(dir, "export.json"), []byte(`{"format":1,"files":{"../../etc/passwd":"00"}}`), 0o644)
		},
		"no manifest": func(dir string) error { return os.WriteFile(filepath.Join(dir, "export.json"), []byte(`[`), 0o644) },
	} {
		dir := filepath.Join(t.TempDir(), "folder")
		require.NoError(t, os.CopyFS(dir, os.DirFS(whole)))
		require.NoError(t, spoil(dir))
		_, _, _, err := read(t, other, dir)
		require.Error(t, err, name)
		all, err := other.Library.Documents(t.Context(), "")
		require.NoError(t, err)
		assert.Empty(t, all, name)
	}
	store, err := blob.Open(t.Context(), other.Config.BlobURL)
	require.NoError(t, err)
	defer store.Close()
	blobs, _, err := store.Usage(t.Context(), "files/")
	require.NoError(t, err)
	assert.Zero(t, blobs)
	_, err = (&inout.Source{All: h.All, Blobs: h.Blobs, Tell: func(string) {}}).Write(t.Context(), whole)
	assert.ErrorContains(t, err, "is not empty")
}

// rehashed has a folder say of each of its files what it is now, as somebody would who makes
// a folder by hand.
func rehashed(t *testing.T, dir string) {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(dir, "export.json"))
	require.NoError(t, err)
	var m map[string]any
	require.NoError(t, json.Unmarshal(b, &m))
	files := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || d.Name() == "export.json" {
			return err
		}
		name, _ := filepath.Rel(dir, path)
		if !d.Type().IsRegular() {
			files[name] = strings.Repeat("0", 64)
			return nil
		}
		b, err := os.ReadFile(path)
		sum := sha256.Sum256(b)
		files[name] = hex.EncodeToString(sum[:])
		return err
	}))
	m["files"] = files
	b, err = json.Marshal(m)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "export.json"), b, 0o600))
}

// What is no regular file is not waited for, and nothing outside the folder is read.
func TestOddFilesAreNotRead(t *testing.T) {
	h := testkit.Open(t)
	h.Published(t, "trail-map.pdf", nil)
	whole := written(t, h)
	other := testkit.Open(t)
	for name, spoil := range map[string]func(file string) error{
		"a pipe":             func(file string) error { return syscall.Mkfifo(file, 0o600) },
		"a link":             func(file string) error { return os.Symlink("/etc/hostname", file) },
		"a link inside":      func(file string) error { return os.Symlink("document.json", file) },
		"a folder":           func(file string) error { return os.Mkdir(file, 0o755) },
		"a link to a device": func(file string) error { return os.Symlink("/dev/zero", file) },
	} {
		for _, file := range []string{"documents/1/edition-1.pdf", "house-style.json", "export.json"} {
			dir := filepath.Join(t.TempDir(), "folder")
			require.NoError(t, os.CopyFS(dir, os.DirFS(whole)))
			require.NoError(t, os.Remove(filepath.Join(dir, file)))
			require.NoError(t, spoil(filepath.Join(dir, file)))
			_, _, _, err := read(t, other, dir)
			require.Error(t, err, "%s at %s", name, file)
		}
	}
	all, err := other.Library.Documents(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, all)
	stopped, stop := context.WithCancel(t.Context())
	stop()
	_, _, err = (&inout.Target{All: other.All, Blobs: other.Blobs, Intake: other.Intake, Tell: func(string) {}}).Read(stopped, whole)
	require.ErrorIs(t, err, context.Canceled, "a stop is heeded while hashes are compared")
}

// Whatever a folder says of pictures: nothing that is here is written over, nothing lies
// anywhere else, what is refused leaves nothing, and a backup made afterwards is whole.
func TestStrangePicturesDoNoHarm(t *testing.T) {
	h, _ := furnished(t)
	whole := written(t, h)
	pictures, err := filepath.Glob(filepath.Join(whole, "pictures", "*.json"))
	require.NoError(t, err)
	require.NotEmpty(t, pictures)
	first, err := os.ReadFile(pictures[0])
	require.NoError(t, err)
	var was map[string]any
	require.NoError(t, json.Unmarshal(first, &was))
	// The same house: its own picture must stay as it is.
	before := blobsOf(t, h)
	random := rand.New(rand.NewPCG(26, 7))
	for n := range 40 {
		dir := filepath.Join(t.TempDir(), "folder")
		require.NoError(t, os.CopyFS(dir, os.DirFS(whole)))
		require.NoError(t, os.RemoveAll(filepath.Join(dir, "documents")))
		p := maps.Clone(was)
		switch random.IntN(5) {
		case 0:
			p["sha256"] = []any{"../../../../../../../../../../../../../../../../tmp/incipit-escape", strings.Repeat("A", 64), strings.Repeat("../", 21) + "x", "", 7}[random.IntN(5)]
		case 1:
			p["widths"] = []any{[]int{0}, []int{-5}, []int{60, 60}, []int{60, 99_999_999}, []int{}, []int{60, 61}, []int{1, 2, 3, 4, 5, 6, 7, 8}}[random.IntN(7)]
		case 2:
			p["media_type"] = []string{"text/html", "image/png", "image/svg+xml", ""}[random.IntN(4)]
			p["sha256"] = strings.Repeat("ab", 32)
		case 3:
			p["width"], p["height"] = random.IntN(3)-1, 1<<30
		default: // other bytes under a name that is here
			files, _ := filepath.Glob(filepath.Join(dir, "pictures", "*-*"))
			var drawn bytes.Buffer
			require.NoError(t, png.Encode(&drawn, image.NewGray(image.Rect(0, 0, 3+n, 4))))
			require.NoError(t, os.WriteFile(files[0], drawn.Bytes(), 0o600))
		}
		b, err := json.Marshal(p)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, "pictures", filepath.Base(pictures[0])), b, 0o600))
		rehashed(t, dir)
		_, _, _, _ = read(t, h, dir) // whatever comes of it
		now := blobsOf(t, h)
		for key, sum := range before {
			require.Equal(t, sum, now[key], "%s was written over (%d)", key, n)
		}
	}
	for key := range blobsOf(t, h) {
		if before[key] == "" {
			hash, _, _ := strings.Cut(strings.TrimPrefix(key, "pictures/"), "/")
			owned, err := h.Publishing.OwnsPicture(t.Context(), hash)
			require.NoError(t, err)
			assert.True(t, owned, "%s was left behind", key)
		}
	}
	var kept bytes.Buffer
	_, err = backup.Write(t.Context(), h.Config.DatabaseURL, h.Blobs, &kept, nil)
	require.NoError(t, err)
	require.NoError(t, backup.Read(bytes.NewReader(kept.Bytes())).Check())
}

// blobsOf gives the hashes of all pictures and files that a house keeps.
func blobsOf(t *testing.T, h *testkit.House) map[string]string {
	t.Helper()
	out := map[string]string{}
	for _, prefix := range []string{"pictures/", "files/"} {
		require.NoError(t, h.Blobs.Each(t.Context(), prefix, func(e blob.Entry) error {
			b, err := h.Blobs.Read(t.Context(), e.Key)
			sum := sha256.Sum256(b)
			out[e.Key] = hex.EncodeToString(sum[:])
			return err
		}))
	}
	return out
}

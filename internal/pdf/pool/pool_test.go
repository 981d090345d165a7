package pool_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/overlay"
	"incipit/internal/machine"
	"incipit/internal/pdf"
	"incipit/internal/pdf/conformance"
	"incipit/internal/pdf/pool"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func TestConformance(t *testing.T) { conformance.Run(t, testkit.Engine(t)) }

func src(id string, b []byte) pdf.Source {
	return pdf.Source{ID: id, Size: int64(len(b)), Bytes: bytes.NewReader(b)}
}

func demoFile(t testing.TB, name string) pdf.Source {
	b, err := demo.PDF(name)
	require.NoError(t, err)
	return src(name, b)
}

func TestHarmfulFilesAreClearErrors(t *testing.T) {
	e := testkit.Engine(t)
	tides, err := demo.PDF("tide-table.pdf")
	require.NoError(t, err)
	for _, c := range []struct {
		name string
		b    []byte
		want pdf.Kind
	}{
		{"zero bytes", nil, pdf.NotPDF},
		{"HTML", hostile.HTML(), pdf.NotPDF},
		{"a head and no more", []byte("%PDF-1.7\n"), pdf.Damaged},
		{"a head and rubbish", []byte("%PDF-1.7\n" + strings.Repeat("\x00\xff<<>>obj", 4000)), pdf.Damaged},
		{"asks for a password", hostile.Locked(), pdf.NeedsPassword},
		{"more pages than can be set", hostile.ManyPages(10_001), pdf.TooManyPages},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := e.Cover(t.Context(), src(c.name, c.b))
			assert.Equal(t, c.want, pdf.KindOf(err), "%v", err)
		})
	}
	t.Run("truncated", func(t *testing.T) {
		// An engine may find pages in what is left; then they must be usable.
		s := src("truncated", hostile.Truncated(tides))
		cover, err := e.Cover(t.Context(), s)
		if err != nil {
			assert.Equal(t, pdf.Damaged, pdf.KindOf(err))
			return
		}
		_, err = e.Sheets(t.Context(), s, 1, cover.Pages)
		require.NoError(t, err)
	})
}

func TestPasswords(t *testing.T) {
	e := testkit.Engine(t)
	s := src("locked", hostile.Locked())
	s.Password = "guess"
	_, err := e.Cover(t.Context(), s)
	assert.Equal(t, pdf.NeedsPassword, pdf.KindOf(err))
	s.Password = hostile.Password
	cover, err := e.Cover(t.Context(), s)
	require.NoError(t, err)
	assert.True(t, cover.Encrypted)
	// Open under its password, the file is still closed to others.
	s.Password = ""
	_, err = e.Cover(t.Context(), s)
	assert.Equal(t, pdf.NeedsPassword, pdf.KindOf(err))
}

// Bytes before the header, as mail programs and web servers leave them, are passed
// over, up to 64 KB; more is no PDF.
func TestBytesBeforeTheHeader(t *testing.T) {
	engine := testkit.Engine(t)
	whole, err := os.ReadFile("../../../demo/pdf/tide-table.pdf")
	require.NoError(t, err)
	for _, junk := range []int{0, 1, 900, 1000, 1001, 1024, 5_000, 64 << 10, 64<<10 + 1} {
		b := append(bytes.Repeat([]byte("Received: from harrowmere.example\n"), junk/34+1)[:junk:junk], whole...)
		src := pdf.Source{ID: fmt.Sprint("junk", junk), Size: int64(len(b)), Bytes: bytes.NewReader(b)}
		cover, err := engine.Cover(t.Context(), src)
		if junk > 64<<10 {
			assert.Equal(t, pdf.NotPDF, pdf.KindOf(err))
			continue
		}
		require.NoError(t, err, junk)
		assert.Equal(t, 2, cover.Pages, junk)
		layer, err := engine.Layer(t.Context(), src, 1)
		require.NoError(t, err)
		assert.Contains(t, overlay.Plain(layer.Runs), "High water", junk)
	}
}

// What is written in fields and in notes on the page is text of the page; what is
// hidden or a password is not.
func TestWhatIsFilledInIsRead(t *testing.T) {
	field := func(more string) string {
		return "<</Type /Annot /Subtype /Widget /FT /Tx /F 4 /Rect [50 600 300 620] /T (a) /DA (/H 10 Tf 0 g) " + more + ">>"
	}
	b := hostile.Build(
		"<</Type /Catalog /Pages 2 0 R /AcroForm <</Fields [4 0 R 5 0 R 6 0 R 7 0 R] /DA (/H 10 Tf 0 g)>>>>",
		"<</Type /Pages /Kids [3 0 R] /Count 1>>",
		"<</Type /Page /Parent 2 0 R /MediaBox [0 0 400 800] /Annots [4 0 R 5 0 R 6 0 R 7 0 R 8 0 R]>>",
		field("/V (four redshanks)"), field("/V (sluice) /Ff 8192"), field("/V (nobody) /F 2"),
		"<</Type /Annot /Subtype /Widget /FT /Ch /Ff 131072 /F 4 /Rect [50 500 300 520] /T (d) /Opt [(North hide) (South hide)] /V (South hide) /DA (/H 10 Tf 0 g)>>",
		"<</Type /Annot /Subtype /FreeText /F 4 /Rect [50 300 300 360] /Contents (Path closed\nuntil noon) /DA (/H 10 Tf 0 g)>>")
	layer, err := testkit.Engine(t).Layer(t.Context(), pdf.Source{ID: "filled", Size: int64(len(b)), Bytes: bytes.NewReader(b)}, 1)
	require.NoError(t, err)
	text := overlay.Plain(layer.Runs)
	for _, want := range []string{"four redshanks", "South hide", "Path closed", "until noon"} {
		assert.Contains(t, text, want)
	}
	for _, not := range []string{"sluice", "nobody", "North hide"} {
		assert.NotContains(t, text, not)
	}
	for _, r := range layer.Runs {
		box := r.Box(0, len([]rune(r.Text)))
		assert.True(t, box.X >= 45 && box.X+box.W <= 305, "%q stands in its box", r.Text)
	}
}

func TestHugeAndThinPagesAreBounded(t *testing.T) {
	e := testkit.Engine(t)
	for name, b := range map[string][]byte{"huge": hostile.HugePage(), "thin": hostile.ThinPage()} {
		for _, width := range []int{160, 3200, 10_000} {
			made, err := e.Image(t.Context(), src(name, b), 1, width)
			require.NoError(t, err, "%s at %d", name, width)
			assert.LessOrEqual(t, made.Width*made.Height, 25_000_000)
			assert.LessOrEqual(t, made.Width, width)
		}
	}
}

func TestLinksThatMeanHarmAreDropped(t *testing.T) {
	layer, err := testkit.Engine(t).Layer(t.Context(), src("linked", hostile.Linked()), 1)
	require.NoError(t, err)
	var followed []string
	for _, l := range layer.Links {
		switch l.Kind {
		case overlay.ToFile, overlay.ToNowhere: // of which is said that they lead out of the file, and nothing else
			assert.Equal(t, overlay.Link{Kind: l.Kind, Box: l.Box}, l)
		default:
			followed = append(followed, string(l.Kind)+" "+l.Address)
		}
	}
	assert.Equal(t, []string{`web https://harrowmere.example/?a=1&b="x"`}, followed)
}

func TestAnOutlineInCirclesEnds(t *testing.T) {
	facts, err := testkit.Engine(t).Facts(t.Context(), src("circle", hostile.Circle()))
	require.NoError(t, err)
	assert.LessOrEqual(t, len(facts.Outline), 5000)
}

// A file that never ends costs its own worker; others are served meanwhile.
func TestABombDoesNotKeepOthersWaiting(t *testing.T) {
	if testing.Short() {
		t.Skip("waits for a worker to be ended")
	}
	const deadline = 3 * time.Second
	for name, c := range map[string]struct {
		b     []byte
		kinds []pdf.Kind
	}{
		"a colour computed without end": {hostile.Endless(20_000), []pdf.Kind{pdf.TookTooLong}},
		"forms within forms":            {hostile.FormBomb(12, 12), []pdf.Kind{pdf.TookTooLong, pdf.OutOfMemory}},
	} {
		t.Run(name, func(t *testing.T) {
			p := testkit.Workers(t, 2, deadline)
			require.NoError(t, p.Warm(t.Context()))
			exploded := make(chan error, 2)
			begun := time.Now()
			for range 2 { // as many as would hold every worker, if they were let
				go func() {
					_, err := p.Image(context.Background(), src(name, c.b), 1, 800)
					exploded <- err
				}()
			}
			for i := range 5 {
				_, err := p.Image(t.Context(), demoFile(t, "tide-table.pdf"), 1+i%2, 800)
				require.NoError(t, err)
			}
			assert.Less(t, time.Since(begun), deadline, "five pages of another document came before the bomb's deadline")
			for range 2 {
				assert.Contains(t, c.kinds, pdf.KindOf(<-exploded))
			}
			_, err := p.Image(t.Context(), demoFile(t, "tide-table.pdf"), 1, 400)
			require.NoError(t, err, "workers are there again")
		})
	}
}

// What unfolds to more than a worker may hold is refused or drawn in pieces;
// the worker's memory stays bounded, and others are served after.
func TestMemoryIsBounded(t *testing.T) {
	before := map[int]bool{}
	for _, pid := range children(t) {
		before[pid] = true
	}
	p := testkit.Workers(t, 2, 20*time.Second)
	require.NoError(t, p.Warm(t.Context()))
	for name, b := range map[string][]byte{"inflated": hostile.Inflated(800 << 20), "poster": hostile.Poster(16_000)} {
		_, err := p.Image(t.Context(), src(name, b), 1, 400)
		if name == "inflated" {
			assert.Equal(t, pdf.OutOfMemory, pdf.KindOf(err), "%v", err)
		}
		_, err = p.Image(t.Context(), demoFile(t, "tide-table.pdf"), 1, 400)
		require.NoError(t, err, "after %s", name)
	}
	seen := 0
	for _, pid := range children(t) {
		if before[pid] {
			continue
		}
		status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
		require.NoError(t, err)
		_, rest, _ := strings.Cut(string(status), "VmHWM:")
		peak, err := strconv.Atoi(strings.Fields(rest)[0])
		require.NoError(t, err)
		if !raceDetector {
			assert.Less(t, peak, machine.Most<<10, "kB at most: the limit that the README states")
		}
		seen++
	}
	assert.Equal(t, 2, seen)
	_, err := p.Image(t.Context(), demoFile(t, "tide-table.pdf"), 1, 400)
	require.NoError(t, err)
}

// A caller who goes away neither waits nor costs a worker.
func TestACallerMayGoAway(t *testing.T) {
	p := testkit.Workers(t, 2, 20*time.Second)
	require.NoError(t, p.Warm(t.Context()))
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := p.Image(ctx, demoFile(t, "trail-map.pdf"), 1, 3200)
	require.ErrorIs(t, err, context.Canceled)
	_, err = p.Image(t.Context(), demoFile(t, "trail-map.pdf"), 1, 160)
	require.NoError(t, err)
}

// broken is storage that fails.
type broken struct{}

func (broken) ReadAt([]byte, int64) (int, error) { return 0, errors.New("disk on fire") }

func TestStorageTroubleIsNotTheFilesFault(t *testing.T) {
	p := testkit.Workers(t, 2, 20*time.Second)
	_, err := p.Cover(t.Context(), pdf.Source{ID: "x", Size: 1000, Bytes: broken{}})
	require.Error(t, err)
	assert.Empty(t, pdf.KindOf(err))
	_, err = p.Cover(t.Context(), demoFile(t, "tide-table.pdf"))
	require.NoError(t, err)
}

// children lists the processes that this one started.
func children(t *testing.T) []int {
	var out []int
	tasks, err := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/children", os.Getpid()))
	require.NoError(t, err)
	for _, task := range tasks {
		b, err := os.ReadFile(task)
		if errors.Is(err, os.ErrNotExist) {
			continue
		}
		require.NoError(t, err)
		for _, f := range strings.Fields(string(b)) {
			pid, err := strconv.Atoi(f)
			require.NoError(t, err)
			out = append(out, pid)
		}
	}
	return out
}

// own gives the workers of a pool that was opened after before was taken.
func own(t *testing.T, before []int) []int {
	return slices.DeleteFunc(children(t), func(pid int) bool { return slices.Contains(before, pid) })
}

func endAll(t *testing.T, before []int) {
	for _, pid := range own(t, before) {
		_ = syscall.Kill(pid, syscall.SIGKILL)
	}
}

// A worker that somebody ends from outside costs no document anything: neither
// those that idle, nor those at work, again and again.
func TestAKilledWorkerBlamesNobody(t *testing.T) {
	if testing.Short() {
		t.Skip("kills workers many times")
	}
	before := children(t)
	p := testkit.Workers(t, 2, 20*time.Second)
	require.NoError(t, p.Warm(t.Context()))
	endAll(t, before)
	for _, name := range []string{"tide-table.pdf", "trail-map.pdf"} {
		_, err := p.Cover(t.Context(), demoFile(t, name))
		require.NoError(t, err)
	}
	// All are ended soon after each page that was made: in the midst of the next.
	made, over := make(chan struct{}, 100), make(chan struct{})
	var killer sync.WaitGroup
	killer.Go(func() {
		random := rand.New(rand.NewPCG(1, 2))
		for {
			select {
			case <-over:
				return
			case <-made:
				time.Sleep(time.Duration(random.IntN(120)) * time.Millisecond)
				endAll(t, before)
			}
		}
	})
	var done sync.WaitGroup
	for i, name := range []string{"tide-table.pdf", "trail-map.pdf", "annual-report.pdf"} {
		done.Go(func() {
			for width := 300; width < 1500; width += 300 {
				_, err := p.Image(context.Background(), demoFile(t, name), 1, width+i)
				assert.NoError(t, err, name)
				assert.Empty(t, pdf.KindOf(err))
				made <- struct{}{}
			}
		})
	}
	done.Wait()
	close(over)
	killer.Wait()
}

// A file that ends workers is blamed after two fresh ones, and met no more.
func TestAFileThatEndsWorkersIsBlamed(t *testing.T) {
	p := testkit.Crashing(t)
	_, err := p.Cover(t.Context(), src("crashes", []byte(testkit.Crash)))
	require.Equal(t, pdf.Damaged, pdf.KindOf(err), "%v", err)
	begun := time.Now()
	_, err = p.Cover(t.Context(), src("crashes", []byte(testkit.Crash)))
	require.Equal(t, pdf.Damaged, pdf.KindOf(err))
	assert.Less(t, time.Since(begun), 100*time.Millisecond, "it is not tried again")
	_, err = p.Cover(t.Context(), demoFile(t, "tide-table.pdf"))
	require.NoError(t, err)
	p.Forgive("crashes")
	_, err = p.Cover(t.Context(), src("crashes", []byte(testkit.Crash)))
	require.Equal(t, pdf.Damaged, pdf.KindOf(err), "once it is forgiven, it is")
}

// A worker that cannot even start is no file's fault, and said to be so.
func TestAnEngineThatDoesNotStart(t *testing.T) {
	p := pool.Open(pool.Options{Command: []string{"/bin/false"}, Workers: 2, Deadline: time.Second})
	defer p.Close()
	_, err := p.Cover(t.Context(), demoFile(t, "tide-table.pdf"))
	require.Error(t, err)
	assert.Empty(t, pdf.KindOf(err))
	require.Error(t, p.Ready(t.Context()))
	require.NoError(t, testkit.Engine(t).Ready(t.Context()))
}

func TestAFileIsReadByRanges(t *testing.T) {
	b, err := demo.PDF("logbook-1953.pdf")
	require.NoError(t, err)
	counted := &counting{r: bytes.NewReader(b)}
	p := testkit.Workers(t, 2, 20*time.Second)
	_, err = p.Image(t.Context(), pdf.Source{ID: "counted", Size: int64(len(b)), Bytes: counted}, 3, 240)
	require.NoError(t, err)
	assert.Less(t, counted.n, len(b)/2, "one page of twelve does not need the whole file")
}

type counting struct {
	r io.ReaderAt
	n int
}

func (c *counting) ReadAt(p []byte, offset int64) (int, error) {
	n, err := c.r.ReadAt(p, offset)
	c.n += n
	return n, err
}

package bench

import (
	"bytes"
	"context"
	"fmt"
	"image"
	_ "image/jpeg" // page images are JPEG or PNG
	_ "image/png"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"sort"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/placing"
	"incipit/internal/press"
	"incipit/internal/testkit"
	"incipit/internal/testkit/paper"
	"incipit/internal/testkit/patience"
	"incipit/internal/testkit/slow"
)

// added adds a document, waits until it is examined, measured and, if asked for,
// indexed, and publishes it in plain house style.
func added(b *testing.B, h *testkit.House, name string, content []byte, indexed bool) (placing.Placement, library.Edition) {
	b.Helper()
	_, e, err := h.Intake.Receive(b.Context(), name+".pdf", bytes.NewReader(content), 0)
	require.NoError(b, err)
	patience.Until(b, func() bool {
		e, err = h.Library.Edition(b.Context(), e.ID)
		return err == nil && e.Measured && (!indexed || e.Indexed == e.Pages)
	})
	p, err := h.Placing.Place(b.Context(), e.DocumentID, placing.Start{})
	require.NoError(b, err)
	a, err := h.People.AccountByEmail(b.Context(), demo.Email)
	require.NoError(b, err)
	require.NoError(b, h.Placing.Publish(b.Context(), p.ID, e.ID, a.ID, setting.Default()))
	return p, e
}

// scan is an 18 MB document of scanned pages: the demo's logbook, in fine
// resolution and with the grain of its paper.
func scan(b *testing.B) []byte {
	b.Helper()
	content, err := demo.PDF("logbook-1953.pdf")
	require.NoError(b, err)
	var pictures []image.Image
	for page := 1; page <= 12; page++ {
		made, err := testkit.Engine(b).Image(b.Context(), pdf.Source{ID: "logbook", Size: int64(len(content)), Bytes: bytes.NewReader(content)},
			page, 2600)
		require.NoError(b, err)
		p, _, err := image.Decode(bytes.NewReader(made.Bytes))
		require.NoError(b, err)
		pictures = append(pictures, p)
	}
	return paper.Scan(pictures, 18_000_000)
}

const (
	lineRate  = 1.6e6 / 8 // bytes a second: 1.6 Mbit/s
	lineDelay = 150 * time.Millisecond
)

// firstPage gives, in a frame, when page 1 was painted after the frame's start,
// in ms, and how many bytes had been asked for until then.
const firstPage = `new Promise((done) => new PerformanceObserver((list) => {
	const p = list.getEntries().find((e) => e.element?.closest?.('#p1'));
	if (!p) return;
	const at = p.renderTime || p.loadTime;
	const all = [...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')].filter((r) => r.entryType === 'navigation' || r.startTime < at);
	const [page] = p.url.match(/page\/\w+\/1\/\d+/) ?? ['no page image'];
	done({ at, bytes: all.reduce((n, r) => n + r.transferSize, 0), page });
}).observe({ type: 'largest-contentful-paint', buffered: true }))`

// BenchmarkFirstPage opens documents in a frame on another website, over a line
// of 1.6 Mbit/s with 150 ms, with nothing in any cache of the browser, and says
// when the first page can be read. The whole file's time at that rate stands
// beside it.
func BenchmarkFirstPage(b *testing.B) {
	h := testkit.Open(b)
	tides, err := demo.PDF("tide-table.pdf")
	require.NoError(b, err)
	documents := []struct {
		name    string
		content []byte
	}{{"scan of 18 MB", scan(b)}, {"tide table", tides}, {"register of 10 pages", paper.Register(10)},
		{"register of 1,300 pages", paper.Register(1300)}}
	server, err := url.Parse(h.URL)
	require.NoError(b, err)
	line, err := slow.Open(b.Context(), server.Host, lineRate, lineDelay)
	require.NoError(b, err)
	type result struct {
		At    float64
		Bytes float64
		Page  string
	}
	for range b.N {
		fmt.Printf("\nfirst page on a line of 1.6 Mbit/s, 150 ms; median of 3\n%-26s %10s %12s %10s %14s %16s\n", "document", "ms", "bytes",
			"of file", "whole file, s", "image")
		took := map[string]float64{}
		for _, d := range documents {
			p, e := added(b, h, d.name, d.content, false)
			pages := frame.PagesOf(e.AllSheets())
			code, err := embed.Code(setting.Default(), embed.Subject{Address: "http://" + line.Address + "/r/" + p.Key, Title: d.name, Pages: pages})
			require.NoError(b, err)
			require.NoError(b, h.Pages.Save("visiting", strings.Replace(code, `loading="lazy"`, "", 1)))
			var all []result
			for range 3 {
				tab := testkit.Browse(b, 1280, 800)
				tab.Do(chromedp.Navigate(h.Website + "/visiting"))
				inside := tab.Frame("http://" + line.Address + "/r/")
				all = append(all, testkit.Eval[result](tab, inside, firstPage))
				tab.Do(chromedp.Navigate("about:blank"))
			}
			sort.Slice(all, func(i, j int) bool { return all[i].At < all[j].At })
			m := all[1]
			took[d.name] = m.At
			fmt.Printf("%-26s %10.0f %12.0f %9.2f%% %14.1f %16s\n", d.name, m.At, m.Bytes, 100*m.Bytes/float64(len(d.content)),
				float64(len(d.content))/lineRate, m.Page[len("page/")+17:])
		}
		fmt.Printf("1,300 pages cost %.2f times 10 pages\n", took["register of 1,300 pages"]/took["register of 10 pages"])
	}
}

// BenchmarkSearch asks the server for words in a register of 1,300 pages, the
// first hits and all of them.
func BenchmarkSearch(b *testing.B) {
	h := testkit.Open(b)
	begun := time.Now()
	p, e := added(b, h, "register", paper.Register(1300), true)
	fmt.Printf("\n1,300 pages are examined, measured and indexed after %.1f s\n%-20s %8s %8s %12s %12s %12s\n", time.Since(begun).Seconds(),
		"words", "hits", "pages", "first, ms", "all, ms", "slowest, ms")
	// Each search is another reader's: what one may ask for is bounded.
	many := h.Visitor(b)
	many.Transport = testkit.Many()
	ask := func(words, more string) (time.Duration, string) {
		start := time.Now()
		status, body, _ := many.Get(fmt.Sprintf("/r/%s/find/%s?q=%s%s", p.Key, e.SHA256[:16], url.QueryEscape(words), more))
		require.Equal(b, http.StatusOK, status)
		return time.Since(start), body
	}
	for range b.N {
		for _, words := range []string{"bittern", "Entry 777", "tide", "marsh knot", "e", "not there at all"} {
			var first, all []time.Duration
			body := ""
			for range 15 {
				t, _ := ask(words, "&quick=1")
				first = append(first, t)
				t, body = ask(words, "")
				all = append(all, t)
			}
			sort.Slice(first, func(i, j int) bool { return first[i] < first[j] })
			sort.Slice(all, func(i, j int) bool { return all[i] < all[j] })
			var hits int
			fmt.Sscanf(body, `{"hits":%d`, &hits)
			fmt.Printf("%-20s %8d %8d %12.1f %12.1f %12.1f\n", words, hits, strings.Count(body, `"count":`), ms(first[7]), ms(all[7]), ms(all[14]))
		}
	}
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// BenchmarkAnyPage asks for pages of a long document by their number, none of
// which has been made yet, and says when they can be read.
func BenchmarkAnyPage(b *testing.B) {
	h := testkit.Open(b)
	p, _ := added(b, h, "register", paper.Register(1300), true)
	tab := testkit.Browse(b, 1000, 800)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, `'ready' in document.body.dataset`)
	r := rand.New(rand.NewPCG(4, 2))
	for range b.N {
		var all []float64
		for range 25 {
			page := 20 + r.IntN(1260)
			all = append(all, testkit.Eval[float64](tab, tab.Ctx, fmt.Sprintf(`(async () => {
				const start = performance.now();
				const e = document.getElementById('number'); e.value = %d; e.dispatchEvent(new Event('change'));
				let img; while (!(img = document.querySelector('#p%d > img'))) await new Promise(requestAnimationFrame);
				await img.decode(); return performance.now() - start; })()`, page, page)))
		}
		sort.Float64s(all)
		fmt.Printf("\n25 pages of 1,300, asked for by number, none made before: %.0f ms in the median, %.0f ms for nine of ten, %.0f ms at most\n", all[12], all[22], all[24])
	}
}

// nginxConfig serves a folder as plainly as it can.
const nginxConfig = `daemon off; master_process off; worker_processes 1; pid %[1]s/pid; error_log stderr crit;
events { worker_connections 256; }
http { access_log off; sendfile on; default_type image/png; client_body_temp_path %[1]s/a; proxy_temp_path %[1]s/b; fastcgi_temp_path %[1]s/c; uwsgi_temp_path %[1]s/d; scgi_temp_path %[1]s/e;
server { listen 127.0.0.1:%[2]d; root %[1]s/files; } }
`

// BenchmarkPageImages sets the rate at which page images that are made leave
// the house against nginx with the same files on the same disk; then fifty
// readers page at once.
func BenchmarkPageImages(b *testing.B) {
	h := testkit.Open(b)
	dir := b.TempDir()
	require.NoError(b, os.MkdirAll(filepath.Join(dir, "files"), 0o755))
	var addresses []string
	total := 0
	var p placing.Placement
	var e library.Edition
	// Sixty pages as people read them: twelve scans, the rest text and drawings.
	for _, name := range []string{"logbook-1953.pdf", "tide-table.pdf", "annual-report.pdf", "volunteer-handbook.pdf"} {
		content, err := demo.PDF(name)
		require.NoError(b, err)
		p, e = added(b, h, name, content, name != "logbook-1953.pdf")
		file := press.File{SHA256: e.SHA256, BlobKey: e.BlobKey, Bytes: e.Bytes}
		for page := 1; page <= e.Pages && len(addresses) < 60; page++ {
			made, err := h.Press.Image(b.Context(), file, page, 800)
			require.NoError(b, err)
			_, err = h.Press.Layer(b.Context(), file, page)
			require.NoError(b, err)
			require.NoError(b, os.WriteFile(filepath.Join(dir, "files", fmt.Sprint(len(addresses))), made.Bytes, 0o644))
			addresses = append(addresses, fmt.Sprintf("%s/r/%s/page/%s/%d/800", h.URL, p.Key, e.SHA256[:16], page))
			total += len(made.Bytes)
		}
	}
	mark := e.SHA256[:16]
	for range b.N {
		fmt.Printf("\n%d page images of 800 px, %d KB on average, 16 connections, 4 s each\n", len(addresses), total/len(addresses)/1000)
		ours := rate(b, func(n int) string { return addresses[n] })
		fmt.Printf("ours   %8.0f images a second\n", ours)
		if program, err := exec.LookPath("nginx"); err == nil {
			const port = 18931
			require.NoError(b, os.WriteFile(filepath.Join(dir, "conf"), fmt.Appendf(nil, nginxConfig, dir, port), 0o644))
			ctx, stop := context.WithCancel(b.Context())
			server := exec.CommandContext(ctx, program, "-p", dir, "-c", filepath.Join(dir, "conf"))
			server.Stderr = os.Stderr
			require.NoError(b, server.Start())
			patience.Until(b, func() bool {
				answer, err := http.Get(fmt.Sprintf("http://127.0.0.1:%d/0", port))
				if err == nil {
					answer.Body.Close()
				}
				return err == nil && answer.StatusCode == http.StatusOK
			})
			theirs := rate(b, func(n int) string { return fmt.Sprintf("http://127.0.0.1:%d/%d", port, n) })
			stop()
			_ = server.Wait()
			fmt.Printf("nginx  %8.0f images a second: ours is %.2f of it\n", theirs, ours/theirs)
		} else {
			fmt.Println("nginx is not installed: nothing to set it against")
		}
		b.ReportMetric(ours, "images/s")
		fifty(b, h, p, mark)
	}
}

// rate counts images that arrive whole in four seconds.
func rate(b *testing.B, address func(n int) string) float64 {
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 16, DisableCompression: true}}
	defer client.CloseIdleConnections()
	var n atomic.Int64
	var all sync.WaitGroup
	begun := time.Now()
	end := begun.Add(4 * time.Second)
	for i := range 16 {
		all.Go(func() {
			for at := i; time.Now().Before(end); at++ {
				answer, err := client.Get(address(at % 60))
				if err != nil {
					b.Error(err)
					return
				}
				_, _ = io.Copy(io.Discard, answer.Body)
				answer.Body.Close()
				if answer.StatusCode != http.StatusOK {
					b.Error(answer.Status)
					return
				}
				n.Add(1)
			}
		})
	}
	all.Wait()
	return float64(n.Load()) / time.Since(begun).Seconds()
}

// fifty readers turn forty pages each: an image and its layer at every turn, with
// a moment to look at it.
func fifty(b *testing.B, h *testkit.House, p placing.Placement, mark string) {
	var mu sync.Mutex
	var took []time.Duration
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 50}}
	defer client.CloseIdleConnections()
	var all sync.WaitGroup
	var peak atomic.Uint64
	for reader := range 50 {
		all.Go(func() {
			r := rand.New(rand.NewPCG(uint64(reader), 9))
			for turn := range 40 {
				page := (reader+turn)%40 + 1
				for _, path := range []string{fmt.Sprintf("/page/%s/%d/800", mark, page), fmt.Sprintf("/layer/%s/%d", mark, page)} {
					start := time.Now()
					answer, err := client.Get(h.URL + "/r/" + p.Key + path)
					if err != nil {
						b.Error(err)
						return
					}
					_, _ = io.Copy(io.Discard, answer.Body)
					answer.Body.Close()
					mu.Lock()
					took = append(took, time.Since(start))
					mu.Unlock()
				}
				if reader == 0 {
					var now runtime.MemStats
					runtime.ReadMemStats(&now)
					peak.Store(max(peak.Load(), now.HeapInuse))
				}
				time.Sleep(time.Duration(50+r.IntN(150)) * time.Millisecond)
			}
		})
	}
	all.Wait()
	runtime.GC()
	runtime.ReadMemStats(&after)
	sort.Slice(took, func(i, j int) bool { return took[i] < took[j] })
	fmt.Printf("50 readers at once, %d requests: %.1f ms in the median, %.1f ms for 99 of 100, %.1f ms at most; heap %d MB before, %d MB at its peak, %d MB after\n",
		len(took), ms(took[len(took)/2]), ms(took[len(took)*99/100]), ms(took[len(took)-1]), before.HeapInuse>>20, peak.Load()>>20,
		after.HeapInuse>>20)
}

// busy says in which part of a visit the browser was busy for how long at a
// stretch, in ms, and how much moved without being asked to.
type busy struct {
	Parts map[string]float64
	Over  int
	Moved float64
}

// BenchmarkLongTasks opens the register of 1,300 pages in a frame on another
// website with the processor slowed four times, turns some pages and finds some
// words, and says how long the browser was busy at a stretch, and whether
// anything moved.
func BenchmarkLongTasks(b *testing.B) {
	fmt.Printf("\nprocessor slowed four times; longest task in ms\n%-26s %10s %10s %10s %10s %16s %14s\n", "document", "opening", "turning",
		"find", "finding", "tasks > 50 ms", "layout shift")
	for _, pages := range []int{10, 1300} {
		// Each in a browser tab of its own: two slowed ones would slow each other.
		b.Run(fmt.Sprint(pages), func(b *testing.B) {
			h := testkit.Open(b)
			name := fmt.Sprintf("register of %d pages", pages)
			p, e := added(b, h, name, paper.Register(pages), true)
			code, err := embed.Code(setting.Default(), embed.Subject{Address: h.URL + "/r/" + p.Key, Title: name,
				Pages: frame.PagesOf(e.AllSheets())})
			require.NoError(b, err)
			require.NoError(b, h.Pages.Save("visiting", strings.Replace(code, `loading="lazy"`, "", 1)))
			tab := testkit.Browse(b, 1280, 800)
			tab.Do(chromedp.Navigate(h.Website + "/visiting"))
			inside := tab.Frame(h.URL + "/r/")
			tab.Until(inside, `'ready' in document.body.dataset`)
			// All pages that are gone to are made before, those of the hits too: the
			// engine stands in for no reader's phone.
			testkit.Eval[bool](tab, inside, `(async () => {
				const rest = (ms) => new Promise((r) => setTimeout(r, ms));
				for (let i = 0; i < 12; i++) { document.querySelector('[data-do=on]').click(); await rest(600); }
				document.querySelector('[data-do=find]').click();
				while (!document.getElementById('words-find')) await rest(50);
				const w = document.getElementById('words-find'); w.value = 'bittern'; w.dispatchEvent(new Event('input'));
				while (!document.querySelector('#find .count').textContent) await rest(50);
				await rest(2500);
				return true; })()`)
			_, err = chromedp.Call(inside, emulation.SetCPUThrottlingRate, emulation.SetCPUThrottlingRateParams{Rate: 4})
			require.NoError(b, err)
			testkit.Eval[bool](tab, inside, `(document.body.dataset.before = '', location.reload(), true)`)
			tab.Until(inside, `!('before' in document.body.dataset) && 'ready' in document.body.dataset && document.querySelector('.layer[data-whole]')`)
			found := testkit.Eval[busy](tab, inside, `(async () => {
				const out = { Parts: { opening: 0 }, Over: 0, Moved: 0 };
				let part = 'opening';
				new PerformanceObserver((l) => { for (const e of l.getEntries()) { out.Over++; out.Parts[part] = Math.max(out.Parts[part] ?? 0, e.duration); } }).observe({ type: 'longtask', buffered: true });
				new PerformanceObserver((l) => { for (const e of l.getEntries()) if (!e.hadRecentInput && !part.startsWith('find')) out.Moved += e.value; }).observe({ type: 'layout-shift', buffered: true });
				const rest = (ms) => new Promise((r) => setTimeout(r, ms));
				await rest(1000);
				part = 'turning';
				for (let i = 0; i < 12; i++) { document.querySelector('[data-do=on]').click(); await rest(250); }
				await rest(500);
				part = 'find'; // what the press of a button moves is meant to
				document.querySelector('[data-do=find]').click();
				while (!document.getElementById('words-find')) await new Promise(requestAnimationFrame);
				await rest(500);
				part = 'finding';
				const w = document.getElementById('words-find'); w.value = 'bittern'; w.dispatchEvent(new Event('input'));
				await rest(1500);
				return out; })()`)
			fmt.Printf("%-26s %10.0f %10.0f %10.0f %10.0f %16d %14.6f\n", name, found.Parts["opening"], found.Parts["turning"],
				found.Parts["find"], found.Parts["finding"], found.Over, found.Moved)
		})
	}
}

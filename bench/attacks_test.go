package bench

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/blob"
	"incipit/internal/config"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/core/webpage"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/nouns"
	"incipit/internal/people"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
)

// What must hold for the innocent during an attack.
const (
	mostImage   = 2 * time.Second        // of 95 of 100 page images not yet made
	mostPage    = 500 * time.Millisecond // of 95 of 100 published pages
	mostUpload  = 15 * time.Second       // until an upload's first page is there
	mostServer  = 512 << 20              // bytes of the server process
	mostMade    = 60 << 20               // bytes of what is made, as configured
	attackTakes = 12 * time.Second
)

// target is the program serving in a process of its own.
type target struct {
	b      *testing.B
	config config.Config
	cmd    *exec.Cmd
	rows   nouns.All
	owner  people.Account
}

// attacked starts the program, as `make build` made it.
func attacked(b *testing.B) *target {
	b.Helper()
	program, err := filepath.Abs("../bin/incipit")
	require.NoError(b, err)
	if _, err := os.Stat(program); err != nil {
		b.Skip("make build first")
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(b, err)
	address := l.Addr().String()
	l.Close()
	t := &target{b: b, config: testkit.Config(b, address, nil)}
	t.rows, err = nouns.Open(context.Background(), t.config.DatabaseURL, database.Share(0))
	require.NoError(b, err)
	b.Cleanup(t.rows.DB.Close)
	hash, err := people.Hash(demo.Password)
	require.NoError(b, err)
	t.owner = people.Account{Email: demo.Email, Name: "Maren", PasswordHash: hash}
	require.NoError(b, t.rows.People.AddAccount(context.Background(), &t.owner))
	t.cmd = exec.Command(program, "serve")
	t.cmd.Env = append(os.Environ(), "INCIPIT_ADDRESS="+address, "INCIPIT_DATABASE_URL="+t.config.DatabaseURL,
		"INCIPIT_BLOB_URL="+t.config.BlobURL, fmt.Sprintf("INCIPIT_MADE_MB=%d", mostMade>>20))
	require.NoError(b, t.cmd.Start())
	b.Cleanup(func() {
		_ = t.cmd.Process.Kill()
		_ = t.cmd.Wait()
	})
	patience.Until(b, func() bool {
		answer, err := http.Get(t.config.PublicURL + "/ready")
		if err == nil {
			answer.Body.Close()
		}
		return err == nil && answer.StatusCode == http.StatusOK
	})
	return t
}

// from is a client at one address of this machine.
func from(ip string) *http.Client {
	jar, _ := cookiejar.New(nil)
	return &http.Client{Jar: jar, Timeout: 2 * time.Minute,
		Transport: &http.Transport{DialContext: testkit.FromAddress(ip), MaxIdleConnsPerHost: 64}}
}

func (t *target) signedIn(ip string) *http.Client {
	c := from(ip)
	r, _ := http.NewRequest("POST", t.config.PublicURL+"/sign-in",
		strings.NewReader(url.Values{"email": {demo.Email}, "password": {demo.Password}}.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Sec-Fetch-Site", "same-origin")
	answer, err := c.Do(r)
	require.NoError(t.b, err)
	answer.Body.Close()
	return c
}

func send(c *http.Client, address, name string, body []byte) (int, error) {
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	part, err := w.CreateFormFile("file", name)
	if err == nil {
		_, err = part.Write(body)
	}
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		return 0, err
	}
	r, err := http.NewRequest("POST", address, &form)
	if err != nil {
		return 0, err
	}
	r.Header.Set("Content-Type", w.FormDataContentType())
	r.Header.Set("Sec-Fetch-Site", "same-origin")
	r.Header.Set("Accept", "application/json")
	answer, err := c.Do(r)
	if err != nil {
		return 0, err
	}
	answer.Body.Close()
	return answer.StatusCode, nil
}

// published adds a document and publishes it; it is examined later.
func (t *target) published(c *http.Client, name string, body []byte) (placing.Placement, library.Edition) {
	t.b.Helper()
	status, err := send(c, t.config.PublicURL+"/documents", name, body)
	require.NoError(t.b, err)
	require.Equal(t.b, http.StatusCreated, status, name)
	all, err := t.rows.Library.Documents(context.Background(), "")
	require.NoError(t.b, err)
	p, err := t.rows.Placing.Place(context.Background(), all[0].ID, placing.Start{})
	require.NoError(t.b, err)
	s := setting.Default()
	s.Tools = toolbar.All()
	require.NoError(t.b, t.rows.Placing.Publish(context.Background(), p.ID, all[0].EditionID, t.owner.ID, s))
	e, err := t.rows.Library.Edition(context.Background(), all[0].EditionID)
	require.NoError(t.b, err)
	return p, e
}

func (t *target) examined(edition int64) {
	t.b.Helper()
	patience.Until(t.b, func() bool {
		e, err := t.rows.Library.Edition(context.Background(), edition)
		return err == nil && e.State == library.Ready && e.Indexed >= e.Pages
	})
}

func get(ctx context.Context, c *http.Client, address string) int {
	r, err := http.NewRequestWithContext(ctx, "GET", address, nil)
	if err != nil {
		return 0
	}
	answer, err := c.Do(r)
	if err != nil {
		return 0
	}
	_, _ = io.Copy(io.Discard, answer.Body)
	answer.Body.Close()
	return answer.StatusCode
}

func percentile(all []time.Duration) time.Duration {
	if len(all) == 0 {
		return time.Hour
	}
	slices.Sort(all)
	return all[min(len(all)*95/100, len(all)-1)]
}

// BenchmarkAttacks measures what the innocent get while each attack runs, and
// fails where that is not what is promised.
func BenchmarkAttacks(b *testing.B) {
	for name, attack := range map[string]func(t *target, editor *http.Client) func(ctx context.Context){
		"SlowPage": slowPage, "Searchers": searchers, "SlowFiles": slowFiles, "Tiles": tilesOfAll, "Bodies": bodies, "LongTexts": longTexts,
		"Pictures": pictures, "Guesses": guesses, "Checks": checks,
	} {
		b.Run(name, func(b *testing.B) {
			for range b.N {
				underAttack(b, attack)
			}
		})
	}
}

func underAttack(b *testing.B, prepare func(t *target, editor *http.Client) func(ctx context.Context)) {
	t := attacked(b)
	editor := t.signedIn("127.0.1.1")
	handbook, err := demo.PDF("volunteer-handbook.pdf")
	require.NoError(b, err)
	p, e := t.published(editor, "handbook.pdf", handbook)
	t.examined(e.ID)
	page, err := t.rows.Publishing.AddWebPage(context.Background(), "visiting", webpage.Page{Title: "Visiting"}, "Maren")
	require.NoError(b, err)
	step, err := t.rows.Publishing.WebPageDraft(context.Background(), page.ID)
	require.NoError(b, err)
	require.NoError(b, t.rows.Publishing.PublishWebPage(context.Background(), page.ID, step.Revision, "Maren", webpage.Plan{}))
	attack := prepare(t, editor)
	ctx, stop := context.WithTimeout(context.Background(), attackTakes)
	defer stop()
	var attacking, innocent sync.WaitGroup
	attacking.Go(func() { attack(ctx) })
	time.Sleep(time.Second) // until it is under way
	var mu sync.Mutex
	var images, pages []time.Duration
	var refused atomic.Int64
	innocent.Go(func() {
		reader := from("127.0.2.1")
		for i := 0; ctx.Err() == nil; i++ {
			begun := time.Now()
			// As the reader does it: what is busy is asked for again.
			for {
				status := get(context.Background(), reader,
					fmt.Sprintf("%s/r/%s/page/%s/%d/%d", t.config.PublicURL, p.Key, e.SHA256[:16], 2+i%50, []int{360, 540, 800, 1200}[i/50%4]))
				if status == http.StatusOK {
					break
				}
				refused.Add(1)
				if time.Since(begun) > time.Minute {
					break
				}
				time.Sleep(200 * time.Millisecond)
			}
			mu.Lock()
			images = append(images, time.Since(begun))
			mu.Unlock()
			time.Sleep(50 * time.Millisecond)
		}
	})
	innocent.Go(func() {
		reader := from("127.0.2.2")
		for ctx.Err() == nil {
			begun := time.Now()
			if get(context.Background(), reader, t.config.PublicURL+"/pages/visiting") != http.StatusOK {
				refused.Add(1)
			}
			mu.Lock()
			pages = append(pages, time.Since(begun))
			mu.Unlock()
			time.Sleep(50 * time.Millisecond)
		}
	})
	tides, err := demo.PDF("tide-table.pdf")
	require.NoError(b, err)
	begun := time.Now()
	status, err := send(editor, t.config.PublicURL+"/documents", "tides.pdf", tides)
	require.NoError(b, err)
	require.Equal(b, http.StatusCreated, status)
	// The last that came: its title may have become the file's own by now.
	all, err := t.rows.Library.Documents(context.Background(), "")
	require.NoError(b, err)
	require.NotEmpty(b, all)
	for get(context.Background(), editor, fmt.Sprintf("%s/documents/%d/cover", t.config.PublicURL,
		all[0].ID)) != http.StatusOK && time.Since(begun) < time.Minute {
		time.Sleep(100 * time.Millisecond)
	}
	upload := time.Since(begun)
	innocent.Wait()
	stop()
	attacking.Wait()
	server := peak(t.cmd.Process.Pid)
	worker := int64(0)
	for _, pid := range children(t.cmd.Process.Pid) {
		worker = max(worker, peak(pid))
	}
	made := int64(0)
	store, err := blob.Open(context.Background(), t.config.BlobURL)
	require.NoError(b, err)
	defer store.Close()
	for _, prefix := range []string{"pages/", "tiles/", "layers-2/"} {
		_, n, err := store.Usage(context.Background(), prefix)
		require.NoError(b, err)
		made += n
	}
	image, published := percentile(images), percentile(pages)
	b.ReportMetric(image.Seconds()*1000, "ms-image95")
	b.ReportMetric(float64(len(images)), "images")
	b.ReportMetric(published.Seconds()*1000, "ms-page95")
	b.ReportMetric(upload.Seconds()*1000, "ms-upload")
	b.ReportMetric(float64(server>>20), "MB-server")
	b.ReportMetric(float64(worker>>20), "MB-worker")
	b.ReportMetric(float64(made>>20), "MB-made")
	b.ReportMetric(float64(refused.Load()), "refused")
	if image > mostImage || published > mostPage || upload > mostUpload || server > mostServer ||
		worker > int64(t.config.EngineMemory)<<20 || made > mostMade {
		b.Errorf("the innocent pay: image %s, page %s, upload %s, server %d MB, worker %d MB of %d, made %d MB", image, published, upload,
			server>>20, worker>>20, t.config.EngineMemory, made>>20)
	}
}

// atOnce runs something many times, each at an address of its own or at one, until
// the context ends.
func atOnce(ctx context.Context, n int, own bool, do func(i int, c *http.Client)) {
	var all sync.WaitGroup
	for i := range n {
		all.Go(func() {
			ip := "127.0.9.1"
			if own {
				ip = fmt.Sprintf("127.0.%d.%d", 10+i/200, 1+i%200)
			}
			c := from(ip)
			for ctx.Err() == nil {
				do(i, c)
			}
		})
	}
	all.Wait()
}

// slowPage is 70 connections for a page that takes the engine's whole deadline,
// at every width and tile there is.
func slowPage(t *target, editor *http.Client) func(context.Context) {
	p, e := t.published(editor, "slow.pdf", hostile.Endless(20_000))
	return func(ctx context.Context) {
		widths := []int{160, 240, 360, 540, 800, 1200, 1600, 2400, 3200}
		atOnce(ctx, 70, true, func(i int, c *http.Client) {
			address := fmt.Sprintf("%s/r/%s/page/%s/1/%d", t.config.PublicURL, p.Key, e.SHA256[:16], widths[i%9])
			if i >= 9 {
				address = fmt.Sprintf("%s/r/%s/tile/%s/1/4800/%d/%d", t.config.PublicURL, p.Key, e.SHA256[:16], i%9, i/9)
			}
			get(ctx, c, address)
		})
	}
}

// searchers are 40 at once in a manual of 1,300 pages.
func searchers(t *target, editor *http.Client) func(context.Context) {
	p, e := t.published(editor, "manual.pdf", manual(1300))
	t.examined(e.ID)
	return func(ctx context.Context) {
		var n atomic.Int64
		atOnce(ctx, 40, true, func(_ int, c *http.Client) {
			get(ctx, c, fmt.Sprintf("%s/r/%s/find/%s?q=%c%c", t.config.PublicURL, p.Key, e.SHA256[:16], 'a'+n.Add(1)%20, 'a'+n.Load()%7))
		})
	}
}

// manual is a document of many pages with text.
func manual(pages int) []byte {
	words := strings.Fields("the tern rests on the scrape while the tide falls and a volunteer counts every bird from the northern hide before noon")
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", "", "<</Type /Font /Subtype /Type1 /BaseFont /Helvetica>>"}
	kids := ""
	for i := range pages {
		text := "BT /F 10 Tf 12 TL 40 780 Td "
		for line := range 50 {
			text += "("
			for k := range 12 {
				text += words[(i*7+line*3+k)%len(words)] + " "
			}
			text += fmt.Sprintf("%d) Tj T* ", i*50+line)
		}
		kids += fmt.Sprintf("%d 0 R ", 4+2*i)
		objects = append(objects, fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Resources <</Font <</F 3 0 R>>>> /Contents %d 0 R>>", 5+2*i), hostile.Stream("", text+"ET"))
	}
	objects[1] = fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d>>", kids, pages)
	return hostile.Build(objects...)
}

// slowFiles are two documents whose every page takes the deadline, added again and
// again.
func slowFiles(t *target, editor *http.Client) func(context.Context) {
	return func(ctx context.Context) {
		atOnce(ctx, 2, false, func(i int, _ *http.Client) {
			_, _ = send(editor, t.config.PublicURL+"/documents", fmt.Sprintf("slow %d.pdf", i),
				append(hostile.Endless(20_000), fmt.Sprintf("\n%% %d %d", i, time.Now().UnixNano())...))
			time.Sleep(2 * time.Second)
		})
	}
}

// tilesOfAll asks for every part of every page of a manual.
func tilesOfAll(t *target, editor *http.Client) func(context.Context) {
	p, e := t.published(editor, "manual.pdf", manual(100))
	return func(ctx context.Context) {
		var n atomic.Int64
		atOnce(ctx, 60, false, func(_ int, c *http.Client) {
			i := n.Add(1)
			get(ctx, c, fmt.Sprintf("%s/r/%s/tile/%s/%d/16200/%d/%d", t.config.PublicURL, p.Key, e.SHA256[:16], 1+i%100, i/100%31, i/3100%44))
		})
	}
}

// bodies are forms without end, unfinished or of 300 MB.
func bodies(t *target, _ *http.Client) func(context.Context) {
	return func(ctx context.Context) {
		atOnce(ctx, 120, true, func(i int, c *http.Client) {
			read, write := io.Pipe()
			form := multipart.NewWriter(write)
			go func() {
				part, err := form.CreateFormFile("file", "large.pdf")
				for sent := 0; err == nil && sent < 300<<20 && ctx.Err() == nil; {
					var n int
					n, err = part.Write(make([]byte, 64<<10))
					if sent += n; i%2 == 0 && sent > 1<<20 {
						<-ctx.Done() // unfinished
					}
				}
				write.CloseWithError(io.ErrUnexpectedEOF)
			}()
			r, _ := http.NewRequestWithContext(ctx, "POST", t.config.PublicURL+[]string{"/documents", "/check", "/nowhere", "/sign-in"}[i%4], read)
			r.Header.Set("Content-Type", form.FormDataContentType())
			if answer, err := c.Do(r); err == nil {
				answer.Body.Close()
			}
			read.Close()
		})
	}
}

// longTexts are readers of a document whose labels and titles have no end.
func longTexts(t *target, editor *http.Client) func(context.Context) {
	p, _ := t.published(editor, "long.pdf", hostile.LongTexts(3000, 300_000))
	return func(ctx context.Context) {
		atOnce(ctx, 40, true, func(_ int, c *http.Client) { get(ctx, c, t.config.PublicURL+"/r/"+p.Key) })
	}
}

// pictures are drawings that unfold, added by an editor.
func pictures(t *target, editor *http.Client) func(context.Context) {
	unfolds := unfolding()
	return func(ctx context.Context) {
		atOnce(ctx, 8, false, func(int, *http.Client) {
			_, _ = send(editor, t.config.PublicURL+"/pictures", "marsh.png", unfolds)
		})
	}
}

// guesses are at the password.
func guesses(t *target, _ *http.Client) func(context.Context) {
	return func(ctx context.Context) {
		var n atomic.Int64
		atOnce(ctx, 200, true, func(_ int, c *http.Client) {
			r, _ := http.NewRequestWithContext(ctx, "POST", t.config.PublicURL+"/sign-in",
				strings.NewReader(url.Values{"email": {demo.Email}, "password": {fmt.Sprint("guess number ", n.Add(1))}}.Encode()))
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			r.Header.Set("Sec-Fetch-Site", "same-origin")
			if answer, err := c.Do(r); err == nil {
				answer.Body.Close()
			}
		})
	}
}

// checks are of a page with 16,000 frames.
func checks(t *target, editor *http.Client) func(context.Context) {
	source := strings.Repeat(`<iframe src=”`+t.config.PublicURL+`/r/tidestidestidestide1”></iframe>`, 16_000)
	return func(ctx context.Context) {
		atOnce(ctx, 8, false, func(int, *http.Client) {
			r, _ := http.NewRequestWithContext(ctx, "POST", t.config.PublicURL+"/check", strings.NewReader(url.Values{"source": {source}}.Encode()))
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			r.Header.Set("Sec-Fetch-Site", "same-origin")
			if answer, err := editor.Do(r); err == nil {
				_, _ = io.Copy(io.Discard, answer.Body)
				answer.Body.Close()
			}
		})
	}
}

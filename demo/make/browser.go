package main

import (
	"context"
	"encoding/base64"
	"fmt"
	"net"
	"net/http"
	"os"
	"path"
	"strings"
	"sync"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// browser prints HTML pages.
type browser struct {
	ctx    context.Context
	close  func()
	origin string
	mu     sync.Mutex
	pages  map[string]string
}

// openBrowser starts Chromium and a small server for its pages and fonts.
func openBrowser(ctx context.Context) (*browser, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	b := &browser{origin: "http://" + l.Addr().String(), pages: map[string]string{}}
	server := &http.Server{Handler: http.HandlerFunc(b.serve)}
	go func() { _ = server.Serve(l) }()
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("/usr/bin/chromium-headless-shell"),
		chromedp.Flag("font-render-hinting", "none"))
	if os.Geteuid() == 0 {
		options = append(options, chromedp.NoSandbox)
	}
	alloc, stopAlloc := chromedp.NewExecAllocator(ctx, options...)
	tab, stopTab := chromedp.NewContext(alloc)
	b.ctx = tab
	b.close = func() { stopTab(); stopAlloc(); server.Close() }
	return b, nil
}

func (b *browser) serve(w http.ResponseWriter, r *http.Request) {
	if strings.HasPrefix(r.URL.Path, "/fonts/") {
		for _, dir := range []string{"web/static/vendor/fonts", "demo/make/fonts"} {
			if file := path.Join(dir, path.Base(r.URL.Path)); exists(file) {
				http.ServeFile(w, r, file)
				return
			}
		}
	}
	b.mu.Lock()
	html, ok := b.pages[r.URL.Path]
	b.mu.Unlock()
	if !ok {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprint(w, html)
}

func exists(file string) bool { _, err := os.Stat(file); return err == nil }

// fonts are what every document is set in.
const fonts = `@font-face{font-family:Literata;font-weight:400;src:url(/fonts/literata-latin-400-normal.woff2);unicode-range:U+0000-00FF,U+2000-206F,U+20AC}
@font-face{font-family:Literata;font-weight:400;src:url(/fonts/literata-latin-ext-400-normal.woff2);unicode-range:U+0100-02BA,U+1E00-1E9F}
@font-face{font-family:Literata;font-weight:600;src:url(/fonts/literata-latin-600-normal.woff2);unicode-range:U+0000-00FF,U+2000-206F,U+20AC}
@font-face{font-family:Literata;font-weight:600;src:url(/fonts/literata-latin-ext-600-normal.woff2);unicode-range:U+0100-02BA,U+1E00-1E9F}
@font-face{font-family:Sans;font-weight:400;src:url(/fonts/source-sans-3-latin-400-normal.woff2)}
@font-face{font-family:Sans;font-weight:600;src:url(/fonts/source-sans-3-latin-600-normal.woff2)}
@font-face{font-family:Hand;src:url(/fonts/homemade-apple-latin-400-normal.woff2)}
*{box-sizing:border-box}html,body{margin:0;padding:0}body{font:10.5pt/1.45 Literata,serif;color:#23222B}
.page{position:relative;overflow:hidden;break-after:page}.page:last-child{break-after:auto}
h1,h2,h3{line-height:1.2;margin:0 0 .5em;font-weight:600}p{margin:0 0 .6em}a{color:#1f4a70;text-decoration:none}`

// open shows a document and waits for its fonts.
func (b *browser) open(title, lang, css, body string) error {
	b.mu.Lock()
	name := fmt.Sprintf("/%d.html", len(b.pages))
	b.pages[name] = `<!doctype html><html lang="` + lang + `"><head><meta charset="utf-8"><title>` + title + `</title><style>` + fonts +
		css + `</style></head><body>` + body + `</body></html>`
	b.mu.Unlock()
	if err := chromedp.Do(b.ctx, chromedp.Navigate(b.origin+name)); err != nil {
		return err
	}
	_, err := chromedp.Run(b.ctx, chromedp.Evaluate[bool](`document.fonts.ready.then(() => true)`, chromedp.EvalAwaitPromise))
	if err != nil {
		return err
	}
	// A page of fixed size that does not hold its text would lose it.
	over, err := chromedp.Run(b.ctx, chromedp.Evaluate[[]string](
		`[...document.querySelectorAll('.page')].filter(p => p.scrollHeight > p.clientHeight + 2).map(p => p.innerText.slice(0, 60))`))
	if err != nil {
		return err
	}
	if len(over) > 0 {
		return fmt.Errorf("pages that do not hold their text: %q", over)
	}
	return nil
}

// print makes a PDF of what is shown, with the page sizes of its CSS.
func (b *browser) print() ([]byte, error) {
	yes, none := true, 0.0
	out, err := chromedp.Call(b.ctx, page.PrintToPDF, page.PrintToPDFParams{
		PrintBackground: &yes, PreferCSSPageSize: &yes, GenerateTaggedPDF: &yes, GenerateDocumentOutline: &yes,
		MarginTop: &none, MarginBottom: &none, MarginLeft: &none, MarginRight: &none,
	})
	if err != nil {
		return nil, err
	}
	return []byte(out.Data), nil
}

// document prints HTML in one go.
func (b *browser) document(title, lang, css, body string) ([]byte, error) {
	if err := b.open(title, lang, css, body); err != nil {
		return nil, err
	}
	return b.print()
}

// picture shows HTML and takes a PNG of it at w × h CSS px, scaled.
func (b *browser) picture(css, body string, w, h int64, scale float64) ([]byte, error) {
	if _, err := chromedp.Call(b.ctx, emulation.SetDeviceMetricsOverride,
		emulation.SetDeviceMetricsOverrideParams{Width: w, Height: h, DeviceScaleFactor: scale}); err != nil {
		return nil, err
	}
	if err := b.open("scan", "en", css, body); err != nil {
		return nil, err
	}
	return chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
}

func dataURL(mediaType string, b []byte) string {
	return "data:" + mediaType + ";base64," + base64.StdEncoding.EncodeToString(b)
}

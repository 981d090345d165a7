package testkit

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/cdp"
	cdplog "github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"incipit/internal/testkit/patience"
)

var (
	browserOnce sync.Once
	browserCtx  context.Context
	browserErr  error
	stopBrowser = func() {}
)

// chromium finds Debian's browser, the small one first; INCIPIT_TEST_BROWSER names
// another.
func chromium() (string, error) {
	names := []string{"chromium-headless-shell", "chromium"}
	if name := os.Getenv("INCIPIT_TEST_BROWSER"); name != "" {
		names = []string{name}
	}
	for _, name := range names {
		if path, err := exec.LookPath(name); err == nil {
			return path, nil
		}
	}
	return "", fmt.Errorf("no Chromium: apt-get install chromium-headless-shell")
}

// launch starts a browser; more are flags of its own.
func launch(more ...chromedp.ExecAllocatorOption) (context.Context, func(), error) {
	path, err := chromium()
	if err != nil {
		return nil, func() {}, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path),
		// Without a locale the browser finds no file whose name is not ASCII.
		chromedp.Env("LC_ALL=C.UTF-8"),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-domain-reliability", true), chromedp.Flag("disable-quic", true),
		chromedp.Flag("no-pings", true), chromedp.Flag("no-proxy-server", true), chromedp.Flag("dns-prefetch-disable", true),
		// A window that every page fits in: after full screen, presses beyond the edge of
		// a smaller one miss the frames there.
		chromedp.WindowSize(1920, 1400),
		// A graphics card made of software takes a tenth of the processors, and draws the same.
		chromedp.Flag("disable-gpu", true), chromedp.Flag("disable-software-rasterizer", true),
		chromedp.Flag("site-per-process", true), chromedp.Flag("force-color-profile", "srgb"), chromedp.Flag("hide-scrollbars", false),
		chromedp.Flag("host-resolver-rules", "MAP * ^NOTFOUND , EXCLUDE 127.0.0.1 , EXCLUDE localhost , EXCLUDE *.localhost"))
	if os.Geteuid() == 0 {
		options = append(options, chromedp.NoSandbox)
	}
	alloc, stopAlloc := chromedp.NewExecAllocator(context.Background(), append(options, more...)...)
	ctx, stop := chromedp.NewContext(alloc)
	return ctx, func() { stop(); stopAlloc() }, chromedp.Do(ctx)
}

// Tab is one page of a browser with cookies of its own.
type Tab struct {
	Ctx      context.Context
	t        testing.TB
	mu       sync.Mutex
	troubles []string
	allowed  []string
}

// lifetime ends what a browser does not answer; waits end much earlier, when nothing moves.
const lifetime = 15 * time.Minute

// violations is put into every page before its own scripts.
const violations = `addEventListener('securitypolicyviolation', (e) => console.error('CSP violation: ' + e.violatedDirective + ' ' + e.blockedURI));`

// Browse opens a tab at a window size. The test fails on console errors and
// warnings, exceptions, CSP violations and failed requests in it.
func Browse(t testing.TB, width, height int64) *Tab {
	t.Helper()
	browserOnce.Do(func() { browserCtx, stopBrowser, browserErr = launch() })
	require.NoError(t, browserErr)
	return browse(t, browserCtx, width, height)
}

// BrowseWithoutScript opens a tab in a browser of its own that runs no script.
func BrowseWithoutScript(t testing.TB, width, height int64) *Tab {
	t.Helper()
	return browseSet(t, "scriptEnabled=false", width, height)
}

// BrowseWithoutImages opens a tab in a browser of its own that shows no images.
func BrowseWithoutImages(t testing.TB, width, height int64) *Tab {
	t.Helper()
	return browseSet(t, "imagesEnabled=false", width, height)
}

func browseSet(t testing.TB, settings string, width, height int64) *Tab {
	t.Helper()
	ctx, stop, err := launch(chromedp.Flag("blink-settings", settings))
	t.Cleanup(stop)
	require.NoError(t, err)
	return browse(t, ctx, width, height)
}

func browse(t testing.TB, in context.Context, width, height int64) *Tab {
	t.Helper()
	ctx, stop := chromedp.NewContext(in, chromedp.WithNewBrowserContext())
	ctx, stopTime := context.WithTimeout(ctx, lifetime)
	tab := &Tab{Ctx: ctx, t: t}
	t.Cleanup(func() {
		stopTime()
		stop()
		tab.mu.Lock()
		defer tab.mu.Unlock()
		for _, trouble := range tab.troubles {
			t.Errorf("in the browser: %s", trouble)
		}
	})
	tab.Watch(ctx)
	tab.Do(chromedp.EmulateViewport(width, height))
	return tab
}

// Watch listens to a target, the tab's own or that of a frame in a process of
// its own.
func (tab *Tab) Watch(ctx context.Context) {
	tab.t.Helper()
	require.NoError(tab.t, tab.watch(ctx))
}

func (tab *Tab) watch(ctx context.Context) error {
	addresses := map[network.RequestID]string{}
	err := chromedp.Listen(ctx, func(event any) {
		switch e := event.(type) {
		case *runtime.EventConsoleAPICalled:
			if e.Type == runtime.ConsoleAPICalledTypeError || e.Type == runtime.ConsoleAPICalledTypeWarning {
				var parts []string
				for _, a := range e.Args {
					parts = append(parts, strings.Trim(string(a.Value), `"`)+a.Description)
				}
				tab.trouble("console %s: %s", e.Type, strings.Join(parts, " "))
			}
		case *runtime.EventExceptionThrown:
			tab.trouble("exception: %s %s", e.ExceptionDetails.Text, describe(e.ExceptionDetails))
		case *cdplog.EventEntryAdded:
			if e.Entry.Level == cdplog.EntryLevelError || e.Entry.Level == cdplog.EntryLevelWarning {
				tab.trouble("log %s: %s %s", e.Entry.Level, e.Entry.Text, e.Entry.URL)
			}
		case *network.EventRequestWillBeSent:
			tab.mu.Lock()
			addresses[e.RequestID] = e.Request.URL
			tab.mu.Unlock()
		case *network.EventResponseReceived:
			if e.Response.Status >= 400 {
				tab.trouble("status %d: %s", e.Response.Status, e.Response.URL)
			}
		case *network.EventLoadingFailed:
			tab.mu.Lock()
			address := addresses[e.RequestID]
			tab.mu.Unlock()
			if !e.Canceled {
				tab.trouble("request failed: %s %s", e.ErrorText, address)
			}
		}
	})
	if err != nil {
		return err
	}
	if err := chromedp.Do(ctx); err != nil {
		return err
	}
	for _, enable := range []func() error{
		func() error { _, err := chromedp.Call(ctx, network.Enable, network.EnableParams{}); return err },
		func() error { _, err := chromedp.Call(ctx, cdplog.Enable, cdp.Empty{}); return err },
		func() error { _, err := chromedp.Call(ctx, runtime.Enable, cdp.Empty{}); return err },
		func() error { _, err := chromedp.Call(ctx, page.Enable, page.EnableParams{}); return err },
		func() error {
			_, err := chromedp.Call(ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: violations})
			return err
		},
	} {
		if err := enable(); err != nil {
			return err
		}
	}
	return nil
}

func describe(d *runtime.ExceptionDetails) string {
	if d.Exception == nil {
		return d.URL
	}
	return d.Exception.Description
}

func (tab *Tab) trouble(format string, args ...any) {
	said := fmt.Sprintf(format, args...)
	tab.mu.Lock()
	defer tab.mu.Unlock()
	for _, a := range tab.allowed {
		if strings.Contains(said, a) {
			return
		}
	}
	tab.troubles = append(tab.troubles, said)
}

// Log says something about the tab in the test's output.
func (tab *Tab) Log(format string, args ...any) {
	tab.t.Helper()
	tab.t.Logf(format, args...)
}

// Expect names a trouble that is what the test is about.
func (tab *Tab) Expect(part string) {
	tab.mu.Lock()
	defer tab.mu.Unlock()
	tab.allowed = append(tab.allowed, part)
}

// Allow grants a permission of the browser to an origin.
func (tab *Tab) Allow(permission, origin string) {
	tab.t.Helper()
	_, err := chromedp.CallBrowser(tab.Ctx, browser.SetPermission, browser.SetPermissionParams{
		Permission: &browser.PermissionDescriptor{Name: permission}, Setting: "granted", Origin: origin,
		BrowserContextID: chromedp.FromContext(tab.Ctx).BrowserContextID,
	})
	require.NoError(tab.t, err)
}

// Do runs actions.
func (tab *Tab) Do(steps ...chromedp.Action[chromedp.Void]) {
	tab.t.Helper()
	require.NoError(tab.t, chromedp.Do(tab.Ctx, steps...))
}

// sight is what somebody sees of a page, as far as it tells one moment from another.
const sight = `location.href + document.readyState + document.body?.innerText + [...document.images].filter((i) => i.complete).length`

// Until waits until a script is true in a target, for as long as something moves there. A
// page that navigates meanwhile is asked again.
func (tab *Tab) Until(ctx context.Context, script string) {
	tab.t.Helper()
	var last error
	wait := patience.New()
	for n := 0; ; n++ {
		var ok bool
		if ok, last = chromedp.Run(ctx, chromedp.Evaluate[bool]("!!("+script+")")); ok {
			return
		}
		if n%16 == 15 {
			seen, _ := chromedp.Run(ctx, chromedp.Evaluate[string](sight))
			wait.Saw(seen)
		}
		if ctx.Err() != nil || !wait.Next() {
			shown, _ := chromedp.Run(ctx, chromedp.Evaluate[string]("location.href + '\\n' + document.body.innerText.slice(0, 600)"))
			tab.mu.Lock()
			defer tab.mu.Unlock()
			require.Fail(tab.t, "waited in vain", "%s: until %s; last error %v; troubles so far: %v; shown: %s", wait.How(), script, last, tab.troubles, shown)
		}
	}
}

// Eval runs a script in a target and gives its value.
func Eval[T any](tab *Tab, ctx context.Context, script string) T {
	tab.t.Helper()
	v, err := chromedp.Run(ctx, chromedp.Evaluate[T](script, chromedp.EvalAwaitPromise))
	require.NoError(tab.t, err, script)
	return v
}

// Frame attaches to a frame that another site serves, by the start of its
// address. One that goes away meanwhile is no longer the one that is meant.
func (tab *Tab) Frame(start string) context.Context {
	tab.t.Helper()
	var frame context.Context
	patience.Until(tab.t, func() bool {
		targets, err := chromedp.Targets(tab.Ctx)
		if err != nil {
			return false
		}
		for _, target := range targets {
			if target.Type == "iframe" && target.BrowserContextID == chromedp.FromContext(tab.Ctx).BrowserContextID &&
				strings.HasPrefix(target.URL, start) {
				ctx, stop := chromedp.NewContext(tab.Ctx, chromedp.WithTargetID(target.TargetID), chromedp.WithDetachOnCancel())
				tab.t.Cleanup(stop)
				if tab.watch(ctx) == nil {
					frame = ctx
					return true
				}
			}
		}
		return false
	}, "a frame at %s", start)
	return frame
}

// Shot keeps a picture of the window.
func (tab *Tab) Shot(path string) {
	tab.t.Helper()
	b, err := chromedp.Run(tab.Ctx, chromedp.CaptureScreenshot())
	require.NoError(tab.t, err)
	require.NoError(tab.t, os.WriteFile(path, b, 0o644))
}

// Throttle bounds how many bytes a second the tab may send; 0 ends that.
func (tab *Tab) Throttle(bytesPerSecond float64) {
	tab.t.Helper()
	if bytesPerSecond == 0 {
		bytesPerSecond = -1
	}
	_, err := chromedp.Call(tab.Ctx, network.EmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{
		MatchedNetworkConditions: []*network.Conditions{{DownloadThroughput: -1, UploadThroughput: bytesPerSecond}}})
	require.NoError(tab.t, err)
}

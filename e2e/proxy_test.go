package e2e

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// nginx runs the configuration that docs/operate.md gives, in front of a house.
func nginx(t *testing.T, house, address string) {
	t.Helper()
	program := "/usr/sbin/nginx"
	if _, err := os.Stat(program); err != nil {
		t.Skip("nginx is not installed")
	}
	doc, err := os.ReadFile("../docs/operate.md")
	require.NoError(t, err)
	_, block, ok := strings.Cut(string(doc), "```nginx\n")
	require.True(t, ok)
	block, _, _ = strings.Cut(block, "```")
	dir := t.TempDir()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(1), NotAfter: time.Now().Add(time.Hour),
		DNSNames: []string{"documents.harrowmere.example"}}
	certificate, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	private, err := x509.MarshalECPrivateKey(key)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "cert.pem"), pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: certificate}),
		0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "key.pem"), pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: private}),
		0o600))
	block = strings.NewReplacer("listen 443", "listen "+address, "/etc/ssl/harrowmere/fullchain.pem", dir+"/cert.pem",
		"/etc/ssl/harrowmere/privkey.pem", dir+"/key.pem",
		"http://127.0.0.1:8080", house, "client_max_body_size 201m", "client_max_body_size 1m").Replace(block)
	user := ""
	if os.Geteuid() == 0 {
		user = "user root;\n"
	}
	config := fmt.Sprintf("daemon off;\n%spid %s/pid;\nerror_log stderr;\nevents {}\nhttp {\naccess_log off;\n", user, dir)
	for _, temp := range []string{"client_body", "proxy", "fastcgi", "uwsgi", "scgi"} {
		config += fmt.Sprintf("%s_temp_path %s/%s;\n", temp, dir, temp)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "nginx.conf"), []byte(config+block+"}\n"), 0o600))
	cmd := exec.Command(program, "-p", dir, "-c", filepath.Join(dir, "nginx.conf"))
	var said bytes.Buffer
	cmd.Stderr = &said
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		_ = cmd.Process.Signal(os.Interrupt)
		_ = cmd.Wait()
	})
	patience.Until(t, func() bool {
		c, err := net.Dial("tcp", address)
		if err == nil {
			c.Close()
		}
		return err == nil
	}, "nginx: %s", &said)
}

// The configuration that we recommend works: readers read by https, files go
// through, and each reader is told from the others.
func TestBehindNginx(t *testing.T) {
	free, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := free.Addr().String()
	free.Close()
	h := testkit.OpenWith(t, map[string]string{"INCIPIT_PUBLIC_URL": "https://documents.harrowmere.example",
		"INCIPIT_TRUSTED_PROXIES": "127.0.0.1"})
	nginx(t, h.Direct, address)
	client := func(from string) *http.Client {
		jar, err := cookiejar.New(nil)
		require.NoError(t, err)
		return &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
			Transport: &http.Transport{DisableKeepAlives: true, TLSClientConfig: &tls.Config{InsecureSkipVerify: true},
				DialContext: testkit.FromAddress(from)}} //nolint:gosec // a certificate made above
	}
	send := func(c *http.Client, path, mediaType, body string) (int, http.Header) {
		r, err := http.NewRequest("POST", "https://"+address+path, strings.NewReader(body))
		require.NoError(t, err)
		r.Host = "documents.harrowmere.example"
		r.Header.Set("Content-Type", mediaType)
		r.Header.Set("Sec-Fetch-Site", "same-origin")
		answer, err := c.Do(r)
		require.NoError(t, err)
		answer.Body.Close()
		return answer.StatusCode, answer.Header
	}
	form := "application/x-www-form-urlencoded"
	guesser, owner := client("127.0.0.66"), client("127.0.0.7")
	paused := 0
	for i := range 60 {
		if status, _ := send(guesser, "/sign-in", form, url.Values{"email": {fmt.Sprint("guess", i, "@harrowmere.example")},
			"password": {"a guess of some kind"}}.Encode()); status == http.StatusTooManyRequests {
			paused++
		}
	}
	assert.Equal(t, 20, paused, "of one origin, 40 are looked at")
	status, header := send(owner, "/sign-in", form, url.Values{"email": {demo.Email}, "password": {demo.Password}}.Encode())
	require.Equal(t, http.StatusSeeOther, status, "who comes from elsewhere is not held up")
	assert.Contains(t, header.Get("Strict-Transport-Security"), "max-age=")
	assert.Contains(t, strings.Join(header.Values("Set-Cookie"), " "), "Secure")
	small, err := demo.PDF("tide-table.pdf")
	require.NoError(t, err)
	mediaType, body := formOf(t, "tides.pdf", small)
	// As the browser sees it: signed in, over https.
	origin, err := url.Parse("https://" + address)
	require.NoError(t, err)
	for _, c := range owner.Jar.Cookies(&url.URL{Scheme: "https", Host: "documents.harrowmere.example", Path: "/"}) {
		owner.Jar.SetCookies(origin, []*http.Cookie{c})
	}
	status, _ = send(owner, "/documents", mediaType, body)
	assert.Contains(t, []int{http.StatusCreated, http.StatusSeeOther}, status)
	mediaType, body = formOf(t, "large.pdf", append(small, make([]byte, 2<<20)...))
	status, _ = send(owner, "/documents", mediaType, body)
	assert.Equal(t, http.StatusRequestEntityTooLarge, status)
}

// A file goes on by itself where a proxy loses the server for a while; one that takes no
// part of it is told as that, with what its operator has to change.
func TestAnUploadThatAProxyCutsOff(t *testing.T) {
	h := testkit.Open(t)
	var cut atomic.Int64
	line := through(t, h, func(w http.ResponseWriter, r *http.Request) bool {
		if r.Method != "PATCH" || cut.Load() == 0 {
			return false
		}
		w.Header().Set("Content-Type", "text/html")
		w.WriteHeader(int(cut.Load()))
		_, _ = w.Write([]byte("<h1>nginx</h1>"))
		return true
	})
	tab := testkit.Browse(t, 1280, 800)
	tab.Expect("status 413")
	tab.Expect("status 504")
	tab.Expect("status 502")
	tab.Expect("Failed to load resource")
	direct := h.URL
	h.URL = line
	signIn(h, tab)
	h.URL = direct
	file := filepath.Join(t.TempDir(), "tides.pdf")
	b, err := demo.PDF("tide-table.pdf")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, b, 0o644))
	cut.Store(413)
	tab.Do(chromedp.SetUploadFiles("#file", []string{file}))
	for _, want := range []string{"takes no file", "client_max_body_size 2m;", "What has arrived is kept", "0.5 MB, status"} {
		tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('.uploads li.paused')?.innerText.includes(%q)`, want))
	}
	tab.Until(tab.Ctx, `[...document.querySelectorAll('.uploads li button')].some((b) => b.textContent === 'Resume' && b.checkVisibility())`)
	for _, status := range []int64{504, 502} {
		cut.Store(status)
		testkit.Eval[bool](tab, tab.Ctx, `([...document.querySelectorAll('.uploads li button')].find((b) => b.textContent === 'Resume' && b.checkVisibility())?.click(), true)`)
		tab.Until(tab.Ctx, `document.querySelector('.uploads li')?.innerText.includes('It goes on by itself')`)
	}
	cut.Store(0)
	tab.Until(tab.Ctx, `document.querySelector('.docs tbody tr') && !document.querySelector('.uploads li')`)

	// So does a new edition, in the same parts.
	tab.Do(chromedp.Navigate(line + "/documents/1"))
	tab.Until(tab.Ctx, `document.querySelector('.editions') && !document.querySelector('.sending').hasAttribute('x-cloak')`)
	cut.Store(413)
	tab.Do(chromedp.SetUploadFiles("#file", []string{file}))
	tab.Until(tab.Ctx, `document.querySelector('.said.must[role=alert]')?.innerText.includes('client_max_body_size 2m;') && document.activeElement.id === 'file'`)
	cut.Store(502)
	tab.Do(chromedp.SetUploadFiles("#file", []string{file}))
	tab.Until(tab.Ctx, `document.querySelector('.sending').innerText.includes('It goes on by itself')`)
	tab.Do(chromedp.Click(".sending button"))
	tab.Until(tab.Ctx, `document.querySelector('.said.must[role=alert]').innerText.includes('Cancelled')`)
	tab.Do(chromedp.SetUploadFiles("#file", []string{file}))
	tab.Until(tab.Ctx, `document.querySelector('.sending').innerText.includes('It goes on by itself')`)
	cut.Store(0)
	tab.Until(tab.Ctx, `location.pathname === '/documents/1/editions/2' && document.querySelector('.outcome')?.textContent.includes('No change was found')`)
}

package main

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/database"
	"incipit/internal/nouns"
	"incipit/internal/people"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

// Files on their way arrive, each once and undamaged, though the server is killed midway,
// started again, and the screen is loaded again; no part that was acknowledged is lost.
func TestFilesArriveThoughTheServerIsKilled(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a browser")
	}
	s := newServer(t)
	s.more = keeps
	s.start()
	rows, err := nouns.Open(t.Context(), s.config.DatabaseURL, database.Share(0))
	require.NoError(t, err)
	t.Cleanup(rows.DB.Close)
	hash, err := people.Hash(demo.Password)
	require.NoError(t, err)
	require.NoError(t, rows.People.AddAccount(t.Context(), &people.Account{Email: demo.Email, Name: "Maren", PasswordHash: hash}))
	const n = 6
	dir := t.TempDir()
	hashes := map[string]int{}
	var paths []string
	for i := range n {
		b := append(hostile.ManyPages(1+i), bytes.Repeat([]byte(fmt.Sprintf("%% the %d. of several files\n", i)), 60_000)...)
		path := filepath.Join(dir, fmt.Sprintf("survey-%d.pdf", i))
		require.NoError(t, os.WriteFile(path, b, 0o600))
		paths = append(paths, path)
		hashes[fmt.Sprintf("%x", sha256.Sum256(b))] = 1
	}
	tab := testkit.Browse(t, 1280, 800)
	for _, part := range []string{"Failed to load resource", "net::", "status 5"} {
		tab.Expect(part)
	}
	tab.Do(chromedp.Navigate(s.config.PublicURL+"/sign-in"), chromedp.SendKeys("#email", demo.Email), chromedp.SendKeys("#password", demo.Password+"\r"))
	tab.Until(tab.Ctx, `document.querySelector('.dropping') && !document.querySelector('.dropping').hasAttribute('x-cloak')`)
	tab.Throttle(500_000)
	tab.Do(chromedp.SetUploadFiles("#file", paths))
	received := func() (bytes int64) {
		require.NoError(t, rows.DB.Pool.QueryRow(t.Context(), "SELECT coalesce(sum(received), 0)::bigint FROM uploads").Scan(&bytes))
		return bytes
	}
	for round := range 2 {
		before := received()
		require.Eventually(t, func() bool { return received() > before+600_000 }, 30*time.Second, 20*time.Millisecond)
		s.kill()
		kept := received()
		tab.Until(tab.Ctx, `[...document.querySelectorAll('.uploads li')].some((l) => l.innerText.includes('It goes on by itself'))`)
		s.start()
		if round == 1 {
			tab.Do(chromedp.Reload())
			tab.Throttle(0)
		}
		require.Eventually(t, func() bool { return received() > kept }, 30*time.Second, 20*time.Millisecond, "it goes on")
	}
	tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelectorAll('.docs tbody tr').length === %d && !document.querySelector('.uploads li')`, n))
	got := map[string]int{}
	list, err := rows.DB.Pool.Query(t.Context(), "SELECT sha256 FROM editions")
	require.NoError(t, err)
	defer list.Close()
	for list.Next() {
		var hash string
		require.NoError(t, list.Scan(&hash))
		got[hash]++
	}
	assert.Equal(t, hashes, got)
}

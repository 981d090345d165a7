package e2e

import (
	"context"
	"encoding/base64"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
)

var sample = regexp.MustCompile("(?s)```(html|js|python|php)\n(.*?)```")

// Every sample of the guide for websites is complete, and does what it says.
func TestSamplesOfTheGuide(t *testing.T) {
	guide, err := os.ReadFile(filepath.Join("..", "docs", "on-the-page.md"))
	require.NoError(t, err)
	p := paste(t)
	_, guarded := placed(t, p.House, "survey-paper.pdf")
	require.NoError(t, p.Placing.Redraft(t.Context(), guarded.ID, 0, setting.PatchOf(setting.Guarded, true)))
	publish(t, p.House, guarded.ID)
	require.NoError(t, p.Placing.SetRecord(t.Context(), guarded.ID, "survey-2026-14"))
	key, err := p.Placing.AddSigningKey(t.Context(), "portal")
	require.NoError(t, err)
	made := func(program string, args ...string) (string, bool) {
		path, err := exec.LookPath(program)
		if err != nil {
			t.Logf("%s is missing: its sample was not run", program)
			return "", false
		}
		ctx, stop := context.WithTimeout(t.Context(), 30*time.Second)
		defer stop()
		c := exec.CommandContext(ctx, path, args...)
		c.Env = append(os.Environ(), fmt.Sprintf("INCIPIT_KEY=%d", key.ID), "INCIPIT_SECRET="+base64.RawURLEncoding.EncodeToString(key.Secret))
		out, err := c.CombinedOutput()
		require.NoError(t, err, "%s", out)
		return strings.TrimSpace(string(out)), true
	}
	ran, pages := 0, 0
	tokens := []string{}
	for _, s := range sample.FindAllStringSubmatch(string(guide), -1) {
		file := filepath.Join(t.TempDir(), "sample."+map[string]string{"js": "mjs", "python": "py", "php": "php", "html": "html"}[s[1]])
		require.NoError(t, os.WriteFile(file, []byte(s[2]), 0o600))
		if program := map[string]string{"js": "node", "python": "python3", "php": "php"}[s[1]]; program != "" {
			if token, ok := made(program, file); ok {
				tokens = append(tokens, token)
				ran++
			}
			continue
		}
		pages++
		source := strings.NewReplacer("PUBLIC/r/KEY", p.address, "PUBLIC", p.URL).Replace(s[2])
		if !strings.Contains(source, "TOKEN") {
			p.on(t, told+source)
			p.tab.Until(p.tab.Ctx, `!!customElements.get('incipit-placement')`)
			if strings.Contains(source, "data-incipit=\"over\"") {
				p.tab.Until(p.tab.Ctx, `document.querySelector('incipit-placement')`)
				continue
			}
			p.tab.Until(p.tab.Ctx, `window.told.some((e) => e.startsWith('ready'))`)
			continue
		}
		require.NotEmpty(t, tokens, "a token is made before it is shown")
		for _, token := range tokens {
			p.on(t, told+strings.ReplaceAll(source, "TOKEN", token))
			p.tab.Until(p.tab.Ctx, `window.told.some((e) => e.startsWith('page'))`)
		}
	}
	assert.GreaterOrEqual(t, ran, 1)
	assert.GreaterOrEqual(t, pages, 4)
}

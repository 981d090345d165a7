//go:build look

package e2e

import (
	"encoding/json"
	"os"
	"strconv"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"incipit/internal/testkit"
)

type step struct{ Url, Js, Wait, Out, Dark string }

func TestLook(t *testing.T) {
	var steps []step
	b, _ := os.ReadFile(os.Getenv("LOOK"))
	if err := json.Unmarshal(b, &steps); err != nil {
		t.Fatal(err)
	}
	w, _ := strconv.Atoi(os.Getenv("W"))
	h, _ := strconv.Atoi(os.Getenv("H"))
	tab := testkit.Browse(t, int64(w), int64(h))
	for _, s := range steps {
		if s.Url != "" {
			tab.Do(chromedp.Navigate("about:blank"), chromedp.Navigate(s.Url))
		}
		if s.Js != "" {
			testkit.Eval[any](tab, tab.Ctx, s.Js)
		}
		if s.Wait != "" {
			tab.Until(tab.Ctx, s.Wait)
		}
		time.Sleep(400 * time.Millisecond)
		if s.Out != "" {
			p, err := chromedp.Run(tab.Ctx, chromedp.CaptureScreenshot())
			if err != nil {
				t.Fatal(err)
			}
			os.WriteFile(s.Out, p, 0o644)
		}
	}
}

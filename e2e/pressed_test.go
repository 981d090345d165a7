package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"

	"incipit/internal/testkit"
)

// What can be seen and pressed is what the pointer meets there: nothing lies over it, and
// no rule of a style takes its presses away.
func TestWhatIsSeenCanBePressed(t *testing.T) {
	h := testkit.Open(t)
	d, p := placed(t, h, "tide-table.pdf")
	publish(t, h, p.ID)
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	for _, screen := range []string{"/documents", fmt.Sprintf("/documents/%d", d.ID), fmt.Sprintf("/documents/%d/editions/1", d.ID), "/placements",
		"/collections", "/web-pages", "/check", "/house-style", "/signing-keys", "/account", fmt.Sprintf("/placements/%d/ways", p.ID)} {
		tab.Do(chromedp.Navigate(h.URL + screen))
		tab.Until(tab.Ctx, `document.readyState === 'complete' && document.querySelector('h1')`)
		missed := testkit.Eval[[]string](tab, tab.Ctx, `[...document.querySelectorAll('a[href], button, input, select, summary')].filter((e) => {
			const b = (e.labels?.[0]?.classList.contains('btn') ? e.labels[0] : e).getBoundingClientRect();
			const [x, y] = [b.x + b.width / 2, b.y + b.height / 2];
			if (e.disabled || b.width < 3 || x < 0 || y < 0 || x > innerWidth || y > innerHeight || !e.checkVisibility({ visibilityProperty: true })) return false;
			const met = document.elementFromPoint(x, y);
			return !(e.contains(met) || met?.closest('label')?.control === e);
		}).map((e) => e.outerHTML.slice(0, 120))`)
		assert.Empty(t, missed, screen)
	}
}

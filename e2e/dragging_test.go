package e2e

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/unicode/norm"

	"incipit/demo"
	"incipit/internal/core/find"
	"incipit/internal/core/overlay"
	"incipit/internal/testkit"
	"incipit/internal/testkit/paper"
)

// wordOn is a word of a page and where its letters stand, in points of the page: from
// one end to the other.
type wordOn struct {
	Word           string
	Ax, Ay, Bx, By float64
}

// wordsOn lists at most so many words of a page that stand there once, each on one
// line, as the server has read them, which knows nothing of how a browser lays
// letters out. Where a script has no spaces, three letters are a word.
func wordsOn(runs []overlay.Run, most int) []wordOn {
	text := find.Of(runs)
	plain := text.Plain()
	var out []wordOn
	for _, r := range runs {
		for _, word := range strings.FieldsFunc(r.Text, func(c rune) bool {
			return !unicode.IsLetter(c) && !unicode.IsDigit(c) &&
				!unicode.Is(unicode.M, c)
		}) {
			letters := []rune(word)
			if unicode.In(letters[0], unicode.Han, unicode.Hiragana, unicode.Katakana) && len(letters) > 3 {
				letters = letters[:3]
			}
			if unicode.Is(unicode.Thai, letters[0]) {
				letters = letters[:clusters(letters, 4)]
			}
			if len(letters) < 3 {
				continue
			}
			word := string(letters)
			q, err := find.Ask(word, find.Options{})
			if err != nil {
				continue
			}
			hits := q.In(plain)
			if len(hits) != 1 {
				continue
			}
			boxes := text.Boxes(hits[0])
			if len(boxes) != 1 {
				continue
			}
			b := boxes[0]
			w := wordOn{word, b.X + 0.6, b.Y + b.H/2, b.X + b.W - 0.6, b.Y + b.H/2}
			switch {
			case r.Upright || r.Angle == 90:
				w = wordOn{word, b.X + b.W/2, b.Y + 0.6, b.X + b.W/2, b.Y + b.H - 0.6}
			case unicode.In(letters[0], unicode.Arabic, unicode.Hebrew):
				w.Ax, w.Bx = w.Bx, w.Ax
			}
			out = append(out, w)
		}
	}
	for len(out) > most {
		var half []wordOn
		for i := 0; i < len(out); i += 2 {
			half = append(half, out[i])
		}
		out = half
	}
	return out
}

// clusters says how many letters of Thai make at least so many and end with a cluster:
// what follows is neither a mark nor a vowel that goes with what stands before it.
func clusters(letters []rune, least int) int {
	for n := least; n < len(letters); n++ {
		next := letters[n]
		if !unicode.Is(unicode.M, next) && (next < 0x0E30 || next > 0x0E3A) && next != 0x0E45 && next != 0x0E46 {
			return n
		}
	}
	return len(letters)
}

// The word that is dragged over is the word that is selected, in every script, however
// it is set: of a thousand, 99 in a hundred.
func TestDraggingOverWords(t *testing.T) {
	h := testkit.Open(t)
	tried, right := 0, 0
	pressed := 0
	var wrong, unpressed []string
	for _, file := range []string{"scripts.pdf", "survey-paper.pdf", "leaflet-welcome.pdf", "spring-notes.pdf", "annual-report.pdf"} {
		made, err := demo.PDF(file)
		if err != nil {
			made, err = os.ReadFile(filepath.Join("..", "internal", "intake", "testdata", file))
		}
		require.NoError(t, err)
		_, e, tab := received(t, h, strings.TrimSuffix(file, ".pdf"), made, 1200, 1900)
		waitIndexed(t, h)
		texts, err := h.Library.PageTexts(t.Context(), e.ID, 1, e.Pages)
		require.NoError(t, err)
		for page := 1; page <= len(texts); page++ {
			layer, err := texts[page-1].Unpacked()
			require.NoError(t, err)
			testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const e = document.getElementById('number'); if (!e) return true; e.value = %d; return e.dispatchEvent(new Event('change')); })()`, page))
			tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('#p%d .layer[data-whole]') && (document.getElementById('number')?.value ?? '1') === '%[1]d'`, page))
			at := testkit.Eval[[]float64](tab, tab.Ctx, fmt.Sprintf(`(() => { const b = document.getElementById('p%d').getBoundingClientRect(); return [b.left, b.top, b.width / document.querySelector('#p%[1]d .layer').viewBox.baseVal.width]; })()`, page))
			for _, w := range wordsOn(layer.Runs, 160) {
				// A mouse stands on whole pixels. Chromium forgets where a drag began if the
				// letter there is another than at the whole pixel before, on every web page.
				w.Ax, w.Ay, w.Bx, w.By = math.Round(at[0]+at[2]*w.Ax), math.Round(at[1]+at[2]*w.Ay), math.Round(at[0]+at[2]*w.Bx), math.Round(at[1]+at[2]*w.By)
				if w.Ay > 1850 || w.By > 1850 || w.Ay < 60 {
					continue
				}
				tab.Do(chromedp.MouseEvent(input.DispatchMouseEventTypeMousePressed, w.Ax, w.Ay, chromedp.ButtonLeft, chromedp.ClickCount(1)),
					chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, (w.Ax+w.Bx)/2, (w.Ay+w.By)/2, chromedp.ButtonLeft),
					chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, w.Bx, w.By, chromedp.ButtonLeft),
					chromedp.MouseEvent(input.DispatchMouseEventTypeMouseReleased, w.Bx, w.By, chromedp.ButtonLeft, chromedp.ClickCount(1)))
				got := testkit.Eval[string](tab, tab.Ctx, `(() => { const s = getSelection().toString(); getSelection().removeAllRanges(); return s; })()`)
				same := func(text string) string {
					return norm.NFC.String(strings.TrimFunc(text, func(r rune) bool { return unicode.IsSpace(r) || unicode.IsPunct(r) }))
				}
				if tried%10 == 0 && !unicode.In([]rune(w.Word)[0], unicode.Han, unicode.Hiragana, unicode.Katakana) { // two presses take the word, too
					tab.Do(chromedp.MouseClickXY((w.Ax+w.Bx)/2, (w.Ay+w.By)/2, chromedp.ClickCount(2)))
					twice := testkit.Eval[string](tab, tab.Ctx, `(() => { const s = getSelection().toString(); getSelection().removeAllRanges(); return s; })()`)
					if pressed++; !strings.Contains(same(twice), same(w.Word)) {
						unpressed = append(unpressed, fmt.Sprintf("%s, %d: %q for %q", file, page, twice, w.Word))
					}
				}
				if tried++; same(got) == same(w.Word) {
					right++
				} else {
					wrong = append(wrong, fmt.Sprintf("%s, %d: %q for %q", file, page, got, w.Word))
				}
			}
		}
		tab.Do(chromedp.Navigate("about:blank"))
	}
	t.Logf("%d of %d words: %v", right, tried, wrong)
	assert.GreaterOrEqual(t, tried, 1000)
	assert.LessOrEqual(t, len(unpressed), pressed/50, "two presses: %v of %d", unpressed, pressed)
	assert.GreaterOrEqual(t, float64(right), 0.99*float64(tried), "%v", wrong)
}

// A drag that begins on a link takes its letters; a press goes where it leads.
func TestADragThatBeginsOnALink(t *testing.T) {
	h := testkit.Open(t)
	_, _, tab := received(t, h, "Manual", paper.Manual(20, 60), 900, 1400)
	tab.Until(tab.Ctx, `document.querySelector('#p1 .layer[data-whole] a[data-page="20"] rect')`)
	at := testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const b = document.querySelector('#p1 .layer a[data-page="20"] rect').getBoundingClientRect(); return [b.left + 2, b.top + b.height / 2]; })()`)
	tab.Do(chromedp.MouseEvent(input.DispatchMouseEventTypeMousePressed, at[0], at[1], chromedp.ButtonLeft, chromedp.ClickCount(1)))
	for _, by := range []float64{20, 60, 90} {
		tab.Do(chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, at[0]+by, at[1], chromedp.ButtonLeft))
	}
	tab.Do(chromedp.MouseEvent(input.DispatchMouseEventTypeMouseReleased, at[0]+90, at[1], chromedp.ButtonLeft, chromedp.ClickCount(1)))
	taken := testkit.Eval[string](tab, tab.Ctx, `getSelection().toString()`)
	line := testkit.Eval[string](tab, tab.Ctx, `document.querySelector('#p1 .layer').textContent`)
	assert.GreaterOrEqual(t, len(strings.TrimSpace(taken)), 3)
	assert.Contains(t, line, strings.Split(strings.TrimSpace(taken), "\n")[0])
	assert.Equal(t, "1", testkit.Eval[string](tab, tab.Ctx, `document.getElementById('number').value`), "and leads nowhere")
	assert.False(t, testkit.Eval[bool](tab, tab.Ctx, `document.getElementById('pages').classList.contains('over-links')`))
	tab.Do(chromedp.MouseClickXY(at[0], at[1]))
	tab.Until(tab.Ctx, `document.getElementById('number').value === '20'`)
}

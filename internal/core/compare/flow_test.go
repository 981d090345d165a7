package compare

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/sheet"
	"incipit/internal/testkit/vary"
)

// Whatever is done to a row of words, those that are told as gone and fresh are all that
// parts the two; and what was put in at one place is told there, in one piece.
func TestWordsThatDiffer(t *testing.T) {
	r := vary.Rand(261)
	some := func(n, of int) (out []string) {
		for range n {
			out = append(out, fmt.Sprint("w", r.IntN(of)))
		}
		return out
	}
	for round := range 400 {
		a := some(r.IntN(60), 3+r.IntN(60))
		b := slices.Clone(a)
		for range r.IntN(6) {
			i := r.IntN(len(b) + 1)
			b = slices.Insert(slices.Clone(b), i, some(r.IntN(8), 90)...)
			if len(b) > 4 {
				j := r.IntN(len(b) - 3)
				b = slices.Delete(b, j, j+r.IntN(3))
			}
		}
		gone, fresh := differ(a, b)
		rest := func(words []string, without []int) (out []string) {
			for i, w := range words {
				if !slices.Contains(without, i) {
					out = append(out, w)
				}
			}
			return out
		}
		require.Equal(t, rest(a, gone), rest(b, fresh), "round %d", round)
		if slices.Equal(a, b) {
			require.Empty(t, append(gone, fresh...))
		}
	}
	for _, most := range []int{mostDiffered - 1, mostDiffered + 1} {
		gone, fresh := differ(slices.Repeat([]string{"a", "b"}, most), slices.Repeat([]string{"b", "c"}, most))
		assert.NotEmpty(t, gone)
		assert.NotEmpty(t, fresh)
	}
	gone, fresh := differ(strings.Fields("The knot rests . The tern sleeps ."), strings.Fields("The knot rests . The ruff wakes . The tern sleeps ."))
	assert.Empty(t, gone)
	assert.Equal(t, []int{4, 5, 6, 7}, fresh, "it begins where a sentence does")
}

// set is a document of text that flows: so many words on a page, with a running head and a
// page's number.
func set(text []string, onPage int) (out []Page) {
	for at := 0; at < len(text); at += onPage {
		words := append([]string{"Harrowmere", "Report"}, text[at:min(at+onPage, len(text))]...)
		words = append(words, "Page", fmt.Sprint(len(out)+1))
		out = append(out, Page{Sheet: sheet.Sheet{Width: 595, Height: 842}, Words: words})
	}
	return out
}

func prose(r *rand.Rand, n int) (out []string) {
	for len(out) < n {
		w := fmt.Sprint(string(rune('a'+r.IntN(26))), string(rune('a'+r.IntN(26))), r.IntN(40))
		if r.IntN(9) == 0 {
			w += "."
		}
		out = append(out, w)
	}
	return out
}

// In text that flows on, just the words are told that were put in, taken out or exchanged;
// pages on which nothing of it lies moved on, or are the same.
func TestTextThatFlows(t *testing.T) {
	r := vary.Rand(262)
	for round := range 40 {
		text := prose(r, 800+r.IntN(2500))
		onPage := 120 + r.IntN(200)
		at, n := r.IntN(len(text)-70), 1+r.IntN(60)
		now := slices.Clone(text)
		added, removed := 0, 0
		kind := round % 3
		fresh := prose(r, n)
		for i := range fresh {
			fresh[i] = "new" + fresh[i]
		}
		switch kind {
		case 0:
			now, added = slices.Insert(now, at, fresh...), n
		case 1:
			now, removed = slices.Delete(now, at, at+n), n
		case 2:
			n = 1 + n/10
			copy(now[at:], fresh[:n])
			added, removed = n, n
		}
		before, after := set(text, onPage), set(now, onPage)
		for _, same := range []bool{true, false} {
			c := Editions(before, after)
			if !same {
				c = Editions(after, before).Back()
			}
			said := fmt.Sprintf("round %d, kind %d: %d of %d at %d, %d on a page: %+v", round, kind, n, len(text), at, onPage, c.Pages)
			require.Equal(t, Words{added, removed}, c.Words, said)
			for _, p := range c.Pages {
				old, fresh := 0, 0
				for k := range n {
					if removed > 0 && (at+k)/onPage+1 == p.Old {
						old++
					}
					if added > 0 && (at+k)/onPage+1 == p.New {
						fresh++
					}
				}
				if old+fresh == 0 {
					require.Contains(t, []Change{Same, Flowed, Changed}, p.Change, said)
					if p.Change == Changed {
						// Of a pair one page may hold what was taken out.
						require.Positive(t, len(c.Gone[max(p.Old-1, 0)])+len(c.Fresh[max(p.New-1, 0)]), said)
					}
				} else {
					require.Contains(t, []Change{Changed, Added, Removed}, p.Change, said)
				}
			}
		}
	}
}

// A paragraph of 60 words on page 2 is one finding, and what follows moved on.
func TestAParagraphMore(t *testing.T) {
	r := vary.Rand(263)
	text := prose(r, 2300)
	more := slices.Insert(slices.Clone(text), 400, strings.Fields(strings.TrimSpace(strings.Repeat("much ", 60)))...)
	c := Editions(set(text, 300), set(more, 300))
	assert.Equal(t, Words{60, 0}, c.Words)
	var said []string
	for _, p := range c.Pages {
		said = append(said, fmt.Sprintf("%d>%d %s", p.Old, p.New, p.Change))
	}
	assert.Equal(t, "1>1 same, 2>2 changed, 3>3 flowed, 4>4 flowed, 5>5 flowed, 6>6 flowed, 7>7 flowed, 8>8 flowed", strings.Join(said, ", "))
	assert.Len(t, c.Fresh[1], 60)
}

// Of more words than are set against each other at once, each page has those told that it has
// not in common with the page that it was.
func TestTextThatIsTooLongToFlow(t *testing.T) {
	r := vary.Rand(265)
	text := prose(r, mostFlowing/2+3000)
	before := set(text, 1000)
	var after []Page
	for i, p := range before {
		p.Words = slices.Clone(p.Words)
		p.Words[500] = fmt.Sprint("changed", i)
		after = append(after, p)
	}
	c := Editions(before, after)
	assert.Equal(t, Words{len(before), len(before)}, c.Words)
	for i := range before {
		require.Equal(t, []int{500}, c.Fresh[i])
		require.Equal(t, []int{500}, c.Gone[i])
	}
}

package site_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/site"
)

func TestSet(t *testing.T) {
	for source, want := range map[string]string{
		"# One\n\n## Two\n\n#### Three": "<h2>One</h2>\n<h3>Two</h3>\n<h4>Three</h4>\n", // below the title, none left out
		"### Only":                      "<h2>Only</h2>\n",
		"[a](https://a.example) [b](/pages/b) [c](javascript:alert(1)) [d](data:text/html,x)": "<p><a href=\"https://a.example\">a</a> <a href=\"/pages/b\">b</a> c d</p>\n",
		"![p](https://elsewhere.example/p.png)":                                               "<p></p>\n", // no other host is asked
		"<b onclick=x>bold</b>":                                                               "<p>&lt;b onclick=x&gt;bold&lt;/b&gt;</p>\n",
		"<script>\nalert(1)\n</script>":                                                       "<p>&lt;script&gt;\nalert(1)\n&lt;/script&gt;</p>\n",
		"3. c\n4. d":                                                                          "<ol start=\"3\">\n<li>c</li>\n<li>d</li>\n</ol>\n",
		"| a | b |\n|:--|--:|\n| 1 | 2 |":                                                     "<table>\n<thead>\n<tr>\n<th>a</th>\n<th>b</th>\n</tr>\n</thead>\n<tbody>\n<tr>\n<td>1</td>\n<td>2</td>\n</tr>\n</tbody>\n</table>\n",
		"":                                                                                    "",
	} {
		got, err := site.Set(source)
		require.NoError(t, err)
		assert.Equal(t, want, string(got), source)
	}
}

// Nothing that anybody writes becomes an element that does something.
func FuzzSet(f *testing.F) {
	f.Add("<scr<script>ipt>alert(1)</script>")
	f.Add("[x](  jav&#x09;ascript:alert(1))")
	f.Add("<a href='javascript:x'>y</a>")
	f.Fuzz(func(t *testing.T, source string) {
		got, err := site.Set(source)
		require.NoError(t, err)
		assert.NotRegexp(t, `(?i)<(script|style|iframe|img|svg|object|form)|<[a-z]+[^>]*\son[a-z]+=|href="\s*(javascript|data|vbscript):`,
			string(got))
	})
}

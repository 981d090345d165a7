package setting

import (
	"strconv"
)

// Name is a setting's name for an editor.
func (k Key) Name() string { return RowOf(k).Name }

// Explained says what a setting does and what it costs, in a sentence or two for
// somebody who sees it for the first time.
func (k Key) Explained() string { return RowOf(k).Explained }

// Words says the value of one setting.
func (s Settings) Words(k Key) string {
	r := RowOf(k)
	if r.Form == nil {
		return ""
	}
	return r.Form.Words(s)
}

// Number writes a figure without a needless fraction: 100, 62.5.
func Number(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// Change is one setting that differs, in words.
type Change struct {
	Key  Key    `json:"key"`
	Name string `json:"name"`
	From string `json:"from"`
	To   string `json:"to"`
}

// Changes says what differs between two settings.
func Changes(from, to Settings) []Change {
	out := []Change{}
	for _, k := range Diff(from, to).Keys() {
		out = append(out, Change{k, k.Name(), from.Words(k), to.Words(k)})
	}
	return out
}

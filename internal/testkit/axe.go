package testkit

import (
	"context"
	_ "embed"
	"fmt"

	"github.com/stretchr/testify/assert"
)

// axe-core 4.14.1, MPL-2.0 (axe/LICENSE), as published on npm. It is for tests
// alone and no part of the product.
//
//go:embed axe/axe.min.js
var axe string

// Accessible fails the test for everything that axe-core finds serious or
// critical in a target. In forced colours it reads those that the page asked for, not
// those that are seen: contrast is the device's there.
func (tab *Tab) Accessible(ctx context.Context, what string) {
	tab.t.Helper()
	// A page that allows no foreign script takes it from the debugger.
	Eval[bool](tab, ctx, "(() => { "+axe+"; return true; })()")
	Eval[bool](tab, ctx, "Promise.allSettled(document.getAnimations().map((a) => a.finished)).then(() => true)")
	// Kinds of results that are not asked for name one place each: rules that hold are
	// counted all the same.
	found := Eval[struct {
		Grave []string
		Held  int
	}](tab, ctx, `axe.run(document, { resultTypes: ['violations'], iframes: false, ...matchMedia('(forced-colors: active)').matches && { rules: { 'color-contrast': { enabled: false } } } }).then((r) => ({ Held: r.passes.length, Grave: r.violations.filter((v) => v.impact === 'serious' || v.impact === 'critical')
		.map((v) => v.id + ' (' + v.impact + '): ' + v.help + '\n' + v.nodes.map((n) => '    ' + n.target + '  ' + (n.any[0]?.message ?? n.failureSummary)).join('\n')) }))`)
	assert.Empty(tab.t, found.Grave, "axe-core on %s", what)
	assert.Greater(tab.t, found.Held, 10, fmt.Sprintf("axe-core looked at %s", what))
}

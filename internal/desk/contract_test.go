package desk

import (
	"encoding/json"
	"fmt"
	"os"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/contract"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/publishing"
)

// What scripts and documents hold of Go is written from Go: `make contract` writes it anew.
func TestWhatIsWrittenFromGo(t *testing.T) {
	declared, err := contract.Declared(contract.As{reflect.TypeFor[setting.SiteList](): "string[]"},
		contract.Named{Name: "BenchState", Value: state{}}, contract.Named{Name: "HouseState", Value: houseState{}},
		contract.Named{Name: "PageState", Value: pageState{}}, contract.Named{Name: "CollectionState", Value: collectionData{}},
		contract.Named{Name: "FrameState", Value: frameState{}}, contract.Named{Name: "StartersScene", Value: scene{}},
		contract.Named{Name: "Problems", Value: problems{}}, contract.Named{Name: "PageConflict", Value: conflict{}},
		contract.Named{Name: "Settings", Value: setting.Settings{}}, contract.Named{Name: "Act", Value: webpage.Act{}},
		contract.Named{Name: "Offers", Value: publishing.Offers{}}, contract.Named{Name: "Use", Value: used{}},
		contract.Named{Name: "CarryState", Value: carryState{}}, contract.Named{Name: "PageStep", Value: pageStep{}},
		contract.Named{Name: "Comparison", Value: comparison{}})
	require.NoError(t, err)
	for path, want := range map[string]string{
		"web/testdata/lint/contract.d.ts": "// Written by make contract from Go's types.\n" + declared,
		"web/static/desk/settings.js":     settingsModule(t),
		"docs/settings.md":                settingsPage(),
	} {
		path = "../../" + path
		if os.Getenv("INCIPIT_WRITE") != "" {
			require.NoError(t, os.WriteFile(path, []byte(want), 0o644))
		}
		is, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, want, string(is), "make contract writes %s anew", path)
	}
}

// settingsModule is what scripts know of the table of settings.
func settingsModule(t *testing.T) string {
	groups := map[setting.Group][]setting.Key{}
	var outer, limits, numbers []setting.Key
	for _, r := range setting.All() {
		groups[r.Group] = append(groups[r.Group], r.Key)
		if r.Outer {
			outer = append(outer, r.Key)
		}
		switch r.Form.(type) {
		case setting.Limit:
			limits = append(limits, r.Key)
		case setting.Measure, setting.Special[int]:
			numbers = append(numbers, r.Key)
		}
	}
	var b strings.Builder
	b.WriteString("// Written by make contract from the table of settings (internal/core/setting).\n")
	export := func(about, name string, value any, form string) {
		j, err := json.Marshal(value)
		require.NoError(t, err)
		fmt.Fprintf(&b, "/** %s */\nexport const %s = "+form+";\n", about, name,
			strings.NewReplacer(`"`, `'`, `,`, `, `, `:`, `: `).Replace(string(j)))
	}
	export("The settings of each group of the panel.", "groups", groups, "%s")
	export("Those that only size or place the frame, or lie around it.", "outer", outer, "new Set(%s)")
	export("Numbers that are empty where they set no limit.", "limits", limits, "new Set(%s)")
	export("Other numbers.", "numbers", numbers, "%s")
	return b.String()
}

// settingsPage describes every setting.
func settingsPage() string {
	var b strings.Builder
	b.WriteString("# Settings\n\nWritten by `make contract` from the table of settings (`internal/core/setting`). House style may start every one of them differently.\n\n" +
		"| setting | key | starts as | may be | what it does |\n| --- | --- | --- | --- | --- |\n")
	begins := setting.Default()
	for _, r := range setting.All() {
		fmt.Fprintf(&b, "| %s | `%s` | %s | %s | %s |\n", r.Name, r.Key, begins.Words(r.Key), r.Form.Bounds(), r.Explained)
	}
	return b.String()
}

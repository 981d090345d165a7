package setting_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/testkit/vary"
)

// Whatever was chosen, whatever house style is and whatever a change makes: what is chosen
// after it gives just that over house style, and what the change did not touch is chosen as
// before.
func TestRechosenGivesWhatWasMade(t *testing.T) {
	r := vary.Rand(15)
	for range 300 {
		house, other, made := vary.Settings(r), vary.Settings(r), vary.Settings(r)
		own := setting.Patch{}
		for k, v := range setting.Diff(house, other) {
			if r.IntN(2) == 0 {
				own[k] = v
			}
		}
		// House style has come to what some of it was chosen to be.
		come := setting.Patch{}
		for k, v := range own {
			if r.IntN(3) == 0 {
				come[k] = v
			}
		}
		house, err := come.Over(house)
		require.NoError(t, err)
		seen, err := own.Over(house)
		require.NoError(t, err)
		change := setting.Patch{}
		for k, v := range setting.Diff(seen, made) {
			if r.IntN(4) == 0 {
				change[k] = v
			}
		}
		next, err := change.Over(seen)
		require.NoError(t, err)
		after := setting.Rechosen(own, house, seen, next)
		got, err := after.Over(house)
		require.NoError(t, err)
		assert.Empty(t, setting.Diff(next, got))
		touched := setting.Diff(seen, next) // colours go with their scheme
		for k, v := range own {
			if _, is := touched[k]; !is {
				assert.Equal(t, string(v), string(after[k]), k)
			}
		}
	}
}

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
	for range 500 {
		house, other, made := vary.Settings(r), vary.Settings(r), vary.Settings(r)
		own := setting.Patch{}
		differs := setting.Diff(house, other)
		for _, k := range differs.Keys() { // in their order: the same seed makes the same cases
			if r.IntN(2) == 0 {
				own[k] = differs[k]
			}
		}
		// House style has come to what some of it was chosen to be.
		come := setting.Patch{}
		for _, k := range own.Keys() {
			if r.IntN(3) == 0 {
				come[k] = own[k]
			}
		}
		house, err := come.Over(house)
		require.NoError(t, err)
		seen, err := own.Over(house)
		require.NoError(t, err)
		change := setting.Patch{}
		makes := setting.Diff(seen, made)
		for _, k := range makes.Keys() {
			if r.IntN(4) == 0 {
				change[k] = makes[k]
			}
		}
		next, err := change.Over(seen)
		require.NoError(t, err)
		after := setting.Rechosen(own, house, seen, next)
		got, err := after.Over(house)
		require.NoError(t, err)
		assert.Empty(t, setting.Diff(next, got))
		touched := setting.Diff(seen, next)
		_, scheme := touched[setting.Scheme]
		for k, v := range own {
			if scheme && k == setting.Colours {
				continue // they go with their scheme, and are as they were seen: above
			}
			if _, is := touched[k]; !is {
				assert.Equal(t, string(v), string(after[k]), k)
			}
		}
	}
}

// House style has colours of its own, a document follows the system: who chooses own colours
// there gets those that were shown, not house style's.
func TestOwnColoursAreThoseThatWereSeen(t *testing.T) {
	house := setting.Default()
	house.Scheme, house.Colours = setting.Own, setting.Palette{Paper: "#112233", Ink: "#eeeeee", Accent: "#ffcc00"}
	own := setting.Diff(house, setting.Default())
	seen := setting.Default()
	next := seen
	next.Scheme = setting.Own
	got, err := setting.Rechosen(own.Without(setting.Colours), house, seen, next).Over(house)
	require.NoError(t, err)
	assert.Equal(t, setting.DefaultPalette(), got.Colours)
}

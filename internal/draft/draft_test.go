package draft_test

import (
	"encoding/json"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"

	"incipit/internal/draft"
	"incipit/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// Whatever is done to a draft, undo and redo lead where a pair of stacks would, and no
// revision comes twice.
func TestUndoAndRedoAreThoseOfTwoStacks(t *testing.T) {
	db, err := gorm.Open(postgres.Open(testkit.Database(t)), &gorm.Config{})
	require.NoError(t, err)
	conn, err := db.DB()
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	r := rand.New(rand.NewPCG(15, 27))
	for subject := range int64(6) {
		now, err := draft.Begin(db, draft.Collection, subject+1, 1, "Maren", 0)
		require.NoError(t, err)
		here, back, forth := 0, []int{}, []int{}
		for i := range 60 {
			last := now.Revision
			switch r.IntN(3) {
			case 0:
				back, forth, here = append(back, here), nil, i+1
				now, err = draft.Next(db, now, "Piet", here)
				require.NoError(t, err)
			case 1:
				next, err := draft.Move(db, now, "Piet", -1)
				if len(back) == 0 {
					require.ErrorIs(t, err, draft.ErrNothing)
					continue
				}
				require.NoError(t, err)
				now, forth, here, back = next, append(forth, here), back[len(back)-1], back[:len(back)-1]
			default:
				next, err := draft.Move(db, now, "Piet", 1)
				if len(forth) == 0 {
					require.ErrorIs(t, err, draft.ErrNothing)
					continue
				}
				require.NoError(t, err)
				now, back, here, forth = next, append(back, here), forth[len(forth)-1], forth[:len(forth)-1]
			}
			assert.Equal(t, last+1, now.Revision)
			held, err := draft.Hold(db, draft.Collection, subject+1, now.Revision)
			require.NoError(t, err)
			var content int
			require.NoError(t, json.Unmarshal(held.Content, &content))
			assert.Equal(t, here, content)
			assert.Equal(t, []bool{len(back) > 0, len(forth) > 0}, []bool{held.Undo, held.Redo})
			assert.Equal(t, "Piet", held.MadeBy)
		}
	}
	_, err = draft.Hold(db, draft.Collection, 1, 9999)
	assert.ErrorIs(t, err, draft.ErrGone)
}

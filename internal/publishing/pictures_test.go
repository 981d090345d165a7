package publishing_test

import (
	"fmt"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/webpage"
	"incipit/internal/publishing"
	"incipit/internal/testkit"
)

// Pictures that stand nowhere are forgotten after a while: not those of a draft, of
// what an undo brings back, of an earlier version, or of code elsewhere.
func TestPicturesThatStandNowhere(t *testing.T) {
	s := testkit.Nouns(t)
	added := map[string]int64{}
	for i, name := range []string{"nowhere", "draft", "undone", "published", "elsewhere"} {
		p, err := s.Publishing.AddPicture(t.Context(), publishing.Picture{SHA256: fmt.Sprintf("%064d", i), Name: name, Width: 1, Height: 1,
			MediaType: "image/png", Widths: []int{1}})
		require.NoError(t, err)
		added[name] = p.ID
	}
	showing := func(name string) webpage.Page {
		p, err := webpage.New("Visiting").Done(webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Picture, Of: added[name]}})
		require.NoError(t, err)
		return p
	}
	page, err := s.Publishing.AddWebPage(t.Context(), "visiting", showing("published"), "Maren")
	require.NoError(t, err)
	step, err := s.Publishing.WebPageDraft(t.Context(), page.ID)
	require.NoError(t, err)
	require.NoError(t, s.Publishing.PublishWebPage(t.Context(), page.ID, step.Revision, "Maren", webpage.Plan{}))
	for _, name := range []string{"undone", "draft"} {
		step, err = s.Publishing.WebPageDraft(t.Context(), page.ID)
		require.NoError(t, err)
		require.NoError(t, s.Publishing.SetWebPage(t.Context(), page.ID, step.Revision, "Maren", showing(name)))
	}
	require.NoError(t, s.Publishing.GiveOut(t.Context(), added["elsewhere"]))
	n, err := s.Publishing.ForgetPictures(t.Context(), time.Now().Add(-time.Hour))
	require.NoError(t, err)
	assert.Zero(t, n, "young ones may be on somebody's screen")
	n, err = s.Publishing.ForgetPictures(t.Context(), time.Now().Add(time.Hour))
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	left, _, err := s.Publishing.OfferedPictures(t.Context())
	require.NoError(t, err)
	var names []string
	for _, p := range left {
		names = append(names, p.Name)
	}
	assert.ElementsMatch(t, []string{"draft", "undone", "published", "elsewhere"}, names)
}

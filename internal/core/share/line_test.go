package share_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/share"
)

// enter has somebody wait in the background, work for a while once called, and
// note the name.
func enter(t *testing.T, l *share.Line, who share.Asker, work time.Duration, done func(error)) {
	t.Helper()
	go func() {
		_, leave, err := l.Enter(context.Background(), who)
		if err == nil {
			time.Sleep(work)
			leave()
		}
		done(err)
	}()
	synctest.Wait()
}

func TestWhoHadLeastIsNext(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		l := share.NewLine(share.Rules{Places: 1, Waiting: 100})
		var mu sync.Mutex
		var order []string
		note := func(name string) func(error) {
			return func(err error) {
				assert.NoError(t, err)
				mu.Lock()
				defer mu.Unlock()
				order = append(order, name)
			}
		}
		for i := range 20 {
			enter(t, l, share.Asker{Document: "map", Origin: fmt.Sprint("crowd ", i)}, time.Second, note("map"))
		}
		enter(t, l, share.Asker{Document: "tides", Origin: "a reader"}, time.Second, note("tides"))
		time.Sleep(time.Hour)
		synctest.Wait()
		require.Len(t, order, 21)
		assert.Equal(t, "tides", order[1], "a crowd at one document waits among itself: %v", order)

		order = nil
		for i := range 20 {
			enter(t, l, share.Asker{Document: fmt.Sprint("any ", i), Origin: "one who asks for all"}, time.Second, note("any"))
		}
		enter(t, l, share.Asker{Document: "tides", Origin: "a reader"}, time.Second, note("tides"))
		time.Sleep(time.Hour)
		synctest.Wait()
		assert.Equal(t, "tides", order[1], "and so does one origin that asks for everything: %v", order)
	})
}

func TestWhoHadMostGivesWayInALongLine(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		l := share.NewLine(share.Rules{Places: 1, Waiting: 4})
		var mu sync.Mutex
		full := map[string]int{}
		note := func(name string) func(error) {
			return func(err error) {
				mu.Lock()
				defer mu.Unlock()
				if errors.Is(err, share.ErrFull) {
					full[name]++
				}
			}
		}
		for i := range 10 {
			enter(t, l, share.Asker{Document: "map", Origin: fmt.Sprint(i)}, time.Second, note("map"))
		}
		assert.Equal(t, 5, full["map"])
		for i := range 4 {
			enter(t, l, share.Asker{Document: fmt.Sprint("tides ", i), Origin: fmt.Sprint("reader ", i)}, time.Second, note("tides"))
		}
		assert.Zero(t, full["tides"])
		assert.Equal(t, 9, full["map"])
		enter(t, l, share.Asker{Document: "tides", Class: share.Later}, time.Second, note("house"))
		time.Sleep(time.Hour)
		synctest.Wait()
		assert.Zero(t, full["house"], "the house's own work is never sent away")
	})
}

func TestClasses(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		l := share.NewLine(share.Rules{Places: 2, Waiting: 100, Later: 1, Aged: 30 * time.Second})
		var mu sync.Mutex
		var order []string
		note := func(name string) func(error) {
			return func(error) {
				mu.Lock()
				defer mu.Unlock()
				order = append(order, name)
			}
		}
		for i := range 3 {
			enter(t, l, share.Asker{Document: fmt.Sprint(i), Class: share.Later}, 10*time.Second, note("later"))
		}
		enter(t, l, share.Asker{Document: "first look", Class: share.Now}, time.Second, note("now"))
		time.Sleep(2 * time.Second)
		synctest.Wait()
		assert.Equal(t, []string{"now"}, order, "what is made in advance has one place of two")
		// A stream of urgent things does not starve it for ever.
		order = nil
		stop := time.Now().Add(3 * time.Minute)
		for i := range 4 {
			go func() {
				for time.Now().Before(stop) {
					_, leave, err := l.Enter(context.Background(), share.Asker{Document: fmt.Sprint("page ", i), Origin: fmt.Sprint(i)})
					assert.NoError(t, err)
					time.Sleep(time.Second)
					leave()
				}
			}()
		}
		time.Sleep(2 * time.Minute)
		synctest.Wait()
		assert.Equal(t, []string{"later", "later", "later"}, order)
		time.Sleep(2 * time.Minute)
		synctest.Wait()
	})
}

func TestWhoGoesAwayNoLongerWaits(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		l := share.NewLine(share.Rules{Places: 1, Waiting: 10})
		_, leave, err := l.Enter(t.Context(), share.Asker{Document: "a"})
		require.NoError(t, err)
		ctx, goAway := context.WithCancel(t.Context())
		gone := make(chan error, 1)
		go func() { _, _, err := l.Enter(ctx, share.Asker{Document: "b", Origin: "x"}); gone <- err }()
		synctest.Wait()
		assert.Equal(t, 1, l.Waiting())
		goAway()
		require.ErrorIs(t, <-gone, context.Canceled)
		assert.Zero(t, l.Waiting())
		leave()
		leave() // twice does no harm
		_, leave, err = l.Enter(t.Context(), share.Asker{Document: "c"})
		require.NoError(t, err)
		leave()
	})
}

// Whatever happens in a line: never more than the places, never more of a
// document, an origin or a class than the rules say, nobody forgotten, places
// all free in the end.
func TestALineKeepsItsRules(t *testing.T) {
	for seed := range uint64(30) {
		synctest.Test(t, func(t *testing.T) {
			random := rand.New(rand.NewPCG(seed, 7))
			rules := share.Rules{Places: 1 + random.IntN(4), Waiting: 1 + random.IntN(20), PerDocument: random.IntN(3), PerOrigin: random.IntN(3),
				Later: random.IntN(3)}
			taken := map[int]bool{}
			rules.Free = func(share.Asker) bool { return len(taken) < rules.Places }
			rules.Take = func(share.Asker) int {
				for i := range rules.Places {
					if !taken[i] {
						taken[i] = true
						return i
					}
				}
				return -1
			}
			rules.Left = func(i int, _ share.Asker) { assert.True(t, taken[i]); delete(taken, i) }
			l := share.NewLine(rules)
			var mu sync.Mutex
			documents, origins, later, answered := map[string]int{}, map[string]int{}, 0, 0
			const askers = 80
			for range askers {
				who := share.Asker{Document: fmt.Sprint(random.IntN(5)), Origin: fmt.Sprint(random.IntN(5)), Class: share.Class(random.IntN(3))}
				patience, work, pause := time.Duration(random.IntN(4000))*time.Millisecond, time.Duration(random.IntN(900))*time.Millisecond, time.Duration(random.IntN(200))*time.Millisecond
				if random.IntN(4) == 0 {
					who.Origin = ""
				}
				go func() {
					ctx, stop := context.WithTimeout(context.Background(), patience)
					defer stop()
					_, leave, err := l.Enter(ctx, who)
					mu.Lock()
					answered++
					mu.Unlock()
					if err != nil {
						return
					}
					mu.Lock()
					documents[who.Document]++
					origins[who.Origin]++
					if who.Class == share.Later {
						later++
					}
					assert.True(t, rules.PerDocument == 0 || documents[who.Document] <= rules.PerDocument)
					assert.True(t, rules.PerOrigin == 0 || who.Origin == "" || origins[who.Origin] <= rules.PerOrigin)
					assert.True(t, rules.Later == 0 || later <= rules.Later)
					mu.Unlock()
					time.Sleep(work)
					mu.Lock()
					documents[who.Document]--
					origins[who.Origin]--
					if who.Class == share.Later {
						later--
					}
					mu.Unlock()
					leave()
				}()
				time.Sleep(pause)
			}
			time.Sleep(time.Hour)
			synctest.Wait()
			assert.Equal(t, askers, answered)
			assert.Zero(t, l.Waiting())
			assert.Empty(t, taken)
		})
	}
}

package bench

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"incipit/internal/core/find"
	"incipit/internal/core/textflow"
	"incipit/internal/testkit"
)

const (
	writtenPages     = 20    // of each of manyDocuments: 200,000 in all
	pageWords        = 250   // of each page
	writtenDocuments = 2_000 // differ; the others have the pages of one of these each
)

// vocabulary is a language's words: what a letter is made of, and how words end, so that
// there are stems. The n-th is n times as rare as the first (Zipf).
type vocabulary struct {
	language string
	words    []string
	joined   bool
}

func vocabularies() []vocabulary {
	syllables := map[string][]string{
		"en": strings.Fields("cur lew wad er tide mud flat nest ring bird marsh count sur vey shore wing egg plum fea ther reed"),
		"de": strings.Fields("vo gel zug watt wie se brut nest mö we flü gel ei schna bel küs te zähl ung jahr deich schlick"),
		"ar": strings.Fields("طي ور سب خة ما ء عش بي ض جن اح شا طئ مد جز ري ش كت اب عد"),
		"ja": strings.Split("鳥 干 潟 湿 地 巣 卵 羽 海 岸 調 査 渡 り 水 葦 数 年 報 告", " "),
	}
	endings := map[string][]string{"en": {"", "s", "ed", "ing"}, "de": {"", "e", "en", "er"}, "ar": {"", "ات", "ين", "ون"}, "ja": {"", "は", "の", "を"}}
	var out []vocabulary
	for _, language := range []string{"en", "de", "ar", "ja"} {
		r := rand.New(rand.NewPCG(7, uint64(len(out))))
		v := vocabulary{language: language, joined: language == "ja"}
		for range 20_000 {
			word := ""
			for range 2 + r.IntN(2) {
				word += syllables[language][r.IntN(len(syllables[language]))]
			}
			v.words = append(v.words, word+endings[language][r.IntN(4)])
		}
		out = append(out, v)
	}
	return out
}

func (v vocabulary) page(z *rand.Zipf) string {
	var b strings.Builder
	for range pageWords {
		b.WriteString(v.words[z.Uint64()])
		if !v.joined {
			b.WriteByte(' ')
		}
	}
	return b.String()
}

// seedTexts writes the pages of all documents, a quarter of them in each language, and has
// their words known.
func seedTexts(b *testing.B, h *testkit.House) {
	b.Helper()
	all := vocabularies()
	// The index of letters, which nothing here is about, and those of words, made at once afterwards.
	_, err := h.DB.Pool.Exec(b.Context(), "DELETE FROM page_texts; DROP INDEX page_texts_folded, page_words_words, document_words_words")
	require.NoError(b, err)
	// The first is of the same length, too.
	_, err = h.DB.Pool.Exec(b.Context(), "UPDATE editions SET pages = $1, indexed = $1, has_text = true", writtenPages)
	require.NoError(b, err)
	workers, ctx := errgroup.WithContext(b.Context())
	for w := range int64(2) {
		workers.Go(func() error {
			r := rand.New(rand.NewPCG(1, uint64(w)))
			for id := 1 + w; id <= writtenDocuments; id += 2 {
				v := all[id/2%4]
				z := rand.NewZipf(r, 1.1, 2, uint64(len(v.words)-1))
				var rows [][]any
				for page := 1; page <= writtenPages; page++ {
					text := v.page(z)
					rows = append(rows, []any{id, page, text, find.Fold(text), []byte{}})
				}
				if _, err := h.DB.Pool.CopyFrom(ctx, pgx.Identifier{"page_texts"}, []string{"edition_id", "page", "plain", "folded", "layer"}, pgx.CopyFromRows(rows)); err != nil {
					return fmt.Errorf("write document %d: %w", id, err)
				}
				e, err := h.Library.Edition(ctx, id)
				if err != nil {
					return fmt.Errorf("read edition %d: %w", id, err)
				}
				e.Flow = textflow.Style{Language: v.language}
				if err := h.Library.KeepWords(ctx, e); err != nil {
					return fmt.Errorf("know the words of edition %d: %w", id, err)
				}
			}
			return nil
		})
	}
	require.NoError(b, workers.Wait())
	// Nobody waits at a screen.
	config := h.DB.Pool.Config().ConnConfig.Copy()
	config.Tracer = nil
	patient, err := pgx.ConnectConfig(b.Context(), config)
	require.NoError(b, err)
	defer patient.Close(b.Context())
	others := fmt.Sprintf("generate_series(%d, %d) n", writtenDocuments+1, manyDocuments)
	as := fmt.Sprintf("1 + (n - 1) %% %d", writtenDocuments)
	for _, sql := range []string{
		"INSERT INTO page_texts SELECT n, page, plain, folded, layer FROM page_texts JOIN " + others + " ON edition_id = " + as,
		"INSERT INTO page_words SELECT n, page, words FROM page_words JOIN " + others + " ON edition_id = " + as,
		"INSERT INTO edition_words SELECT n, config, about, words FROM edition_words JOIN " + others + " ON edition_id = " + as,
		"INSERT INTO document_words SELECT n, config, titled, said, about, words FROM document_words JOIN " + others + " ON document_id = " + as,
		"SET maintenance_work_mem = '512MB'", "CREATE INDEX page_words_words ON page_words USING gin (edition_id, words)",
		"CREATE INDEX document_words_words ON document_words USING gin (titled, said, about, words)",
		"INSERT INTO document_categories SELECT id, 'Series ' || id % 40 FROM documents",
		"UPDATE all_documents SET created_at = now() - make_interval(hours => id::int)",
		"VACUUM ANALYZE",
	} {
		_, err := patient.Exec(b.Context(), sql)
		require.NoError(b, err, sql)
	}
}

// BenchmarkFinding looks through 10,000 documents of 20 pages each, as an editor does: the
// whole way, from the request to the last byte of the list.
func BenchmarkFinding(b *testing.B) {
	h := testkit.Open(b)
	seedMany(b, h)
	begun := time.Now()
	seedTexts(b, h)
	var size string
	require.NoError(b, h.DB.Pool.QueryRow(context.Background(), "SELECT pg_size_pretty(pg_total_relation_size('page_words') + pg_total_relation_size('document_words'))").Scan(&size))
	fmt.Printf("\n%d pages of text, in English, German, Arabic and Japanese: known in %.0f s, %s\n", manyDocuments*writtenPages, time.Since(begun).Seconds(), size)
	c := h.Editor(b)
	all := vocabularies()
	for range b.N {
		type kind struct {
			name string
			ask  func(i int) url.Values
		}
		kinds := []kind{
			{"the list", func(int) url.Values { return url.Values{} }},
			{"by title", func(int) url.Values { return url.Values{"order": {"title"}} }},
			{"largest", func(int) url.Values { return url.Values{"order": {"largest"}} }},
			{"a category", func(i int) url.Values { return url.Values{"category": {fmt.Sprint("Series ", i%40)}} }},
			{"published, older than a year", func(int) url.Values { return url.Values{"stands": {"published"}, "added": {"older"}} }},
			{"nobody sees it", func(int) url.Values { return url.Values{"care": {"unseen"}} }},
			{"the part after 50 others", func(int) url.Values { return url.Values{"below": {"5000"}} }},
			{"part of a title", func(i int) url.Values { return url.Values{"find": {fmt.Sprintf("part %d", 100+i)}} }},
		}
		for _, v := range all {
			for _, rare := range []struct {
				name string
				from int
			}{{"common", 0}, {"usual", 300}, {"rare", 9000}} {
				kinds = append(kinds, kind{v.language + ", a " + rare.name + " word", func(i int) url.Values { return url.Values{"find": {v.words[rare.from+i] + " "}} }})
			}
			kinds = append(kinds, kind{v.language + ", two words", func(i int) url.Values { return url.Values{"find": {v.words[40+i] + " " + v.words[200+i] + " "}} }})
			kinds = append(kinds, kind{v.language + ", a word in a category, by title", func(i int) url.Values {
				return url.Values{"find": {v.words[10+i]}, "category": {"Series 7"}, "order": {"title"}}
			}})
		}
		for _, k := range kinds {
			took := make([]time.Duration, manyTimes)
			found := 0
			for i := range took {
				begun := time.Now()
				status, answer, _ := c.Send("GET", "/documents?"+k.ask(i).Encode(), "", "")
				took[i] = time.Since(begun)
				require.Equal(b, http.StatusOK, status, "%s: %.300s", k.name, answer)
				found += strings.Count(answer, "<tr data-id=")
			}
			slices.Sort(took)
			fmt.Printf("%-40s %6.1f ms at 50, %6.1f ms at 95 of 100; %5.1f rows\n", k.name, ms(took[len(took)/2]), ms(took[len(took)*95/100]), float64(found)/manyTimes)
		}
	}
}

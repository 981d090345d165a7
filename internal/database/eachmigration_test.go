package database_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/database"
	"incipit/internal/testkit"
)

// made are values of columns that a rule of the database holds to certain ones, by table
// and column, from the first schema that has them.
var made = map[string]string{
	"house_styles.id": "1", "editions.state": "'ready'", "sources.hours": "24",
}

// again are rows that a migration removes on purpose, because they are read from files again.
var again = map[int]string{9: "page_texts", 10: "page_texts"}

// column is one of a table, as the database tells it.
type column struct {
	name, kind, refers string
	made               bool // by the database itself
}

// tableOf is a table at some schema.
type tableOf struct {
	name    string
	columns []column
}

// tablesAt lists the tables of a database, each behind those that it refers to.
func tablesAt(t *testing.T, conn *pgx.Conn) []tableOf {
	t.Helper()
	rows, err := conn.Query(t.Context(), `SELECT c.relname::text, a.attname::text, format_type(a.atttypid, NULL),
		a.attidentity <> '' OR a.attgenerated <> '' OR coalesce(pg_get_expr(d.adbin, d.adrelid) LIKE 'nextval%', false),
		coalesce((SELECT f.confrelid::regclass::text || '.' || (SELECT attname FROM pg_attribute WHERE attrelid = f.confrelid AND attnum = f.confkey[array_position(f.conkey, a.attnum)])
			FROM pg_constraint f WHERE f.contype = 'f' AND f.conrelid = c.oid AND a.attnum = ANY (f.conkey) LIMIT 1), '')
		FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
		LEFT JOIN pg_attrdef d ON d.adrelid = c.oid AND d.adnum = a.attnum
		WHERE c.relkind = 'r' AND c.relnamespace = current_schema()::regnamespace AND c.relname <> 'goose_db_version' AND c.relname NOT LIKE 'river%'
		ORDER BY 1, a.attnum`)
	require.NoError(t, err)
	var all []tableOf
	var table string
	var c column
	_, err = pgx.ForEachRow(rows, []any{&table, &c.name, &c.kind, &c.made, &c.refers}, func() error {
		if len(all) == 0 || all[len(all)-1].name != table {
			all = append(all, tableOf{name: table})
		}
		last := &all[len(all)-1]
		last.columns = append(last.columns, c)
		return nil
	})
	require.NoError(t, err)
	var out []tableOf
	for len(all) > 0 {
		n := len(all)
		all = slices.DeleteFunc(all, func(x tableOf) bool {
			waits := slices.ContainsFunc(x.columns, func(c column) bool {
				to, _, _ := strings.Cut(c.refers, ".")
				return to != x.name && slices.ContainsFunc(all, func(o tableOf) bool { return o.name == to })
			})
			if !waits {
				out = append(out, x)
			}
			return !waits
		})
		require.Less(t, len(all), n, "tables refer to each other in a ring")
	}
	return out
}

// fill puts a row into a table, in which each column says something.
func fill(ctx context.Context, conn *pgx.Conn, x tableOf, n int) error {
	var names, values []string
	for _, c := range x.columns {
		if c.made {
			continue
		}
		value, known := made[x.name+"."+c.name]
		switch {
		case known:
			value = strings.ReplaceAll(value, "#", fmt.Sprint(n))
		case c.refers != "":
			to, key, _ := strings.Cut(c.refers, ".")
			value = fmt.Sprintf("(SELECT %s FROM %s ORDER BY 1 DESC LIMIT 1)", key, to)
		default:
			value = map[string]string{
				"text": fmt.Sprintf("'said %d'", n), "character varying": fmt.Sprintf("'said %d'", n), "boolean": "true", "jsonb": "'{}'", "json": "'{}'",
				"bytea": fmt.Sprintf(`'\x%04x'`, n), "timestamp with time zone": fmt.Sprintf("now() - interval '%d hours'", n), "date": "current_date",
				"text[]": "'{a,b}'", "bigint[]": "'{1}'", "integer[]": "'{1}'", "real": "1.5", "double precision": "1.5", "numeric": "1.5",
				"tsvector": "to_tsvector('simple', 'birds')", "uuid": "gen_random_uuid()", "inet": "'127.0.0.1'", "interval": "interval '1 hour'",
			}[c.kind]
			if value == "" {
				value = fmt.Sprint(n)
			}
		}
		names, values = append(names, pgx.Identifier{c.name}.Sanitize()), append(values, value)
	}
	statement := fmt.Sprintf("INSERT INTO %s DEFAULT VALUES", x.name)
	if len(names) > 0 {
		statement = fmt.Sprintf("INSERT INTO %s (%s) VALUES (%s) ON CONFLICT DO NOTHING", x.name, strings.Join(names, ", "), strings.Join(values, ", "))
	}
	if _, err := conn.Exec(ctx, statement); err != nil {
		return fmt.Errorf("%s: %w", statement, err)
	}
	return nil
}

// Before each migration each table has rows that say something in each column: the migration
// takes them along, and what came out takes further rows.
func TestEveryMigrationTakesRowsAlong(t *testing.T) {
	address := testkit.EmptyDatabase(t)
	conn, err := pgx.Connect(t.Context(), address)
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close(context.Background()) })
	counted := func(table string) (n int) {
		require.NoError(t, conn.QueryRow(t.Context(), "SELECT count(*) FROM "+table).Scan(&n))
		return n
	}
	for schema := 1; schema <= database.Newest(); schema++ {
		had := map[string]int{}
		if schema > 1 {
			for _, x := range tablesAt(t, conn) {
				had[x.name] = counted(x.name)
			}
		}
		require.NoError(t, database.MigrateTo(t.Context(), address, schema), schema)
		for _, x := range tablesAt(t, conn) {
			before := counted(x.name)
			if now, known := had[x.name]; known && again[schema] != x.name {
				assert.GreaterOrEqual(t, before, now, "migration %d lost rows of %s", schema, x.name)
			}
			require.NoError(t, fill(t.Context(), conn, x, 1000*schema), "at %d", schema)
			assert.NotZero(t, counted(x.name), "%s at %d", x.name, schema)
		}
	}
}

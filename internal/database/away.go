package database

import (
	"cmp"
	"context"
	"errors"
	"net"
	"strings"
	"sync/atomic"
	"time"
	"unicode"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"incipit/internal/tracing"
)

// The database may be stopped, or hang. Nobody waits for it longer than these
// times; and once a look at it has failed, nobody waits at all until one
// succeeds again.
const (
	lookEvery   = time.Second
	lookWithin  = 1500 * time.Millisecond
	looksLate   = 2                // looks that took too long, one after the other, until it is away
	joinWithin  = 10 * time.Second // until there is a connection: a machine that has too much to do is slow at greeting, too
	frontWithin = 10 * time.Second // one statement for who waits at a screen
	jobsWithin  = 5 * time.Minute  // one statement of a job
)

// ErrAway is given for what needs the database while it does not answer.
var ErrAway = errors.New("the database does not answer")

// Away says whether an error means that the database cannot be had just now.
func Away(err error) bool {
	if err == nil {
		return false
	}
	var refused *pgconn.PgError
	if errors.As(err, &refused) {
		// Shutdown, start-up, crash, too many connections; connection exceptions.
		return strings.HasPrefix(refused.Code, "57P") || strings.HasPrefix(refused.Code, "08") || refused.Code == "53300"
	}
	var connecting *pgconn.ConnectError
	var network *net.OpError
	return errors.Is(err, ErrAway) || errors.Is(err, context.DeadlineExceeded) || errors.As(err, &connecting) || errors.As(err,
		&network) || pgconn.SafeToRetry(err) ||
		strings.Contains(err.Error(), "conn closed") || strings.Contains(err.Error(), "unexpected EOF")
}

// Unwritable says whether an error means that a text cannot be kept, whoever sent it: it
// holds a zero byte, or is no UTF-8.
func Unwritable(err error) bool {
	var refused *pgconn.PgError
	return errors.As(err, &refused) && (refused.Code == "22021" || refused.Code == "22P05")
}

// patience bounds what statements on a pool may take, and gives up at once while
// the database is away. It implements pgx's tracers, which may hand a context of
// their own on.
type patience struct {
	*shared
	within time.Duration
	asked  *atomic.Int64
}

type patienceKey struct{}

// statementKey leads to the span of a statement.
type statementKey struct{}

func (p patience) bound(ctx context.Context, within time.Duration) context.Context {
	if p.away.Load() {
		// Its time is over before it begins.
		ctx, cancel := context.WithDeadlineCause(ctx, time.Unix(1, 0), ErrAway)
		cancel()
		return ctx
	}
	ctx, cancel := context.WithTimeoutCause(ctx, within, ErrAway)
	return context.WithValue(ctx, patienceKey{}, cancel)
}

// verbOf is what a statement does: its first word, whatever comment stands before it.
// That a connection is looked at is a comment alone.
func verbOf(sql string) string {
	for {
		sql = strings.TrimLeft(sql, " \t\r\n(")
		end := ""
		switch {
		case strings.HasPrefix(sql, "--"):
			end = "\n"
		case strings.HasPrefix(sql, "/*"):
			end = "*/"
		default:
			letters := strings.IndexFunc(sql, func(r rune) bool { return !unicode.IsLetter(r) })
			if letters < 0 {
				letters = len(sql)
			}
			return cmp.Or(strings.ToUpper(sql[:letters]), "PING")
		}
		_, sql, _ = strings.Cut(sql, end)
	}
}

func (p patience) done(ctx context.Context) {
	if cancel, ok := ctx.Value(patienceKey{}).(context.CancelFunc); ok {
		cancel()
	}
}

// TraceQueryStart implements pgx.QueryTracer.
func (p patience) TraceQueryStart(ctx context.Context, _ *pgx.Conn, data pgx.TraceQueryStartData) context.Context {
	switch strings.ToLower(data.SQL) {
	case "begin", "commit", "rollback":
	default:
		p.asked.Add(1)
	}
	// What a statement does is its first word; values stand apart from it.
	ctx, span := tracing.Begin(ctx, verbOf(data.SQL), "db.system.name", "postgresql", "db.query.text", data.SQL)
	return p.bound(context.WithValue(ctx, statementKey{}, span), p.within)
}

// TraceQueryEnd implements pgx.QueryTracer.
func (p patience) TraceQueryEnd(ctx context.Context, _ *pgx.Conn, end pgx.TraceQueryEndData) {
	if end.Err == nil {
		p.answered.Store(time.Now().UnixNano())
	}
	if span, is := ctx.Value(statementKey{}).(tracing.Span); is {
		span.End(end.Err != nil)
	}
	p.done(ctx)
}

// TraceAcquireStart implements pgxpool.AcquireTracer.
func (p patience) TraceAcquireStart(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireStartData) context.Context {
	return p.bound(ctx, joinWithin)
}

// TraceAcquireEnd implements pgxpool.AcquireTracer.
func (p patience) TraceAcquireEnd(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireEndData) {
	p.done(ctx)
}

// Look asks whether the database answers, and says why not within two seconds.
// It is away when it refuses. When a look only took too long, it is away if nothing
// else was answered meanwhile, twice: a machine that has more to do than it can
// is slow at everything, and then a second look finds what has been answered.
func (s *DB) Look(asked context.Context) error {
	began := time.Now()
	ctx, cancel := context.WithTimeout(asked, lookWithin)
	defer cancel()
	conn, err := pgx.ConnectConfig(ctx, s.look)
	if err == nil {
		err = conn.Ping(ctx)
		// The goodbye must not wait for a database that hangs.
		go conn.Close(context.WithoutCancel(ctx)) //nolint:errcheck // it was only a look
	}
	if asked.Err() != nil { // nobody looked to the end
		return err
	}
	late := int32(0)
	if err != nil && ctx.Err() != nil {
		if s.shared.answered.Load() >= began.UnixNano() {
			err = nil
		} else {
			late = s.shared.late.Load() + 1
		}
	}
	s.shared.late.Store(late)
	s.shared.away.Store(err != nil && (late == 0 || late >= looksLate || s.shared.away.Load()))
	return err
}

// lookNowAndThen looks until ctx ends.
func (s *DB) lookNowAndThen(ctx context.Context) {
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
			_ = s.Look(ctx) // what it found is kept
		case <-ctx.Done():
			return
		}
	}
}

// IsAway says whether the last look failed.
func (s *DB) IsAway() bool { return s.shared.away.Load() }

// Answered is when a statement was answered last.
func (d *DB) Answered() time.Time { return time.Unix(0, d.shared.answered.Load()) }

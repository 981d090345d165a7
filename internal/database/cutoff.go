package database

import (
	"context"
	"fmt"
	"time"
)

// mostCutOff is how many attempts a job may have that is cut off again and again; then the
// queue's own rescue ends it, as it ends one that fails.
const mostCutOff = 30

// Unheard is how long after its end a process says of a job that it is at it: the queue
// tries several times to note how it ended.
const Unheard = 3 * time.Minute

// lastBy is the process that a job was last begun by.
const lastBy = "attempted_by[array_upper(attempted_by, 1)]"

// Serving takes the lease that says of a process that it works jobs: who they were begun by.
func (l *Leases) Serving(ctx context.Context, process string) error {
	_, ok, err := l.Take(ctx, "jobs of "+process, 0)
	if err == nil && !ok {
		err = fmt.Errorf("another process works jobs as %s", process)
	}
	return err
}

// HandBack has jobs wait again that somebody began who is gone: killed, or off the machine.
// An attempt that was cut off so does not count, within bounds. own is this process, which
// serves; of its own jobs those wait again that it is not at, nor was a while ago: their end
// could not be noted.
func (s *DB) HandBack(ctx context.Context, l *Leases, own string, at func(job int64) bool) (int, error) {
	const again = `UPDATE river_job SET state = 'available', scheduled_at = now(), max_attempts = greatest(max_attempts, attempt + 1)
		WHERE state = 'running' AND attempt < ? AND `
	db := s.WithContext(ctx)
	var by []string
	err := db.Raw("SELECT DISTINCT " + lastBy + " FROM river_job WHERE state = 'running' AND attempted_by IS NOT NULL LIMIT 100").Scan(&by).Error
	if err != nil {
		return 0, fmt.Errorf("list who works: %w", err)
	}
	n := 0
	for _, process := range by {
		if process == own {
			continue
		}
		release, gone, err := l.Take(ctx, "jobs of "+process, 0)
		if err != nil {
			return n, err
		}
		if !gone {
			continue
		}
		r := db.Exec(again+lastBy+" = ?", mostCutOff, process)
		release()
		if r.Error != nil {
			return n, fmt.Errorf("have the jobs of %s wait again: %w", process, r.Error)
		}
		n += int(r.RowsAffected)
	}
	var mine []int64
	err = db.Raw("SELECT id FROM river_job WHERE state = 'running' AND "+lastBy+` = ?
		AND attempted_at < now() - make_interval(secs => ?) LIMIT 1000`, own, Unheard.Seconds()).Scan(&mine).Error
	if err != nil {
		return n, fmt.Errorf("list what is worked here: %w", err)
	}
	for _, id := range mine {
		if at(id) {
			continue
		}
		r := db.Exec(again+"id = ?", mostCutOff, id)
		if r.Error != nil {
			return n, fmt.Errorf("have job %d wait again: %w", id, r.Error)
		}
		n += int(r.RowsAffected)
	}
	return n, nil
}

// Package cluster runs a PostgreSQL of our own: for the demo, which keeps its
// data, and for tests, which throw theirs away.
//
// It needs Debian's postgresql-15 binaries, a folder and a free loopback port;
// it never touches an installed server. PostgreSQL refuses to run as root, so
// root starts it as user postgres.
package cluster

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"syscall"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib" // the database/sql driver "pgx"
)

// Cluster is a running PostgreSQL.
type Cluster struct {
	dir      string
	password string
	port     int
	cmd      *exec.Cmd
	exited   chan error
}

// Options say where and how.
type Options struct {
	// Dir holds the data and the password; it is made if need be.
	Dir string
	// Throwaway trades safety for speed, and ends the server with this
	// process.
	Throwaway bool
	// Port is the one to listen on; 0 is any that is free.
	Port int
	// Say is told, in a sentence, what was done about an earlier one.
	Say func(string)
}

const superuser = "incipit"

// Binaries finds PostgreSQL's programs, the newest version first.
func Binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if len(found) == 0 {
		return "", errors.New("PostgreSQL is not installed: apt-get install postgresql-15")
	}
	sort.Slice(found, func(i, j int) bool { return version(found[i]) > version(found[j]) })
	return filepath.Dir(found[0]), nil
}

func version(path string) int {
	n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
	return n
}

// Start makes the cluster if the folder is new, and starts it.
func Start(ctx context.Context, o Options) (*Cluster, error) {
	bin, err := Binaries()
	if err != nil {
		return nil, err
	}
	dir, err := filepath.Abs(o.Dir)
	if err != nil {
		return nil, fmt.Errorf("find %s: %w", o.Dir, err)
	}
	c := &Cluster{dir: dir, exited: make(chan error, 1)}
	if err := c.prepare(); err != nil {
		return nil, err
	}
	if _, err := os.Stat(filepath.Join(c.data(), "PG_VERSION")); errors.Is(err, os.ErrNotExist) {
		if err := c.create(ctx, bin, o.Throwaway); err != nil {
			return nil, err
		}
	}
	if err := StopLeft(dir, o.Say); err != nil {
		return nil, err
	}
	password, err := os.ReadFile(filepath.Join(c.dir, "password"))
	if err != nil {
		return nil, fmt.Errorf("read the database password: %w", err)
	}
	c.password = strings.TrimSpace(string(password))
	if c.port = o.Port; c.port == 0 {
		if c.port, err = freePort(); err != nil {
			return nil, err
		}
	}
	args := []string{"-D", c.data(), "-p", strconv.Itoa(c.port), "-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories="}
	if o.Throwaway {
		for _, setting := range []string{"fsync=off", "synchronous_commit=off", "full_page_writes=off", "autovacuum=off", "wal_level=minimal",
			"max_wal_senders=0", "max_connections=300"} {
			args = append(args, "-c", setting)
		}
	}
	c.cmd = asOwner(exec.Command(filepath.Join(bin, "postgres"), args...))
	if o.Throwaway {
		c.cmd.SysProcAttr.Pdeathsig = syscall.SIGQUIT
	}
	// A process group of its own: Ctrl-C ends us first, and we end it.
	c.cmd.SysProcAttr.Setpgid = true
	log, err := os.OpenFile(filepath.Join(c.dir, "log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, fmt.Errorf("open the database's log: %w", err)
	}
	defer log.Close()
	c.cmd.Stdout, c.cmd.Stderr = log, log
	if err := c.cmd.Start(); err != nil {
		return nil, fmt.Errorf("start PostgreSQL: %w", err)
	}
	go func() { c.exited <- c.cmd.Wait() }()
	if err := c.wait(ctx); err != nil {
		c.Stop()
		return nil, err
	}
	return c, nil
}

func (c *Cluster) data() string { return filepath.Join(c.dir, "data") }

// prepare makes the folder and gives it to the user the server runs as.
func (c *Cluster) prepare() error {
	if err := os.MkdirAll(c.dir, 0o755); err != nil {
		return fmt.Errorf("make %s: %w", c.dir, err)
	}
	if uid, gid, ok := owner(); ok {
		if !reachable(c.dir) {
			return fmt.Errorf("user postgres cannot reach %s", c.dir)
		}
		if err := os.Chown(c.dir, uid, gid); err != nil {
			return fmt.Errorf("give %s to user postgres: %w", c.dir, err)
		}
	}
	return nil
}

// Place gives dir, or a folder below /var/tmp when we are root and dir lies
// where user postgres cannot reach it.
func Place(dir string) string {
	if _, _, ok := owner(); !ok {
		return dir
	}
	abs, err := filepath.Abs(dir)
	if err == nil && reachable(filepath.Dir(abs)) {
		return abs
	}
	return filepath.Join("/var/tmp", "incipit"+strings.ReplaceAll(abs, "/", "-"))
}

// reachable says whether everybody may walk to a folder.
func reachable(dir string) bool {
	for {
		info, err := os.Stat(dir)
		if err == nil && info.Mode().Perm()&0o001 == 0 {
			uid, _, _ := owner()
			if st, ok := info.Sys().(*syscall.Stat_t); !ok || int(st.Uid) != uid {
				return false
			}
		}
		parent := filepath.Dir(dir)
		if parent == dir {
			return true
		}
		dir = parent
	}
}

func (c *Cluster) create(ctx context.Context, bin string, throwaway bool) error {
	secret := make([]byte, 18)
	if _, err := rand.Read(secret); err != nil {
		return fmt.Errorf("make a password: %w", err)
	}
	file := filepath.Join(c.dir, "password")
	if err := os.WriteFile(file, []byte(hex.EncodeToString(secret)+"\n"), 0o600); err != nil {
		return fmt.Errorf("keep the database password: %w", err)
	}
	if uid, gid, ok := owner(); ok {
		if err := os.Chown(file, uid, gid); err != nil {
			return fmt.Errorf("give the password to user postgres: %w", err)
		}
	}
	args := []string{"-D", c.data(), "-U", superuser, "--pwfile=" + file, "--auth=scram-sha-256", "--locale=C.UTF-8", "--encoding=UTF8"}
	if throwaway {
		args = append(args, "--no-sync")
	}
	cmd := asOwner(exec.CommandContext(ctx, filepath.Join(bin, "initdb"), args...))
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("make a database cluster: %w: %s", err, out)
	}
	return nil
}

// owner is the user that PostgreSQL runs as when we are root.
func owner() (uid, gid int, ok bool) {
	if os.Geteuid() != 0 {
		return 0, 0, false
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return 0, 0, false
	}
	uid, _ = strconv.Atoi(u.Uid)
	gid, _ = strconv.Atoi(u.Gid)
	return uid, gid, true
}

func asOwner(cmd *exec.Cmd) *exec.Cmd {
	cmd.SysProcAttr = &syscall.SysProcAttr{}
	cmd.Dir = "/"
	cmd.Env = []string{"PATH=/usr/bin:/bin", "LC_ALL=C.UTF-8"}
	if uid, gid, ok := owner(); ok {
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
	}
	return cmd
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("find a free port: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// wait waits until the server takes connections.
func (c *Cluster) wait(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	db, err := sql.Open("pgx", c.URL("postgres"))
	if err != nil {
		return fmt.Errorf("open the database: %w", err)
	}
	defer db.Close()
	tick := time.NewTicker(30 * time.Millisecond)
	defer tick.Stop()
	for {
		if err := db.PingContext(ctx); err == nil {
			return nil
		}
		select {
		case err := <-c.exited:
			c.exited <- err
			return fmt.Errorf("PostgreSQL ended at once (%w); see %s", err, filepath.Join(c.dir, "log"))
		case <-ctx.Done():
			return fmt.Errorf("PostgreSQL does not answer; see %s", filepath.Join(c.dir, "log"))
		case <-tick.C:
		}
	}
}

// URL is the connection address of one of the cluster's databases.
func (c *Cluster) URL(database string) string {
	u := url.URL{Scheme: "postgres", User: url.UserPassword(superuser, c.password), Host: fmt.Sprintf("127.0.0.1:%d", c.port),
		Path: database, RawQuery: "sslmode=disable"}
	return u.String()
}

// Port is the one it listens on.
func (c *Cluster) Port() int { return c.port }

// Signal sends a signal to the server and to each process that serves a
// connection: one that is stopped that way hangs as a machine does.
func (c *Cluster) Signal(how syscall.Signal) error {
	own := c.cmd.Process.Pid
	all := []int{own}
	stats, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		return fmt.Errorf("list processes: %w", err)
	}
	for _, name := range stats {
		b, err := os.ReadFile(name)
		if err != nil {
			continue // it has ended
		}
		// What stands behind the name, which may hold anything (proc(5)).
		fields := strings.Fields(string(b[strings.LastIndexByte(string(b), ')')+1:]))
		if pid, err := strconv.Atoi(filepath.Base(filepath.Dir(name))); err == nil && len(fields) > 1 && fields[1] == strconv.Itoa(own) {
			all = append(all, pid)
		}
	}
	for _, pid := range all {
		if err := syscall.Kill(pid, how); err != nil && !errors.Is(err, syscall.ESRCH) {
			return fmt.Errorf("signal the database: %w", err)
		}
	}
	return nil
}

// Ensure makes a database if it does not exist.
func (c *Cluster) Ensure(ctx context.Context, database string) error {
	db, err := sql.Open("pgx", c.URL("postgres"))
	if err != nil {
		return fmt.Errorf("open the database: %w", err)
	}
	defer db.Close()
	var exists bool
	if err := db.QueryRowContext(ctx, "SELECT EXISTS (SELECT FROM pg_database WHERE datname = $1)", database).Scan(&exists); err != nil {
		return fmt.Errorf("look for database %s: %w", database, err)
	}
	if exists {
		return nil
	}
	if _, err := db.ExecContext(ctx, `CREATE DATABASE "`+strings.ReplaceAll(database, `"`, `""`)+`"`); err != nil {
		return fmt.Errorf("make database %s: %w", database, err)
	}
	return nil
}

// Stop ends the server and waits: a fast shutdown, which keeps all data.
func (c *Cluster) Stop() {
	if c.cmd == nil || c.cmd.Process == nil {
		return
	}
	_ = c.cmd.Process.Signal(syscall.SIGINT)
	select {
	case <-c.exited:
	case <-time.After(20 * time.Second):
		_ = c.cmd.Process.Kill()
		<-c.exited
	}
}

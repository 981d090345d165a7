// Command mutate changes one thing at a time in the rules of a package and says whether the
// package's own tests notice: numbers, comparisons, arithmetic, conditions. The source stays
// as it is; the go command is given each change as an overlay.
//
//	go run ./internal/testkit/mutate [-most 40] [-seed 1] PACKAGE ...
//
// What is not noticed is printed with its place. The idea is that of mutation analysis
// (DeMillo, Lipton, Sayward, Hints on test data selection, Computer 11(4), 1978).
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// mutation is one change: the bytes of a file from one offset to another.
type mutation struct {
	file     string
	from, to int
	was, is  string
	line     int
}

var swapped = map[token.Token]token.Token{
	token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR, token.EQL: token.NEQ, token.NEQ: token.EQL,
	token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO, token.QUO: token.MUL, token.LAND: token.LOR, token.LOR: token.LAND,
}

// mutationsOf lists all changes of a file.
func mutationsOf(path string) ([]mutation, error) {
	files := token.NewFileSet()
	f, err := parser.ParseFile(files, path, nil, parser.SkipObjectResolution)
	if err != nil {
		return nil, err
	}
	var out []mutation
	add := func(pos token.Pos, was, is string) {
		at := files.Position(pos)
		out = append(out, mutation{path, at.Offset, at.Offset + len(was), was, is, at.Line})
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.ImportSpec, *ast.Field:
			return false
		case *ast.BinaryExpr:
			to, ok := swapped[n.Op]
			text, isText := n.X.(*ast.BasicLit)
			if ok && !(n.Op == token.ADD && isText && text.Kind == token.STRING) {
				add(n.OpPos, n.Op.String(), to.String())
			}
		case *ast.UnaryExpr:
			if n.Op == token.NOT {
				add(n.OpPos, "!", " ")
			}
		case *ast.BasicLit:
			switch n.Kind {
			case token.INT:
				if v, err := strconv.ParseInt(n.Value, 0, 64); err == nil {
					add(n.Pos(), n.Value, strconv.FormatInt(more(v), 10))
				}
			case token.FLOAT:
				if v, err := strconv.ParseFloat(n.Value, 64); err == nil {
					add(n.Pos(), n.Value, fmt.Sprint(v*1.5+0.001))
				}
			}
		}
		return true
	})
	return out, nil
}

// more is another number: the next one of a small one, half as much again of a large one.
func more(v int64) int64 {
	if v < 8 {
		return v + 1
	}
	return v + v/2
}

// noticed says whether the tests of a package fail with a change; a change that cannot be
// compiled is none.
func noticed(pkg string, m mutation, within time.Duration) (noticed, is bool, err error) {
	b, err := os.ReadFile(m.file)
	if err != nil {
		return false, false, err
	}
	dir, err := os.MkdirTemp("", "mutate-")
	if err != nil {
		return false, false, err
	}
	defer os.RemoveAll(dir)
	changed := filepath.Join(dir, "changed.go")
	if err := os.WriteFile(changed, bytes.Join([][]byte{b[:m.from], []byte(m.is), b[m.to:]}, nil), 0o600); err != nil {
		return false, false, err
	}
	whole, err := filepath.Abs(m.file)
	if err != nil {
		return false, false, err
	}
	overlay, err := json.Marshal(map[string]map[string]string{"Replace": {whole: changed}})
	if err != nil {
		return false, false, err
	}
	at := filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(at, overlay, 0o600); err != nil {
		return false, false, err
	}
	ctx, stop := context.WithTimeout(context.Background(), within)
	defer stop()
	// What never ends may fill the memory until then; a group of its own is ended whole.
	cmd := exec.CommandContext(ctx, "sh", "-c", `ulimit -v 8000000; exec go test -overlay "$1" -vet=off -failfast "$2"`, "sh", at, pkg)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	cmd.WaitDelay = time.Second
	said, err := cmd.CombinedOutput()
	if bytes.Contains(said, []byte("[build failed]")) || bytes.Contains(said, []byte("[setup failed]")) {
		return false, false, nil
	}
	return err != nil, true, nil // one that never ends is noticed, too
}

func run() error {
	most := flag.Int("most", 40, "changes of a package, chosen by chance; 0 is all")
	seed := flag.Uint64("seed", 1, "of the choice")
	within := flag.Duration("within", 2*time.Minute, "for the tests of one change")
	flag.Parse()
	fmt.Printf("%-28s %8s %8s %6s\n", "package", "changes", "noticed", "%")
	for _, pkg := range flag.Args() {
		files, err := filepath.Glob(filepath.Join(pkg, "*.go"))
		if err != nil {
			return err
		}
		var all []mutation
		for _, f := range files {
			if strings.HasSuffix(f, "_test.go") {
				continue
			}
			of, err := mutationsOf(f)
			if err != nil {
				return err
			}
			all = append(all, of...)
		}
		rand.New(rand.NewPCG(*seed, 0)).Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		if *most > 0 && len(all) > *most {
			all = all[:*most]
		}
		var mu sync.Mutex
		var each sync.WaitGroup
		tried, found, survived := 0, 0, []string{}
		places := make(chan struct{}, 2)
		for _, m := range all {
			each.Go(func() {
				places <- struct{}{}
				defer func() { <-places }()
				seen, is, err := noticed("./"+strings.TrimPrefix(pkg, "./"), m, *within)
				mu.Lock()
				defer mu.Unlock()
				switch {
				case err != nil:
					survived = append(survived, fmt.Sprintf("%s:%d: %v", m.file, m.line, err))
				case !is:
				case seen:
					tried, found = tried+1, found+1
				default:
					tried++
					survived = append(survived, fmt.Sprintf("  %s:%d: %s became %s", m.file, m.line, m.was, m.is))
				}
			})
		}
		each.Wait()
		fmt.Printf("%-28s %8d %8d %6.0f\n", pkg, tried, found, 100*float64(found)/float64(max(tried, 1)))
		for _, s := range survived {
			fmt.Println(s)
		}
	}
	return nil
}

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

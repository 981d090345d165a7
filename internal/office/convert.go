package office

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"
)

// Bounds of one conversion.
const (
	within     = 2 * time.Minute
	mostMemory = 4 << 30   // bytes of address space
	mostOutput = 500 << 20 // bytes of one file that it writes
	mostCPU    = 90        // seconds
)

// ErrMissing is given where LibreOffice is not installed, ErrUnconfined where no process can
// be confined, and ErrFailed where nothing came of a file.
var (
	ErrMissing    = errors.New("LibreOffice is not installed")
	ErrUnconfined = errors.New("no process can be confined on this machine")
	ErrFailed     = errors.New("nothing came of the file")
)

// Packages are what Debian's apt-get has to install for it.
const Packages = "libreoffice-writer-nogui libreoffice-calc-nogui libreoffice-impress-nogui bubblewrap"

// Converter makes PDFs. It is made by Find.
type Converter struct {
	soffice, bwrap, prlimit string
	one                     chan struct{} // a conversion takes a core and some hundred MB: one goes at a time
	tried                   sync.Once
	confined                error
}

// Find looks for the programs that are needed, or gives ErrMissing.
func Find() (*Converter, error) {
	c := &Converter{one: make(chan struct{}, 1)}
	for name, path := range map[string]*string{"soffice": &c.soffice, "bwrap": &c.bwrap, "prlimit": &c.prlimit} {
		p, err := exec.LookPath(name)
		if err != nil {
			return nil, fmt.Errorf("%w: there is no %s", ErrMissing, name)
		}
		*path = p
	}
	return c, nil
}

// confine gives a command that runs in a confined process: no network, no other process, the
// programs of the machine to read, and one folder to write to.
func (c *Converter) confine(ctx context.Context, folder string, args ...string) *exec.Cmd {
	a := []string{
		fmt.Sprintf("--as=%d", mostMemory), fmt.Sprintf("--fsize=%d", mostOutput), fmt.Sprintf("--cpu=%d", mostCPU), "--core=0", "--",
		c.bwrap, "--unshare-all", "--die-with-parent", "--new-session", "--clearenv", "--ro-bind", "/usr", "/usr",
	}
	for _, of := range []string{"lib", "lib64", "bin"} {
		a = append(a, "--symlink", "usr/"+of, "/"+of)
	}
	for _, of := range []string{"/etc/fonts", "/etc/libreoffice", "/etc/ld.so.cache", "/etc/alternatives"} {
		a = append(a, "--ro-bind-try", of, of)
	}
	a = append(a, "--proc", "/proc", "--dev", "/dev", "--tmpfs", "/tmp", "--bind", folder, "/work", "--chdir", "/work",
		"--setenv", "HOME", "/tmp", "--setenv", "LC_ALL", "C.UTF-8", "--setenv", "PATH", "/usr/bin", "--")
	cmd := exec.CommandContext(ctx, c.prlimit, append(a, args...)...)
	cmd.Env = []string{"PATH=" + os.Getenv("PATH")}
	return cmd
}

// works says, by its error, why no process can be confined here.
func (c *Converter) works(ctx context.Context) error {
	c.tried.Do(func() {
		folder, err := os.MkdirTemp("", "incipit-office-")
		if err != nil {
			c.confined = err
			return
		}
		defer os.RemoveAll(folder)
		if out, err := c.confine(context.WithoutCancel(ctx), folder, "/usr/bin/true").CombinedOutput(); err != nil {
			c.confined = fmt.Errorf("%w: %s", ErrUnconfined, strings.TrimSpace(string(out)))
		}
	})
	return c.confined
}

// Convert makes a tagged PDF of a file at a path, and hands it to take while it is there.
func (c *Converter) Convert(ctx context.Context, path string, kind Kind, take func(pdf string) error) error {
	if err := c.works(ctx); err != nil {
		return err
	}
	select {
	case c.one <- struct{}{}:
		defer func() { <-c.one }()
	case <-ctx.Done():
		return ctx.Err()
	}
	folder, err := os.MkdirTemp("", "incipit-office-")
	if err != nil {
		return fmt.Errorf("make a folder to convert in: %w", err)
	}
	defer os.RemoveAll(folder)
	in := "document." + string(kind) // what the file is called decides nothing
	if err := link(path, filepath.Join(folder, in)); err != nil {
		return fmt.Errorf("lay a file out to be converted: %w", err)
	}
	filter := map[Kind]string{Spreadsheet: "calc", WordSheet: "calc", Presentation: "impress", WordSlides: "impress"}[kind]
	if filter == "" {
		filter = "writer"
	}
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	var said bytes.Buffer
	cmd := c.confine(ctx, folder, "/usr/bin/soffice", "-env:UserInstallation=file:///tmp/profile", "--headless", "--norestore", "--nolockcheck", "--convert-to",
		"pdf:"+filter+`_pdf_Export:{"UseTaggedPDF":{"type":"boolean","value":"true"},"ExportBookmarks":{"type":"boolean","value":"true"}}`,
		"--outdir", "/work/made", "/work/"+in)
	cmd.Stdout, cmd.Stderr = &said, &said
	cmd.WaitDelay = 5 * time.Second
	err = cmd.Run()
	made := filepath.Join(folder, "made", "document.pdf")
	// It ends well also where it wrote nothing.
	if _, missing := os.Stat(made); missing != nil {
		return fmt.Errorf("%w: %w; it said: %.500s", ErrFailed, errors.Join(err, ctx.Err(), missing), said.String())
	}
	return take(made)
}

// link lays a file out under another name; across file systems it is copied.
func link(from, to string) error {
	if err := os.Link(from, to); err == nil {
		return nil
	}
	b, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return os.WriteFile(to, b, 0o600)
}

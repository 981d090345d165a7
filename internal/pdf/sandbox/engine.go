// Package sandbox opens PDFs inside WebAssembly, in a process of its own.
//
// PDFium, compiled to WebAssembly (github.com/klippa-app/go-pdfium on wazero),
// gets an empty file system, a cap on its memory and no clock or network worth
// the name. It runs in the configuration that cannot be interrupted, since
// that is about four times as fast; the owner of the process interrupts by
// killing it. What a file breaks is then one worker, for a moment.
package sandbox

import (
	"context"
	"fmt"
	"os"

	"github.com/klippa-app/go-pdfium"
	"github.com/klippa-app/go-pdfium/webassembly"
	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
	"github.com/tetratelabs/wazero/experimental"

	"incipit/internal/machine"
	"incipit/internal/pdf"
	"incipit/internal/pdf/wire"
)

// Limits bound what one file may cost.
type Limits struct {
	MemoryMiB int   // memory of the WebAssembly module
	OwnMiB    int   // memory of the worker around it
	MaxPages  int   // more pages than that are refused
	MaxPixels int   // width × height of one image
	Documents int   // kept open by one worker
	Blocks    int   // kept of each document's file, of blockSize bytes
	Copy      int   // bytes of a file's copy that is looked into
	Decoded   int64 // bytes of a picture that is redrawn, decoded
}

// DefaultLimits are those of a worker that may have what the machine grants
// where it grants enough.
func DefaultLimits() Limits { return LimitsFor(machine.Most) }

// LimitsFor gives the limits of a worker that may have so many MiB in all. The
// program itself takes about 80; of the rest a quarter is for what is copied,
// encoded and kept of files, three quarters are the module's. An image takes a
// quarter of the module's at most, so that there is room for what it is drawn
// from.
func LimitsFor(mib int) Limits {
	const program = 80
	own := program + max(mib-machine.Least, 0)/4
	l := Limits{MemoryMiB: mib - own, OwnMiB: own, MaxPages: 10_000, Documents: 4, Blocks: 128, Copy: max(own-program, 8) << 20}
	l.MaxPixels = min(25_000_000, l.MemoryMiB<<20/4/4)
	l.Decoded = min(pdf.MostDecoded, int64(mib)<<20*3/8)
	if mib < 400 {
		l.Documents, l.Blocks = 2, 32
	}
	return l
}

// engine is one PDFium instance and the documents it has open, the one used
// last at the end.
type engine struct {
	limits   Limits
	memory   *reserved
	instance pdfium.Pdfium
	fetch    func(wire.Need) ([]byte, error)
	open     []*document
}

// start compiles the module, or takes it from the cache folder, and makes an
// instance. Compiling takes 10 to 20 s, the cache 0.2 s.
func start(ctx context.Context, cacheDir string, limits Limits, fetch func(wire.Need) ([]byte, error)) (*engine, error) {
	config := wazero.NewRuntimeConfig().
		WithCoreFeatures(api.CoreFeaturesV2 | experimental.CoreFeaturesExceptionHandling)
	if cacheDir != "" {
		cache, err := wazero.NewCompilationCacheWithDir(cacheDir)
		if err != nil {
			return nil, fmt.Errorf("open the engine's cache %s: %w", cacheDir, err)
		}
		config = config.WithCompilationCache(cache)
	}
	memory := &reserved{most: uint64(limits.MemoryMiB) << 20}
	ctx = experimental.WithMemoryAllocator(ctx, memory)
	workers, err := webassembly.Init(webassembly.Config{
		Context: ctx, MinIdle: 1, MaxIdle: 1, MaxTotal: 1,
		RuntimeConfig: config,
		FSConfig:      wazero.NewFSConfig(), // nothing of the host's file system
		Stdout:        os.Stderr, Stderr: os.Stderr,
	})
	if err != nil {
		return nil, fmt.Errorf("start the engine: %w", err)
	}
	instance, err := workers.GetInstance(0)
	if err != nil {
		return nil, fmt.Errorf("make an engine instance: %w", err)
	}
	return &engine{limits: limits, memory: memory, instance: instance, fetch: fetch}, nil
}

// document gives the open document an ask is about, opening it if need be.
func (e *engine) document(ask wire.Ask) (*document, error) {
	for i, d := range e.open {
		if d.id == ask.ID && d.password == ask.Password && d.layers == ask.Layers {
			d.units = ask.Units
			e.open = append(append(e.open[:i:i], e.open[i+1:]...), d)
			return d, nil
		}
	}
	if ask.Size > pdf.MaxBytes {
		return nil, pdf.Problemf(pdf.TooLarge, "The file is larger than 4 GiB.")
	}
	for len(e.open) >= e.limits.Documents {
		e.open[0].close()
		e.open = e.open[1:]
	}
	open := openDocument
	if ask.Layers != "" {
		open = openLayered
	}
	d, err := open(e, ask)
	if err != nil {
		return nil, err
	}
	d.units = ask.Units
	e.open = append(e.open, d)
	return d, nil
}

// answer does what is asked. Errors other than problems of the file mean that
// the worker is spent.
func (e *engine) answer(ask wire.Ask) (wire.Answer, error) {
	var a wire.Answer
	if ask.Op == wire.Warm {
		return a, nil
	}
	if ask.Op == wire.Picture {
		var err error
		a.Picture, err = e.picture(ask)
		return a, err
	}
	d, err := e.document(ask)
	if err != nil {
		return a, err
	}
	switch ask.Op {
	case wire.Cover:
		a.Cover, err = d.cover()
	case wire.Sheets:
		a.Sheets, err = d.sheets(ask.Page, ask.To)
	case wire.Facts:
		a.Facts, err = d.facts()
	case wire.Fields:
		a.Fields, a.Text, err = d.fields(ask.Page, ask.To)
	case wire.Layer:
		a.Layer, err = d.layer(ask.Page)
	case wire.Type:
		a.Type, err = d.typeOf(ask.Pages)
	case wire.Tile:
		a.Image, err = d.tile(ask.Page, ask.Tile)
	case wire.Extract:
		a.Bytes, err = d.extract(ask.Page)
	case wire.Attachment:
		a.Bytes, err = d.attachment(ask.Page)
	case wire.Destination:
		a.Destination, err = d.destination(ask.Name)
	case wire.Amend:
		a.Bytes, err = d.amended(ask.Said)
	case wire.Inks:
		a.Inks, err = d.inks(ask.Page)
	case wire.Beside:
		a.Beside = d.beside()
	case wire.Structure:
		a.Structure = d.tagged()
	case wire.Image:
		a.Image, err = d.image(ask.Page, ask.Width)
	default:
		err = fmt.Errorf("unknown request %q", ask.Op)
	}
	if err != nil && d.file.failed != nil {
		err = fmt.Errorf("%w: %w", errSource, d.file.failed)
	}
	return a, err
}

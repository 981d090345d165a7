package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"time"

	"incipit/internal/config"
	"incipit/internal/pdf"
)

// badUse is an error of the command line and not of a file.
type badUse struct{ error }

// fail reports an error and ends the program: problems of a file as one line
// of JSON with exit code 1, wrong use with exit code 2.
func fail(err error) {
	var use badUse
	if errors.As(err, &use) {
		fmt.Fprintf(os.Stderr, "incipit: %v\n", err)
		os.Exit(2)
	}
	problem := &pdf.Problem{Kind: "failed", Message: err.Error()}
	var p *pdf.Problem
	if errors.As(err, &p) {
		problem = p
	}
	line, _ := json.Marshal(map[string]*pdf.Problem{"error": problem})
	fmt.Fprintf(os.Stderr, "%s\n", line)
	os.Exit(1)
}

// shellBudget is what one command may take on any input.
const shellBudget = 28 * time.Second

// onFile is the frame of inspect, render and text: it reads the options, opens
// the file and an engine, and gives both to the command. The options may stand
// before or behind the file's name.
func onFile(name string, args []string, define func(*flag.FlagSet),
	run func(ctx context.Context, engine pdf.Engine, src pdf.Source) error) error {
	return onFiles(name, args, 1, shellBudget, define, func(ctx context.Context, engine pdf.Engine, src []pdf.Source) error {
		return run(ctx, engine, src[0])
	})
}

// onFiles is onFile for a command that takes several files, and its time.
func onFiles(name string, args []string, count int, budget time.Duration, define func(*flag.FlagSet),
	run func(ctx context.Context, engine pdf.Engine, src []pdf.Source) error) error {
	flags := flag.NewFlagSet(name, flag.ContinueOnError)
	password := flags.String("password", "", "")
	if define != nil {
		define(flags)
	}
	files, err := parsed(flags, args)
	if err != nil {
		return err
	}
	if len(files) != count {
		return badUse{fmt.Errorf("%s: name %s", name, map[int]string{1: "one file", 2: "two files"}[count])}
	}
	var sources []pdf.Source
	for i, path := range files {
		file, size, err := opened(path)
		if err != nil && count > 1 {
			return inFile(path, err)
		}
		if err != nil {
			return err
		}
		defer file.Close()
		// The number keeps two documents apart, also of one file; what follows is its name.
		sources = append(sources, pdf.Source{ID: fmt.Sprintf("%d/%s", i, path), Size: size, Bytes: file, Password: *password})
	}
	ctx, cancel := context.WithTimeout(context.Background(), budget)
	defer cancel()
	workers, err := engine(config.Config{EngineCache: config.EngineCache(), EngineWorkers: 3, EngineDeadline: 20 * time.Second}, nil)
	if err != nil {
		return err
	}
	err = run(ctx, workers, sources)
	if errors.Is(err, context.DeadlineExceeded) {
		err = pdf.Problemf(pdf.TookTooLong, "Reading the file took longer than %s.", budget)
	}
	if err == nil {
		workers.Close()
	}
	return err
}

// parsed reads options before, between and behind names, and gives the names.
func parsed(flags *flag.FlagSet, args []string) ([]string, error) {
	flags.SetOutput(io.Discard)
	var names []string
	for len(args) > 0 {
		if err := flags.Parse(args); err != nil {
			return nil, badUse{fmt.Errorf("%s: %w", flags.Name(), err)}
		}
		if args = flags.Args(); len(args) > 0 {
			names, args = append(names, args[0]), args[1:]
		}
	}
	return names, nil
}

// opened opens a file that looks like a PDF.
func opened(path string) (*os.File, int64, error) {
	file, err := os.Open(path)
	if err != nil {
		return nil, 0, fmt.Errorf("open %s: %w", path, err)
	}
	info, err := file.Stat()
	if err == nil && !info.Mode().IsRegular() {
		err = pdf.Problemf(pdf.NotPDF, "%s is not a file.", path)
	}
	if err == nil {
		head := make([]byte, pdf.HeadLength)
		n, _ := file.ReadAt(head, 0)
		err = pdf.CheckHead(head[:n])
	}
	if err != nil {
		file.Close()
		return nil, 0, err
	}
	return file, info.Size(), nil
}

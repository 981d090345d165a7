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
	flags := flag.NewFlagSet(name, flag.ContinueOnError)
	flags.SetOutput(io.Discard)
	password := flags.String("password", "", "")
	if define != nil {
		define(flags)
	}
	var files []string
	for len(args) > 0 {
		if err := flags.Parse(args); err != nil {
			return badUse{fmt.Errorf("%s: %w", name, err)}
		}
		args = flags.Args()
		if len(args) > 0 {
			files, args = append(files, args[0]), args[1:]
		}
	}
	if len(files) != 1 {
		return badUse{fmt.Errorf("%s: name one file", name)}
	}
	file, err := os.Open(files[0])
	if err != nil {
		return fmt.Errorf("open %s: %w", files[0], err)
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return fmt.Errorf("open %s: %w", files[0], err)
	}
	if !info.Mode().IsRegular() {
		return pdf.Problemf(pdf.NotPDF, "%s is not a file.", files[0])
	}
	head := make([]byte, pdf.HeadLength)
	n, _ := file.ReadAt(head, 0)
	if err := pdf.CheckHead(head[:n]); err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), shellBudget)
	defer cancel()
	workers, err := engine(config.Config{EngineCache: config.EngineCache(), EngineWorkers: 3, EngineDeadline: 20 * time.Second}, nil)
	if err != nil {
		return err
	}
	err = run(ctx, workers, pdf.Source{ID: files[0], Size: info.Size(), Bytes: file, Password: *password})
	if errors.Is(err, context.DeadlineExceeded) {
		err = pdf.Problemf(pdf.TookTooLong, "Reading the file took longer than %s.", shellBudget)
	}
	if err == nil {
		workers.Close()
	}
	return err
}

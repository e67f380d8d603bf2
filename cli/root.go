// Package cli is the command line. Its commands are clients of the HTTP API, but for those that run the service
// themselves (serve, demo) and the pure ones (bench, version).
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"urbo/core/line"
	"urbo/service/library"
)

// Streams are the standard streams of a command.
type Streams struct {
	In  io.Reader
	Out io.Writer
	Err io.Writer
}

// Exit statuses.
const (
	exitOK     = 0
	exitFailed = 1
	exitUsage  = 2
)

// usageError is a command called wrongly.
type usageError struct{ error }

// app is what all commands share.
type app struct {
	Streams
	version   string
	output    string
	server    string
	tokenFile string
	plain     bool // no whole-terminal views
}

// Execute runs a command line and returns its exit status: 0, 1 when it failed, 2 when it was called wrongly.
func Execute(ctx context.Context, version string, args []string, s Streams) int {
	a := &app{Streams: s, version: version}
	root := a.root()
	root.SetArgs(args)
	root.SetIn(s.In)
	root.SetOut(s.Out)
	root.SetErr(s.Err)
	err := root.ExecuteContext(ctx)
	var usage usageError
	switch {
	case err == nil:
		return exitOK
	case errors.As(err, &usage), strings.HasPrefix(err.Error(), "unknown command"):
		fmt.Fprintf(s.Err, "urbo: %v\nSee urbo --help, or --help after a command.\n", err)
		return exitUsage
	}
	fmt.Fprintf(s.Err, "urbo: %v\n", err)
	return exitFailed
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:           "urbo",
		Short:         "Learn codes from old remote controls, keep them, and replay them",
		SilenceErrors: true,
		SilenceUsage:  true,
		PersistentPreRunE: func(*cobra.Command, []string) error {
			if a.output != "table" && a.output != "json" {
				return usageError{fmt.Errorf("--output is table or json, not %q", a.output)}
			}
			return nil
		},
	}
	root.CompletionOptions.HiddenDefaultCmd = true
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	flags := root.PersistentFlags()
	flags.StringVar(&a.output, "output", "table", "how results are printed: table or json")
	flags.StringVar(&a.server, "server", os.Getenv("URBO_SERVER"),
		"the service: unix:PATH or http://HOST:PORT (URBO_SERVER); without it the one on this machine")
	flags.StringVar(&a.tokenFile, "token-file", "", "file that holds a token for --server http://…; or set URBO_TOKEN")
	root.AddCommand(a.serve(), a.demo(), a.listen(), a.which(), a.learn(), a.press(), a.device(), a.shelf(),
		a.audition(), a.token(), a.pack(), a.bench(), a.sheet(), a.versionCommand())
	return root
}

// args checks the number of a command's arguments, and says what is wanted.
func args(least, most int, wanted string) cobra.PositionalArgs {
	return func(_ *cobra.Command, got []string) error {
		if len(got) < least || most >= 0 && len(got) > most {
			return usageError{fmt.Errorf("got %d arguments, wanted %s", len(got), wanted)}
		}
		return nil
	}
}

func (a *app) versionCommand() *cobra.Command {
	return &cobra.Command{Use: "version", Short: "Print the version", Args: args(0, 0, "none"),
		RunE: func(*cobra.Command, []string) error {
			if a.output == "json" {
				return a.json(map[string]string{"version": a.version})
			}
			fmt.Fprintln(a.Out, "urbo", a.version)
			return nil
		}}
}

// dataDir is the data directory where none is named: URBO_DATA, or the user's place for data.
func dataDir() (string, error) {
	if dir := os.Getenv("URBO_DATA"); dir != "" {
		return dir, nil
	}
	if dir := os.Getenv("XDG_DATA_HOME"); dir != "" {
		return filepath.Join(dir, "urbo"), nil
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "", fmt.Errorf("find a data directory: %w: name one with --data", err)
	}
	return filepath.Join(home, ".local", "share", "urbo"), nil
}

// book is the line sheets that ship with Urbo and those of the user's own in the data directory. One with a mistake
// is left out and said, and the others are good.
func (a *app) book() *line.Book {
	dir, err := dataDir()
	if err != nil {
		return line.Builtin()
	}
	book, err := library.ReadBook(filepath.Join(dir, library.SheetDir))
	if err != nil {
		fmt.Fprintf(a.Err, "urbo: left out: %v\n", err)
	}
	return book
}

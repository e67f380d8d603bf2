// Package cli is the command line. Its commands are clients of the HTTP API, but for those that run the service
// themselves (serve, demo) and the pure ones (bench, version).
package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/spf13/cobra"

	"urbo/core/line"
	"urbo/service/library"
	"urbo/wire"
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
	exitUnsure = 3
)

// usageError is a command called wrongly.
type usageError struct{ error }

// unsureError is a setting that pressed nothing, or ended doubtful. said is that it stands above what was printed.
type unsureError struct {
	error
	said bool
}

// app is what all commands share.
type app struct {
	Streams
	screen    io.Writer // standard output as it is, for views of the whole terminal
	errors    io.Writer // standard error as it is, for a count that is written over
	exact     io.Writer // for files on standard output, byte by byte
	version   string
	output    string
	server    string
	tokenFile string
	ca        string      // file
	plain     bool        // no whole-terminal views
	serves    atomic.Bool // it ends by itself, in order, when it is interrupted
}

// grace is how long an interrupted command may take to end in order, such as to let go of a key.
const grace = 800 * time.Millisecond

// Execute runs a command line and returns its exit status: 0, 1 when it failed, 2 when it was called wrongly, 3 when
// setting something pressed nothing or ended doubtful. When ctx
// ends it ends too, whatever it waits for: a pipe, a device, a file that nobody writes to.
func Execute(ctx context.Context, version string, args []string, s Streams) int {
	out := &checkedWriter{w: s.Out}
	a := &app{screen: s.Out, errors: s.Err, exact: out, version: version}
	a.Streams = Streams{In: s.In, Out: &printed{w: out}, Err: &printed{w: s.Err}}
	root := a.root()
	root.SetArgs(withMinus(args))
	root.SetIn(s.In)
	root.SetOut(a.Out)
	root.SetErr(a.Err)
	ended := make(chan error, 1)
	go func() { ended <- root.ExecuteContext(ctx) }()
	var err error
	select {
	case err = <-ended:
	case <-ctx.Done():
		if a.serves.Load() {
			err = <-ended
			break
		}
		select {
		case err = <-ended:
		case <-time.After(grace):
			err = ctx.Err()
		}
	}
	if err == nil {
		err = out.failed()
	}
	if errors.Is(err, context.Canceled) {
		err = errors.New("interrupted")
	}
	return a.end(err, args)
}

// end says what went wrong, if anything did: in words, or as a problem in JSON.
func (a *app) end(err error, args []string) int {
	if err == nil {
		return exitOK
	}
	status, hint := exitFailed, ""
	var usage usageError
	var unsure unsureError
	if errors.As(err, &unsure) {
		status = exitUnsure
	}
	if word := unknownCommand.FindStringSubmatch(err.Error()); word != nil {
		if meant := guessed(word[1]); meant != "" {
			err = fmt.Errorf("unknown command %q: %s", word[1], meant)
		}
	}
	if errors.As(err, &usage) || strings.HasPrefix(err.Error(), "unknown command") {
		status, hint = exitUsage, "See urbo --help, or --help after a command.\n"
	}
	if unsure.said {
		return status
	}
	if !wantsJSON(args) {
		fmt.Fprintf(a.Err, "urbo: %s\n%s", err.Error(), hint)
		return status
	}
	p := wire.Problem{Title: map[int]string{exitFailed: "it failed", exitUsage: "called wrongly",
		exitUnsure: "nothing was pressed, or it is doubtful"}[status],
		Detail: err.Error()}
	var refused *refusalError
	if errors.As(err, &refused) {
		p.Title, p.Status = refused.title, refused.status
	}
	_ = json.NewEncoder(&printed{w: a.errors, json: true}).Encode(p)
	return status
}

// wantsJSON says whether JSON is asked for, also where the arguments as a whole are wrong.
func wantsJSON(args []string) bool {
	for i, arg := range args {
		if arg == "--output=json" || arg == "--output" && i+1 < len(args) && args[i+1] == "json" {
			return true
		}
	}
	return false
}

// checkedWriter remembers whether everything could be written.
type checkedWriter struct {
	w   io.Writer
	mu  sync.Mutex
	err error
}

// Write writes on, unless something could not be written before.
func (c *checkedWriter) Write(p []byte) (int, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.err != nil {
		return 0, c.err
	}
	n, err := c.w.Write(p)
	c.err = err
	return n, err
}

func (c *checkedWriter) failed() error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.err != nil {
		return fmt.Errorf("print: %w", c.err)
	}
	return nil
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "urbo",
		Short: "Learn codes from old remote controls, keep them, and replay them",
		Long: `Learn codes from old remote controls, keep them, and replay them.

A device has keys; a key sends one code or more. Some words are Urbo's own:
  lesson      you are asked for one key of a handset after another; a press in it is a take
  audition    no handset? Code sets are played one after another until the device reacts
  code set    the codes of a type of device; code sets stand on the shelf
  line code   how bits become marks and spaces (nec, rc5, pt2262 …); a line sheet is its description
  capture     one press as it was heard
  bench       looking into signals: recordings, waveforms, codes without a name
  pack        a file of devices or code sets, for another house
  station     hardware with receivers and transmitters
  outpost     this program on another board, as a station of the house
  stage       the simulated surroundings of the demo`,
		Version:       a.version,
		SilenceErrors: true,
		SilenceUsage:  true,
		PersistentPreRunE: func(*cobra.Command, []string) error {
			if a.output != "table" && a.output != "json" {
				return usageError{fmt.Errorf("--output is table or json, not %q", a.output)}
			}
			return nil
		},
	}
	root.SetVersionTemplate("urbo {{.Version}}\n")
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	flags := root.PersistentFlags()
	flags.StringVar(&a.output, "output", "table", "how results are printed: table or json")
	flags.StringVar(&a.server, "server", os.Getenv("URBO_SERVER"),
		"the service: unix:PATH or http://HOST:PORT (URBO_SERVER); without it the one on this machine")
	flags.StringVar(&a.tokenFile, "token-file", "", "file that holds a token for --server http://…; or set URBO_TOKEN")
	flags.StringVar(&a.ca, "ca", os.Getenv("URBO_CA"), "file with the authority that an https:// service is checked "+
		"against (URBO_CA)")
	root.AddCommand(a.serve(), a.config(), a.doctor(), a.demo(), a.outpost(),
		a.listen(), a.which(), a.learn(), a.press(), a.state(), a.set(),
		a.tell(), a.outage(), a.measurement(), a.measure(), a.device(),
		a.shelf(),
		a.audition(), a.journal(), a.history(), a.station(), a.house(), a.room(), a.group(), a.sequence(),
		a.occasion(), a.errand(), a.say(), a.speech(), a.name(), a.mqtt(), a.hook(), a.request(), a.calendar(),
		a.assistant(), a.standin(),
		a.board(), a.question(), a.runs(),
		a.hold(),
		a.person(), a.token(), a.session(),
		a.backup(), a.restore(),
		a.tls(), a.pack(),
		a.bench(), a.sheet(), a.versionCommand())
	root.SetHelpCommand(helpCommand(root))
	a.complete(root)
	return root
}

// helpCommand is help for a command by its name.
func helpCommand(root *cobra.Command) *cobra.Command {
	return &cobra.Command{Use: "help [COMMAND]", Short: "Say what a command does", Example: "  urbo help device show",
		RunE: func(_ *cobra.Command, argv []string) error {
			c, rest, err := root.Find(argv)
			if err != nil || len(rest) > 0 {
				return usageError{fmt.Errorf("there is no command %q", strings.Join(argv, " "))}
			}
			return c.Help()
		}}
}

// group is a command that only has others below it.
func group(use, short, long string, below ...*cobra.Command) *cobra.Command {
	names := make([]string, len(below))
	for i, c := range below {
		names[i] = c.Name()
	}
	c := &cobra.Command{Use: use, Short: short, Long: long,
		Args: func(_ *cobra.Command, got []string) error {
			if len(got) > 0 {
				if meant := guessed(use + "/" + got[0]); meant != "" {
					return usageError{fmt.Errorf("unknown command %q of urbo %s: %s", got[0], use, meant)}
				}
				return usageError{fmt.Errorf("unknown command %q of urbo %s: there are %s", got[0], use,
					strings.Join(names, ", "))}
			}
			return nil
		},
		RunE: func(c *cobra.Command, _ []string) error { return c.Help() }}
	c.AddCommand(below...)
	return c
}

// args checks the number of a command's arguments, and says what is wanted.
func args(least, most int, wanted string) cobra.PositionalArgs {
	return func(_ *cobra.Command, got []string) error {
		if len(got) < least || most >= 0 && len(got) > most {
			return usageError{fmt.Errorf("got %s, wanted %s", plural(len(got), "argument", "arguments"), wanted)}
		}
		return nil
	}
}

func (a *app) versionCommand() *cobra.Command {
	return &cobra.Command{Use: "version", Short: "Print the version", Args: args(0, 0, "none"),
		Example: "  urbo version",
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

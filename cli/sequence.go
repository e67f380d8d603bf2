package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/core/run"
	"urbo/wire"
)

func (a *app) sequence() *cobra.Command {
	return group("sequence", "Name steps that are run in order", `Name steps that are run in order. Steps are written one in a line, or with "then" between them:

  press amplifier/input-2 3 times      press screen/stop held 2 s
  set boardwalk/power to on            set (boardwalk/power on, boardwalk/colour red)
  set amplifier/volume by +3           set dew/power to on for 10 min and back
  wait 3 s                             wait until projector/power is on at most 1 min
  if boardwalk/power is on do (press boardwalk/red then wait 1 s) else run fanfare
  notify "the dome is open"

A group, or "room/NAME", stands where a device does in set. Conditions are is, may be, above and below, with and, or,
not and brackets.`,
		a.sequenceList(), a.sequenceShow(), a.sequenceAdd(), a.sequenceChange(), a.sequenceRemove(), a.sequenceRun())
}

func sequencePath(slug string) string { return "/sequences/" + url.PathEscape(slug) }

func (a *app) sequenceList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the sequences", Args: args(0, 0, "none"),
		Example: "  urbo sequence list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Sequence
			if err := a.call(c.Context(), http.MethodGet, "/sequences", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No sequences yet. Make one: urbo sequence add NAME STEPS")
				return nil
			}
			var rows []table.Row
			for _, s := range all {
				said := s.Error
				if len(s.Gone) > 0 {
					said = "gone: " + strings.Join(s.Gone, ", ")
				}
				rows = append(rows, table.Row{s.Slug, s.Name, s.Count, said})
			}
			a.table(table.Row{"SEQUENCE", "NAME", "STEPS", "NOTE"}, rows)
			return nil
		}}
}

func (a *app) sequenceShow() *cobra.Command {
	return &cobra.Command{Use: "show SEQUENCE", Short: "Show the steps of a sequence", Args: args(1, 1, "a SEQUENCE"),
		Example: "  urbo sequence show fanfare",
		RunE: func(c *cobra.Command, argv []string) error {
			var s wire.Sequence
			if err := a.call(c.Context(), http.MethodGet, sequencePath(argv[0]), nil, &s); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(s)
			}
			switch {
			case s.Steps != "":
				fmt.Fprintln(a.Out, s.Steps)
			case s.Error == "":
				fmt.Fprintln(a.Out, "It is about more than you see: its steps are not shown.")
			}
			if s.Error != "" {
				return fmt.Errorf("%s cannot run: %s", s.Slug, s.Error)
			}
			return nil
		}}
}

// stepsOf are the steps that a command was given: in its arguments, or in a file; "-" is standard input.
func (a *app) stepsOf(argv []string, file string) (string, error) {
	switch {
	case file != "" && len(argv) > 0:
		return "", usageError{errors.New("write the STEPS, or name a file that they stand in, not both")}
	case file == "-":
		text, err := io.ReadAll(io.LimitReader(a.In, run.MaxText+1))
		return string(text), err
	case file != "":
		f, err := os.Open(file)
		if err != nil {
			return "", fmt.Errorf("read the steps: %w", err)
		}
		defer f.Close()
		text, err := io.ReadAll(io.LimitReader(f, run.MaxText+1))
		if err != nil {
			return "", fmt.Errorf("read the steps: %w", err)
		}
		return string(text), nil
	}
	for i, word := range argv {
		argv[i] = given(word)
	}
	return strings.Join(argv, " "), nil
}

func (a *app) sequenceAdd() *cobra.Command {
	var n wire.NewSequence
	var file string
	c := &cobra.Command{Use: "add NAME [STEPS]", Short: "Make a sequence of steps",
		Args: args(1, 1000, "a NAME, and the STEPS in quotation marks, or --file"),
		Example: "  urbo sequence add \"Good night\" \"set boardwalk/power to off then press screen/up\"\n" +
			"  urbo sequence add fanfare-long --file fanfare.txt",
		RunE: func(c *cobra.Command, argv []string) (err error) {
			n.Name = argv[0]
			if n.Steps, err = a.stepsOf(argv[1:], file); err != nil {
				return err
			}
			var s wire.Sequence
			if err := a.call(c.Context(), http.MethodPost, "/sequences", n, &s); err != nil {
				return err
			}
			return a.did(s, "Added %s with %s. Run it: urbo sequence run %s", s.Slug,
				plain.Count(s.Count, "step", "steps"), s.Slug)
		}}
	c.Flags().StringVar(&file, "file", "", "where the steps stand; - is standard input")
	c.Flags().StringVar(&n.Slug, "short-name", "", "name on the command line; without it, it is made from the name")
	return c
}

func (a *app) sequenceChange() *cobra.Command {
	var name, slug, file string
	c := &cobra.Command{Use: "change SEQUENCE [STEPS]", Short: "Give a sequence other steps, or another name",
		Args: args(1, 1000, "a SEQUENCE, and what is to change"),
		Example: "  urbo sequence change fanfare \"press amplifier/mute then wait 2 s then press amplifier/mute\"\n" +
			"  urbo sequence change fanfare --name \"Great fanfare\"",
		Long: `Give a sequence other steps, or another name. A run that is under way goes on with the steps that it began with.`,
		RunE: func(c *cobra.Command, argv []string) error {
			var change wire.SequenceChange
			if c.Flags().Changed("name") {
				change.Name = &name
			}
			if c.Flags().Changed("short-name") {
				change.Slug = &slug
			}
			if len(argv) > 1 || file != "" {
				steps, err := a.stepsOf(argv[1:], file)
				if err != nil {
					return err
				}
				change.Steps = &steps
			}
			if change == (wire.SequenceChange{}) {
				return usageError{errors.New("say what is to change: STEPS, --file, --name or --short-name")}
			}
			var s wire.Sequence
			if err := a.call(c.Context(), http.MethodPatch, sequencePath(argv[0]), change, &s); err != nil {
				return err
			}
			return a.did(s, "Changed %s: it has %s.", s.Slug, plain.Count(s.Count, "step", "steps"))
		}}
	c.Flags().StringVar(&file, "file", "", "where the steps stand; - is standard input")
	c.Flags().StringVar(&name, "name", "", "another name")
	c.Flags().StringVar(&slug, "short-name", "", "another name on the command line")
	return c
}

func (a *app) sequenceRemove() *cobra.Command {
	return &cobra.Command{Use: "remove SEQUENCE", Short: "Remove a sequence that no other one runs",
		Args: args(1, 1, "a SEQUENCE"), Example: "  urbo sequence remove good-night",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, sequencePath(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed the sequence %s.", argv[0])
		}}
}

func (a *app) sequenceRun() *cobra.Command {
	var r wire.RunRequest
	var noWait bool
	c := &cobra.Command{Use: "run SEQUENCE", Short: "Run a sequence, and show its steps",
		Args: args(1, 1, "a SEQUENCE"), Example: "  urbo sequence run fanfare\n  urbo sequence run fanfare --no-wait",
		Long: `Run a sequence, and show its steps as they are done. Interrupted, this command ends and the run goes on: stop it
with urbo run stop.`,
		RunE: func(c *cobra.Command, argv []string) error {
			var got wire.Run
			if err := a.call(c.Context(), http.MethodPost, sequencePath(argv[0])+"/run", r, &got); err != nil {
				return err
			}
			if noWait {
				return a.did(got, "%s is under way, with %s. See urbo run list", got.Name,
					plain.Count(got.Steps, "step", "steps"))
			}
			return a.followRun(c.Context(), got)
		}}
	c.Flags().BoolVar(&r.Follow, "follow", false, "where it is under way already, wait for its turn")
	c.Flags().BoolVar(&noWait, "no-wait", false, "do not wait for its end")
	return c
}

// watchRun shows what comes of the steps of a run until it is over.
func (a *app) watchRun(ctx context.Context, r wire.Run) (wire.Run, error) {
	id, shown, asked := r.ID, 0, ""
	for {
		for i, step := range r.Log {
			if n := r.Logged - len(r.Log) + i; n >= shown && a.output != "json" {
				fmt.Fprintf(a.Out, "%*d/%d  %s\n", len(fmt.Sprint(r.Steps)), step.Step, r.Steps, stepText(step))
			}
		}
		shown = r.Logged
		if a.output != "json" && r.Asks != asked && r.Asks != "" {
			device, control, _ := strings.Cut(r.Asks, "/")
			say := fmt.Sprintf("Say it within ten minutes: urbo tell %s %s VALUE", device, control)
			if strings.HasPrefix(r.Asks, "the measurement ") {
				say = "It waits for ten minutes for a value"
			}
			fmt.Fprintf(a.Out, "It is not known what %s is at. %s\n", r.Asks, say)
		}
		asked = r.Asks
		if r.Phase == run.Ended {
			break
		}
		ask := url.Values{"wait_ms": {"30000"}, "seen": {fmt.Sprint(r.Logged)}, "phase": {string(r.Phase)}}
		r = wire.Run{}
		if err := a.call(ctx, http.MethodGet, "/runs/"+url.PathEscape(id)+"?"+ask.Encode(), nil, &r); err != nil {
			return r, err
		}
	}
	return r, nil
}

// followRun is watchRun of a sequence, and says how it ended.
func (a *app) followRun(ctx context.Context, r wire.Run) error {
	r, err := a.watchRun(ctx, r)
	if err != nil {
		return err
	}
	if a.output == "json" {
		if err := a.json(r); err != nil {
			return err
		}
	}
	if r.End != run.Done {
		return fmt.Errorf("%s is %s in step %d of %d: %s", r.Name, r.End, r.Step, r.Steps, r.Reason)
	}
	if a.output != "json" {
		fmt.Fprintf(a.Out, "%s is done.\n", r.Name)
	}
	return nil
}

// stepText is a step with what came of it, where that is not just that it was done.
func stepText(s wire.RunStep) string {
	text := s.Says
	if s.Outcome == happening.Failed {
		text += " failed"
	}
	if s.Reason != "" {
		text += ": " + s.Reason
	}
	return text
}

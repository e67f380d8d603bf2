package cli

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/plain"
	"urbo/core/run"
	"urbo/wire"
)

func (a *app) say() *cobra.Command {
	var p wire.Phrase
	var dry, noWait bool
	c := &cobra.Command{Use: "say WORDS", Short: "Say in plain words what is to be done",
		Args: args(1, 100, "what is to be done, such as: lights off in ten minutes"),
		Long: `Say in plain words what is to be done. Devices, groups, rooms, occasions and sequences are called as the house
calls them; give them other names with urbo name add. Every word has to be understood: where two things fit, nothing
is done, and both are shown.

  lecture amplifier on and volume twenty two     make the radio quieter by three
  open the shutter half way                      everything off in the lecture room
  boardwalk lights red for ten minutes           heat pump to 21 degrees in half an hour
  start public talk                              press freeze on the projector
  again                                          undo

A phrase that an errand waits for (when phrase "good night" do ...) sets that errand off. Steps as errands write them
are understood, too.`,
		Example: "  urbo say boardwalk red\n  urbo say everything off in the dome --dry\n" +
			"  urbo say \"amplifier off in ten minutes\" --no-wait",
		RunE: func(c *cobra.Command, argv []string) error {
			p.Text, p.Act = strings.Join(argv, " "), false
			var u wire.Understood
			if err := a.call(c.Context(), http.MethodPost, "/phrase", p, &u); err != nil {
				return err
			}
			if u.Does == "question" {
				return a.asksBack(u)
			}
			if dry {
				return a.means(u)
			}
			p.Act, p.Shown = true, u.Words
			u = wire.Understood{}
			if err := a.call(c.Context(), http.MethodPost, "/phrase", p, &u); err != nil {
				return err
			}
			switch {
			case u.Run != nil && !noWait && u.TakesMS <= longest.Milliseconds():
				if a.output != "json" {
					fmt.Fprintln(a.Out, upper(u.Words))
				}
				return a.followSaid(c, *u.Run)
			case u.Run != nil:
				return a.did(u, "%s is under way. See urbo run list", upper(u.Words))
			}
			return a.did(u, "%s.", upper(u.Words))
		}}
	c.Flags().BoolVar(&dry, "dry", false, "only show what it means and what it costs")
	c.Flags().BoolVar(&noWait, "no-wait", false, "do not wait until it is done; what takes more than a minute is not "+
		"waited for")
	return c
}

// longest is how long it is waited for what was said: what takes longer goes on by itself.
const longest = time.Minute

// followSaid shows what comes of the steps of what was said, until it is over.
func (a *app) followSaid(c *cobra.Command, r wire.Run) error {
	r, err := a.watchRun(c.Context(), r)
	if err != nil {
		return err
	}
	if a.output == "json" {
		if err := a.json(r); err != nil {
			return err
		}
	}
	if r.End != run.Done {
		return fmt.Errorf("it is %s in step %d of %d: %s", r.End, r.Step, r.Steps, r.Reason)
	}
	return nil
}

// means shows what a phrase means and costs.
func (a *app) means(u wire.Understood) error {
	if a.output == "json" {
		return a.json(u)
	}
	fmt.Fprintln(a.Out, upper(u.Words))
	if u.Steps != "" {
		fmt.Fprintf(a.Out, "It takes %s and %s: %s\n", plain.Count(u.Presses, "press", "presses"),
			aboutTime(u.TakesMS), u.Steps)
	}
	if u.Trouble != "" {
		fmt.Fprintf(a.Out, "It cannot be done now: %s\n", u.Trouble)
	}
	return nil
}

// aboutTime is a time for people.
func aboutTime(ms int64) string {
	if d := time.Duration(ms) * time.Millisecond; d >= time.Second {
		return run.Dur(d.Round(time.Second))
	}
	return "less than a second"
}

// asksBack shows a question, and what may be meant. Nothing was done.
func (a *app) asksBack(u wire.Understood) error {
	if a.output == "json" {
		if err := a.json(u); err != nil {
			return err
		}
		return unsureError{errors.New(u.Question), true}
	}
	fmt.Fprintln(a.Out, u.Question)
	for _, c := range u.Choices {
		fmt.Fprintf(a.Out, "  urbo say %q\n", c.Say)
	}
	return unsureError{errors.New("nothing was done"), false}
}

// upper begins a text with a capital letter.
func upper(s string) string {
	first, size := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(first)) + s[size:]
}

func (a *app) name() *cobra.Command {
	return group("name", "Give things other names, by which they can be spoken of",
		`Give devices, groups, rooms, occasions, sequences and errands other names, by which they can be spoken of in phrases
(urbo say, the console, voice).`, a.nameList(), a.nameAdd(), a.nameRemove())
}

func (a *app) nameList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the other names", Args: args(0, 0, "none"),
		Example: "  urbo name list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.OtherName
			if err := a.call(c.Context(), http.MethodGet, "/names", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No other names yet. Give one: urbo name add \"big light\" DEVICE")
				return nil
			}
			var rows []table.Row
			for _, n := range all {
				rows = append(rows, table.Row{n.Name, n.Of, n.Kind})
			}
			a.table(table.Row{"NAME", "OF", "KIND"}, rows)
			return nil
		}}
}

func (a *app) nameAdd() *cobra.Command {
	return &cobra.Command{Use: "add NAME THING", Short: "Give something another name",
		Args:    args(2, 2, "a NAME, and the THING that it is of"),
		Example: "  urbo name add \"path lights\" boardwalk\n  urbo name add \"the cellar\" room/warm-room",
		RunE: func(c *cobra.Command, argv []string) error {
			var n wire.OtherName
			if err := a.call(c.Context(), http.MethodPost, "/names", wire.OtherName{Name: argv[0], Of: argv[1]},
				&n); err != nil {
				return err
			}
			return a.did(n, "%s is called %q as well.", n.Of, n.Name)
		}}
}

func (a *app) nameRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Take another name away", Args: args(1, 1, "a NAME"),
		Example: "  urbo name remove \"path lights\"",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, "/names/"+url.PathEscape(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "%q is no other name any more.", argv[0])
		}}
}

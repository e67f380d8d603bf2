package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) errand() *cobra.Command {
	return group("errand", "Let the house do things by itself", `An errand is one sentence:

  errand lights when 10 min after dusk not after 22:30 do set (boardwalk/power on, boardwalk/colour amber)
  errand gate when door/opened pressed only if sun down do set boardwalk/power to on for 10 min and back
  errand off  when amplifier/power becomes on for 2 h do set amplifier/power to off
  errand dry  while dome/humidity above 85 % until 75 % do set dew/power to on afterwards set dew/power to off

When: at 7:00, at 8:00, 20:00 · on 2026-12-05 at 20:10 · every 15 min from 8:00 to 20:00 · sunrise, sunset, dawn, dusk,
nautical dusk, noon, with 10 min before or after · DEVICE/KEY pressed · DEVICE/CONTROL becomes or leaves VALUE, by
handset, person, program or errand, for 10 min · MEASUREMENT above or below NUMBER for 5 min, rises or falls by NUMBER
within 10 min, silent for 10 min · battery MEASUREMENT low · DEVICE/KEY pressed twice, thrice or held · occasion NAME
starts or ends · station NAME leaves or returns · house starts · mains return · phrase "…" · hook NAME · message "TOPIC"
at "/POINTER" is "…" · calendar NAME starts or ends titled "…". Behind times stand give or take 20 min, not before and
not after a time, and on weekdays, on sat, on first mon.

Only if, and while: between 23:00 and 06:00 · on weekends · from 12-01 to 01-06 · sun up, sun below -6 ° · a path is,
may be, above or below something, for 5 min · changed by person within 2 h, unchanged for 2 h, pressed within 5 min ·
occasion NAME · marker NAME · errand NAME ran within 1 h; with and, or, not and brackets. What is not known is neither
yes nor no: then an errand does not run, and says so.

Do: the steps of sequences (urbo sequence), and start or end OCCASION, mark or unmark NAME, wait until 22:00, and set …
until sunrise and back, and wait until DEVICE/KEY pressed at most 10 min. Rules at the end: if missed run within 2 h, or
skip · if unknown run, skip, or end after 30 min · if doubtful ask for 30 min, ask until 22:30, press, or skip · if busy
stretch, start over, follow or drop.`,
		a.errandList(), a.errandShow(), a.errandAdd(), a.errandChange(), a.errandEdit(), a.errandCopy(),
		a.errandCheck(),
		a.errandRehearse(), a.errandTrial(), a.errandSwitch(true), a.errandSwitch(false), a.errandRun(), a.errandWhy(),
		a.errandNext(), a.errandDay(), a.errandQuiet(), a.errandHabits(), a.errandBring(), a.errandRemove())
}

func errandPath(name string) string { return "/errands/" + url.PathEscape(name) }

// moment is a time of the calendar clock of the house, as it shows it.
func moment(t *time.Time) string {
	if t == nil {
		return ""
	}
	return t.Format("Mon 2006-01-02 15:04")
}

func (a *app) errandList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the errands", Args: args(0, 0, "none"),
		Example: "  urbo errand list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Errand
			if err := a.call(c.Context(), http.MethodGet, "/errands", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No errands yet. Make one: urbo errand add \"errand NAME when … do …\"")
				return nil
			}
			var rows []table.Row
			for _, e := range all {
				rows = append(rows, table.Row{e.Name, errandState(e), moment(e.Next), lastText(e.Last)})
			}
			a.table(table.Row{"ERRAND", "STATE", "NEXT", "LAST"}, rows)
			return nil
		}}
}

// errandState is what an errand is at, in a word.
func errandState(e wire.Errand) string {
	switch {
	case e.Error != "":
		return e.Error
	case !e.On:
		return "off"
	case len(e.Gone) > 0:
		return "gone: " + strings.Join(e.Gone, ", ")
	case e.Trial:
		return "on trial"
	case e.Holding:
		return "holds"
	}
	return "on"
}

func lastText(c *wire.Came) string {
	if c == nil {
		return ""
	}
	return c.At.Format("Mon 15:04 ") + cameText(*c)
}

// cameText is what was made of a cue.
func cameText(c wire.Came) string {
	why := []string{}
	for _, one := range c.Answers {
		if c.Did != "ran" && c.Did != "ended" {
			why = append(why, one.Asked+": "+one.Is)
		}
	}
	if c.Reason != "" {
		why = append(why, c.Reason)
	}
	return strings.TrimSuffix(c.Did+", "+strings.Join(why, "; "), ", ")
}

func (a *app) errandShow() *cobra.Command {
	return &cobra.Command{Use: "show ERRAND", Short: "Show an errand", Args: args(1, 1, "an ERRAND"),
		Example: "  urbo errand show lights",
		RunE: func(c *cobra.Command, argv []string) error {
			var e wire.Errand
			if err := a.call(c.Context(), http.MethodGet, errandPath(argv[0]), nil, &e); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(e)
			}
			if e.Text == "" && e.Error == "" {
				fmt.Fprintln(a.Out, "It is about more than you see: it is not shown.")
			} else {
				fmt.Fprintln(a.Out, e.Text)
			}
			fmt.Fprintf(a.Out, "It is %s.", errandState(e))
			if e.Next != nil {
				fmt.Fprintf(a.Out, " It is due on %s.", moment(e.Next))
			}
			fmt.Fprintln(a.Out)
			return nil
		}}
}

// sentence is what a command was given as an errand: in its arguments, or in a file.
func (a *app) sentence(argv []string, file string) (string, error) {
	text, err := a.stepsOf(argv, file)
	if err == nil && strings.TrimSpace(text) == "" {
		err = usageError{errors.New("write the errand in quotation marks, or name a --file that it stands in")}
	}
	return text, err
}

func (a *app) errandAdd() *cobra.Command {
	var file string
	c := &cobra.Command{Use: "add [TEXT]", Short: "Add an errand", Args: args(0, 1000, "the errand in quotation marks"),
		Example: "  urbo errand add \"errand lights when 10 min after dusk do set boardwalk/power to on\"\n" +
			"  urbo errand add --file evening.txt",
		RunE: func(c *cobra.Command, argv []string) error {
			text, err := a.sentence(argv, file)
			if err != nil {
				return err
			}
			var e wire.Errand
			if err := a.call(c.Context(), http.MethodPost, "/errands", wire.NewErrand{Text: text}, &e); err != nil {
				return err
			}
			return a.saysErrand(c.Context(), e, "Added")
		}}
	c.Flags().StringVar(&file, "file", "", "where it stands; - is standard input")
	return c
}

// saysErrand says how an errand was understood, and what is odd about it.
func (a *app) saysErrand(ctx context.Context, e wire.Errand, did string) error {
	due := ""
	var u wire.ErrandUnderstood
	if a.output != "json" && a.call(ctx, http.MethodPost, "/errand-check", wire.NewErrand{Text: e.Text}, &u) == nil {
		for _, odd := range u.Odd {
			defer fmt.Fprintln(a.Out, "Note:", odd)
		}
	}
	if e.Next != nil {
		due = " It is due on " + moment(e.Next) + "."
	}
	return a.did(e, "%s\n%s %s.%s", e.Text, did, e.Name, due)
}

func (a *app) errandChange() *cobra.Command {
	var file string
	c := &cobra.Command{Use: "change ERRAND [TEXT]", Short: "Write an errand anew; its name may be another then",
		Args: args(1, 1000, "an ERRAND, and how it is written now"),
		Example: "  urbo errand change lights \"errand lights when 20 min after dusk do set boardwalk/power to on\"\n" +
			"  urbo errand change lights --file lights.txt",
		RunE: func(c *cobra.Command, argv []string) error {
			text, err := a.sentence(argv[1:], file)
			if err != nil {
				return err
			}
			var e wire.Errand
			if err := a.call(c.Context(), http.MethodPatch, errandPath(argv[0]), wire.ErrandChange{Text: &text},
				&e); err != nil {
				return err
			}
			return a.saysErrand(c.Context(), e, "Changed")
		}}
	c.Flags().StringVar(&file, "file", "", "where it stands; - is standard input")
	return c
}

func (a *app) errandCheck() *cobra.Command {
	var file string
	c := &cobra.Command{Use: "check [TEXT]", Short: "Say how an errand would be understood, and when it would be due",
		Args:    args(0, 1000, "the errand in quotation marks"),
		Example: "  urbo errand check \"errand a when sunset - 30 min on mon-fri do turn on boardwalk\"",
		RunE: func(c *cobra.Command, argv []string) error {
			text, err := a.sentence(argv, file)
			if err != nil {
				return err
			}
			var u wire.ErrandUnderstood
			if err := a.call(c.Context(), http.MethodPost, "/errand-check", wire.NewErrand{Text: text},
				&u); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(u)
			}
			fmt.Fprintln(a.Out, u.Text)
			for _, odd := range u.Odd {
				fmt.Fprintln(a.Out, "Note:", odd)
			}
			for i, at := range u.Next {
				fmt.Fprintf(a.Out, "%s %s\n", map[bool]string{true: "It would be due on",
					false: "               and"}[i == 0],
					moment(&at))
			}
			return nil
		}}
	c.Flags().StringVar(&file, "file", "", "where it stands; - is standard input")
	return c
}

func (a *app) errandSwitch(on bool) *cobra.Command {
	use, short := "off", "Switch an errand off; what it holds goes back"
	if on {
		use, short = "on", "Switch an errand on"
	}
	return &cobra.Command{Use: use + " ERRAND", Short: short, Args: args(1, 1, "an ERRAND"),
		Example: "  urbo errand " + use + " lights",
		RunE: func(c *cobra.Command, argv []string) error {
			var e wire.Errand
			if err := a.call(c.Context(), http.MethodPatch, errandPath(argv[0]), wire.ErrandChange{On: &on},
				&e); err != nil {
				return err
			}
			return a.did(e, "The errand %s is %s.", e.Name, use)
		}}
}

func (a *app) errandRun() *cobra.Command {
	return &cobra.Command{Use: "run ERRAND", Short: "Do what an errand does, now, whatever its condition says",
		Args: args(1, 1, "an ERRAND"), Example: "  urbo errand run lights",
		RunE: func(c *cobra.Command, argv []string) error {
			var came wire.Came
			if err := a.call(c.Context(), http.MethodPost, errandPath(argv[0])+"/run", nil, &came); err != nil {
				return err
			}
			return a.did(came, "%s is under way. See urbo run list", came.Errand)
		}}
}

func (a *app) errandWhy() *cobra.Command {
	var count int
	c := &cobra.Command{Use: "why ERRAND", Short: "Show what came for an errand lately, and why it ran or did not",
		Args: args(1, 1, "an ERRAND"), Example: "  urbo errand why lights",
		RunE: func(c *cobra.Command, argv []string) error {
			var all []wire.Came
			if err := a.call(c.Context(), http.MethodGet, errandPath(argv[0])+"/came?count="+strconv.Itoa(count), nil,
				&all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintf(a.Out, "Nothing came for %s yet.\n", argv[0])
				return nil
			}
			var rows []table.Row
			for _, one := range all {
				asked := []string{}
				for _, q := range one.Answers {
					asked = append(asked, q.Asked+": "+q.Is)
				}
				why := one.Reason
				if len(one.Beside) > 0 {
					why += "; by hand: " + strings.Join(one.Beside, ", ")
				}
				rows = append(rows, table.Row{moment(&one.At), one.Cue, one.Did, strings.Join(asked, "; "), why})
			}
			a.table(table.Row{"TIME", "CAME", "DID", "ASKED", "WHY"}, rows)
			return nil
		}}
	c.Flags().IntVar(&count, "count", 50, "how many at most")
	return c
}

func (a *app) errandNext() *cobra.Command {
	var count int
	c := &cobra.Command{Use: "next", Short: "List when errands are due next by the clock", Args: args(0, 0, "none"),
		Example: "  urbo errand next --count 20",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.DueErrand
			if err := a.call(c.Context(), http.MethodGet, "/errand-next?count="+strconv.Itoa(count), nil,
				&all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No errand is due by the clock.")
				return nil
			}
			var rows []table.Row
			for _, d := range all {
				rows = append(rows, table.Row{moment(&d.At), d.Errand})
			}
			a.table(table.Row{"TIME", "ERRAND"}, rows)
			return nil
		}}
	c.Flags().IntVar(&count, "count", 10, "how many")
	return c
}

func (a *app) errandQuiet() *cobra.Command {
	var span time.Duration
	var off bool
	c := &cobra.Command{Use: "quiet", Short: "Let no errand begin anything for a time, or see whether that is so",
		Args:    args(0, 0, "none"),
		Example: "  urbo errand quiet --for 2h\n  urbo errand quiet --end\n  urbo errand quiet",
		RunE: func(c *cobra.Command, _ []string) error {
			var q wire.Quiet
			method, body := http.MethodGet, any(nil)
			switch {
			case off:
				method, body = http.MethodPut, wire.QuietRequest{}
			case span > 0:
				method, body = http.MethodPut, wire.QuietRequest{ForMS: span.Milliseconds()}
			case c.Flags().Changed("for"):
				return usageError{errors.New("--for is a time such as 2h or 90m")}
			}
			if err := a.call(c.Context(), method, "/quiet", body, &q); err != nil {
				return err
			}
			if q.Until == nil {
				return a.did(q, "Errands do what they say.")
			}
			return a.did(q, "No errand begins anything until %s.", moment(q.Until))
		}}
	c.Flags().DurationVar(&span, "for", 0, "for how long")
	c.Flags().BoolVar(&off, "end", false, "errands go on")
	return c
}

func (a *app) errandRemove() *cobra.Command {
	return &cobra.Command{Use: "remove ERRAND", Short: "Remove an errand; what it holds goes back",
		Args: args(1, 1, "an ERRAND"), Example: "  urbo errand remove lights",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, errandPath(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed the errand %s.", argv[0])
		}}
}

package cli

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) errandRehearse() *cobra.Command {
	var file string
	var days, coming int
	c := &cobra.Command{Use: "rehearse [ERRAND|TEXT]",
		Short: "Say what an errand would have done in the last days, or would do; nothing is sent",
		Long: `Run an errand against what really happened in the last days, or against the coming ones, with nothing sent. It is
the name of one that is kept, or one in quotation marks that is not. What devices were believed to be at then counts;
in the coming days they are believed to stay as they are.

In the picture a row is a day and a sign is half an hour: # it ran, ? it would have asked, - its condition was not so,
! something was not known, x it did not run for another reason.`,
		Args: args(0, 1000, "an ERRAND, or one in quotation marks"),
		Example: "  urbo errand rehearse lights\n  urbo errand rehearse \"errand a when 10 min after dusk do set " +
			"boardwalk/power to on\" --coming 7",
		RunE: func(c *cobra.Command, argv []string) error {
			ask := wire.RehearsalRequest{Days: days}
			if coming > 0 {
				ask.Days = -coming
			}
			if len(argv) == 1 && file == "" && !strings.ContainsAny(argv[0], " \n") {
				ask.Errand = argv[0]
			} else {
				text, err := a.sentence(argv, file)
				if err != nil {
					return err
				}
				ask.Text = text
			}
			var r wire.Rehearsal
			if err := a.call(c.Context(), http.MethodPost, "/errand-rehearse", ask, &r); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(r)
			}
			a.printRehearsal(r, coming > 0)
			return nil
		}}
	c.Flags().StringVar(&file, "file", "", "where it stands; - is standard input")
	c.Flags().IntVar(&days, "days", 14, "how many of the last days")
	c.Flags().IntVar(&coming, "coming", 0, "how many coming days, instead")
	return c
}

func (a *app) printRehearsal(r wire.Rehearsal, coming bool) {
	fmt.Fprintln(a.Out, r.Text)
	length := int(r.To.Sub(r.From).Round(24*time.Hour) / (24 * time.Hour))
	when := "In the last " + days(length)
	if coming {
		when = "In the coming " + days(length)
	}
	fmt.Fprintf(a.Out, "%s %s.\n", when, r.Sum)
	for _, f := range r.Faces {
		fmt.Fprintf(a.Out, "Note: %s is not remembered, and does not come here.\n", f)
	}
	if len(r.Cues) == 0 {
		return
	}
	fmt.Fprintln(a.Out)
	fmt.Fprintln(a.Out, "            0     3     6     9     12    15    18    21")
	for day := r.From; day.Before(r.To); day = day.AddDate(0, 0, 1) {
		fmt.Fprintln(a.Out, day.Format("Mon 01-02  ")+" "+dayStrip(r.Cues, day.Format(time.DateOnly)))
	}
	if last := r.To.Format(time.DateOnly); last != r.From.AddDate(0, 0, length-1).Format(time.DateOnly) && length > 0 {
		fmt.Fprintln(a.Out, r.To.Format("Mon 01-02  ")+" "+dayStrip(r.Cues, last))
	}
	fmt.Fprintln(a.Out)
	var rows []table.Row
	for _, one := range r.Cues {
		does := []string{}
		for _, d := range one.Does {
			does = append(does, d.Says)
		}
		why := []string{}
		for _, q := range one.Answers {
			if one.Did != "ran" && one.Did != "ended" {
				why = append(why, q.Asked+": "+q.Is)
			}
		}
		if one.Reason != "" {
			why = append(why, one.Reason)
		}
		rows = append(rows, table.Row{moment(&one.At), one.Cue, one.Did, strings.Join(does, "; "), strings.Join(why,
			"; ")})
	}
	a.table(table.Row{"TIME", "CAME", "DID", "STEPS", "WHY"}, rows[max(len(rows)-mostRehearsed, 0):])
	if len(rows) > mostRehearsed {
		fmt.Fprintf(a.Out, "These are the last %d of %d: all with --output json.\n", mostRehearsed, len(rows))
	}
}

// mostRehearsed is the most cues of a rehearsal that are shown.
const mostRehearsed = 15

func days(n int) string {
	if n == 1 {
		return "day"
	}
	return strconv.Itoa(n) + " days"
}

// dayStrip draws what came on a day: a sign for each half an hour.
func dayStrip(all []wire.Rehearsed, day string) string {
	strip := []byte(strings.Repeat(".", 48))
	rank := "." + "-!x?#"
	for _, one := range all {
		if one.At.Format(time.DateOnly) != day {
			continue
		}
		sign := byte('x')
		switch {
		case one.Asks != "":
			sign = '?'
		case one.Did == "ran", one.Did == "stretched", one.Did == "ended":
			sign = '#'
		case one.Did == "skipped":
			sign = '-'
		case one.Did == "unknown":
			sign = '!'
		}
		at := one.At.Hour()*2 + one.At.Minute()/30
		if strings.IndexByte(rank, sign) > strings.IndexByte(rank, strip[at]) {
			strip[at] = sign
		}
	}
	return string(strip)
}

func (a *app) errandTrial() *cobra.Command {
	var end bool
	c := &cobra.Command{Use: "trial ERRAND", Short: "Put an errand on trial: it comes, and nothing is pressed; or " +
		"make it real",
		Long: `On trial the cues of an errand come and its condition is judged, and nothing is pressed. urbo errand why shows what
people did by hand at these times. With --end it becomes real.`,
		Args: args(1, 1, "an ERRAND"), Example: "  urbo errand trial lights\n  urbo errand trial lights --end",
		RunE: func(c *cobra.Command, argv []string) error {
			on := !end
			var e wire.Errand
			if err := a.call(c.Context(), http.MethodPatch, errandPath(argv[0]), wire.ErrandChange{Trial: &on},
				&e); err != nil {
				return err
			}
			if end {
				return a.did(e, "The errand %s does what it says.", e.Name)
			}
			return a.did(e, "The errand %s is on trial: it comes, and nothing is pressed. See urbo errand why %s",
				e.Name,
				e.Name)
		}}
	c.Flags().BoolVar(&end, "end", false, "it does what it says from now on")
	return c
}

func (a *app) errandEdit() *cobra.Command {
	return &cobra.Command{Use: "edit ERRAND", Short: "Write an errand anew in your editor ($VISUAL or $EDITOR)",
		Args: args(1, 1, "an ERRAND"), Example: "  urbo errand edit lights",
		RunE: func(c *cobra.Command, argv []string) error {
			editor := strings.Fields(os.Getenv("VISUAL"))
			if len(editor) == 0 {
				editor = strings.Fields(os.Getenv("EDITOR"))
			}
			if len(editor) == 0 {
				return usageError{errors.New("set EDITOR to the editor that you like, such as EDITOR=nano, or use " +
					"urbo errand change")}
			}
			var e wire.Errand
			if err := a.call(c.Context(), http.MethodGet, errandPath(argv[0]), nil, &e); err != nil {
				return err
			}
			f, err := os.CreateTemp("", "urbo-errand-*.txt")
			if err != nil {
				return fmt.Errorf("make a file to write in: %w", err)
			}
			file := f.Name()
			if _, err = f.WriteString(e.Text + "\n"); err == nil {
				err = f.Close()
			}
			if err != nil {
				return fmt.Errorf("make a file to write in: %w", err)
			}
			edit := exec.CommandContext(c.Context(), editor[0], append(editor[1:], file)...)
			edit.Stdin, edit.Stdout, edit.Stderr = os.Stdin, os.Stdout, os.Stderr
			if err := edit.Run(); err != nil {
				return fmt.Errorf("%s: %w; what is written is in %s", editor[0], err, file)
			}
			text, err := os.ReadFile(file)
			if err != nil {
				return fmt.Errorf("read what was written: %w", err)
			}
			if strings.TrimSpace(string(text)) == strings.TrimSpace(e.Text) {
				_ = os.Remove(file)
				return a.did(e, "Nothing was changed.")
			}
			sentence := string(text)
			var now wire.Errand
			if err := a.call(c.Context(), http.MethodPatch, errandPath(argv[0]), wire.ErrandChange{Text: &sentence,
				Version: &e.Version},
				&now); err != nil {
				return fmt.Errorf("%w\nWhat you wrote is in %s. Mend it there, then: urbo errand change %s --file %s",
					err, file,
					argv[0], file)
			}
			_ = os.Remove(file)
			return a.saysErrand(c.Context(), now, "Changed")
		}}
}

func (a *app) errandCopy() *cobra.Command {
	var of string
	c := &cobra.Command{Use: "copy ERRAND DEVICE…", Short: "Make the same errand for other devices",
		Args:    args(2, 51, "an ERRAND, and the DEVICES that the copies name"),
		Example: "  urbo errand copy lights dew-a dew-b --of boardwalk",
		RunE: func(c *cobra.Command, argv []string) error {
			if of == "" {
				return usageError{errors.New("name with --of the device whose place the others take")}
			}
			var made []wire.Errand
			if err := a.call(c.Context(), http.MethodPost, errandPath(argv[0])+"/copy", wire.ErrandCopy{Of: of,
				To: argv[1:]}, &made); err != nil {
				return err
			}
			names := []string{}
			for _, e := range made {
				names = append(names, e.Name)
			}
			return a.did(made, "Added %s.", strings.Join(names, ", "))
		}}
	c.Flags().StringVar(&of, "of", "", "the device whose place the others take")
	return c
}

func (a *app) errandHabits() *cobra.Command {
	var blind bool
	c := &cobra.Command{Use: "habits", Short: "List what people do by hand at about the same time, as errands",
		Long: `Count what people did by hand in the last 28 days at about the same time of day, at about the same time after the sun
did something, or soon after something else happened. Nothing comes of it by itself: add what you like.
With --blind it says instead of which devices nobody knew what they were at when errands asked: a meter there would have
decided what was skipped.`,
		Args: args(0, 0, "none"), Example: "  urbo errand habits\n  urbo errand habits --blind",
		RunE: func(c *cobra.Command, _ []string) error {
			if blind {
				return a.blindSpots(c)
			}
			var all []wire.Habit
			if err := a.call(c.Context(), http.MethodGet, "/errand-habits", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "People do nothing by hand at about the same time, as far as is known.")
				return nil
			}
			for _, h := range all {
				fmt.Fprintf(a.Out, "%s/%s %s, %s:\n  urbo errand add %q\n", h.Device, h.Control, h.Value, h.Says,
					strings.ReplaceAll(h.Text, "\n", " "))
			}
			return nil
		}}
	c.Flags().BoolVar(&blind, "blind", false, "list devices of which nobody knew what they were at")
	return c
}

func (a *app) blindSpots(c *cobra.Command) error {
	var b wire.BlindSpots
	if err := a.call(c.Context(), http.MethodGet, "/errand-blind", nil, &b); err != nil {
		return err
	}
	if a.output == "json" {
		return a.json(b)
	}
	if b.Of == 0 {
		fmt.Fprintf(a.Out, "In the last %d days no errand was skipped because something was not known.\n", b.Days)
		return nil
	}
	fmt.Fprintf(a.Out, "In the last %d days %d were skipped because something was not known.\n", b.Days, b.Of)
	for _, d := range b.Devices {
		fmt.Fprintf(a.Out, "A meter at %s would have decided %d of %d.\n", d.Device, d.Skipped, b.Of)
	}
	return nil
}

func (a *app) errandBring() *cobra.Command {
	var title string
	c := &cobra.Command{Use: "bring KIND OF [VALUE]",
		Short: "Let a phrase, the call of a hook, a message or an event of a calendar come into the house",
		Long: `Let something come that errands begin with: phrase "…", hook NAME, message TOPIC TEXT, or calendar NAME begins or ends
with --title. It is for trying errands, and for programs that bring these into the house.`,
		Args: args(2, 3, "phrase, hook, message or calendar, and of which"),
		Example: "  urbo errand bring phrase \"talk in ten minutes\"\n  urbo errand bring hook gate\n" +
			"  urbo errand bring message club/lamp '{\"state\":\"go\"}'\n" +
			"  urbo errand bring calendar club begins --title \"public night\"",
		RunE: func(c *cobra.Command, argv []string) error {
			cue := wire.NewCue{Kind: argv[0], Of: argv[1], Title: title}
			if len(argv) == 3 {
				cue.Value = argv[2]
			}
			if err := a.call(c.Context(), http.MethodPost, "/cues", cue, &cue); err != nil {
				return err
			}
			return a.did(cue, "The house knows of it.")
		}}
	c.Flags().StringVar(&title, "title", "", "of an event of a calendar")
	return c
}

func (a *app) errandDay() *cobra.Command {
	var file string
	c := &cobra.Command{Use: "day [DATE]", Short: "Show what a day of the house was, and is to be",
		Long: `Show the sun, occasions and errands of a day, past and to come. With --calendar the coming 30 days are written as a
file for calendar programs (iCalendar).`,
		Args: args(0, 1, "a DATE such as 2026-12-05, or none for today"), Example: "  urbo errand day\n" +
			"  urbo errand day 2026-12-05\n  urbo errand day --calendar errands.ics",
		RunE: func(c *cobra.Command, argv []string) error {
			if file != "" {
				return a.save(c, "/errand-calendar", file)
			}
			path := "/day"
			if len(argv) == 1 {
				path += "?date=" + url.QueryEscape(argv[0])
			}
			var d wire.Day
			if err := a.call(c.Context(), http.MethodGet, path, nil, &d); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(d)
			}
			a.printDay(d)
			return nil
		}}
	c.Flags().StringVar(&file, "calendar", "", "file for the coming 30 days, as iCalendar; - is standard output")
	return c
}

func (a *app) printDay(d wire.Day) {
	fmt.Fprintln(a.Out, d.From.Format("Monday 2006-01-02"))
	type line struct {
		at   time.Time
		text [3]string
	}
	var lines []line
	for _, s := range d.Sun {
		lines = append(lines, line{s.At, [3]string{"sun", s.Event, ""}})
	}
	for _, o := range d.Occasions {
		lines = append(lines, line{o.From, [3]string{"occasion", o.Name + " starts", ""}})
		if o.To != nil {
			lines = append(lines, line{*o.To, [3]string{"occasion", o.Name + " ends", ""}})
		}
	}
	for _, came := range d.Came {
		lines = append(lines, line{came.At, [3]string{"errand", came.Errand, cameText(came)}})
	}
	for _, n := range d.Next {
		lines = append(lines, line{n.At, [3]string{"errand", n.Errand, "is due"}})
	}
	slices.SortStableFunc(lines, func(x, y line) int { return x.at.Compare(y.at) })
	var rows []table.Row
	for _, l := range lines {
		rows = append(rows, table.Row{l.at.In(d.From.Location()).Format("15:04"), l.text[0], l.text[1], l.text[2]})
	}
	a.table(table.Row{"TIME", "WHAT", "NAME", "DID"}, rows)
}

package cli

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/plain"
	"urbo/core/run"
	"urbo/wire"
)

func (a *app) occasion() *cobra.Command {
	return group("occasion", "Make a room or the house ready for something", `Make a room, or the whole house, ready for something: an occasion is a wanted state of controls. Started, it
presses only what must change, and switches off what the occasion before it used and it does not. It is in force until
another one takes its place, in each room by itself, or until it ends. What somebody changes meanwhile differs from it,
and can be put right.

What it wants is written as steps that set, in one line each or with "then" between them:

  set (projector/power on, projector/source b, amplifier/power on)
  then set boardwalk/colour to white

What stands in one step is set side by side, and a device that another one feeds after that one. A group, or "room/NAME",
stands where a device does; what names a device itself counts before that.`,
		a.occasionList(), a.occasionShow(), a.occasionAdd(), a.occasionChange(), a.occasionRemove(), a.occasionPlan(),
		a.occasionDo("start", "Start an occasion, and show what is set",
			`Start an occasion: what must change is pressed, and what only the occasion before it used is switched off. What
cannot be set is passed over, and said; then the status is 3.`),
		a.occasionDo("end", "End an occasion: its devices are switched off",
			`End an occasion: its devices are switched off, but for those that stay, and those that are set for a time. An
occasion that was added with --leaves leaves them all as they are.`),
		a.occasionDo("right", "Put right what differs from an occasion that is in force",
			`Put right what differs from an occasion that is in force: only that is pressed.`))
}

func occasionPath(slug string) string { return "/occasions/" + url.PathEscape(slug) }

func (a *app) occasionList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the occasions, and where they are in force",
		Args: args(0, 0, "none"), Example: "  urbo occasion list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Occasion
			if err := a.call(c.Context(), http.MethodGet, "/occasions", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No occasions yet. Make one: urbo occasion add NAME WANTS")
				return nil
			}
			var rows []table.Row
			for _, o := range all {
				rows = append(rows, table.Row{o.Slug, o.Name, forceText(o), occasionNote(o)})
			}
			a.table(table.Row{"OCCASION", "NAME", "IN FORCE", "NOTE"}, rows)
			return nil
		}}
}

// forceText says where an occasion is in force.
func forceText(o wire.Occasion) string {
	switch {
	case !o.InForce:
		return ""
	case o.Run != "":
		return "being set"
	case len(o.Rooms) == 0:
		return "yes"
	}
	return strings.Join(o.Rooms, ", ")
}

// occasionNote is what there is to know of an occasion.
func occasionNote(o wire.Occasion) string {
	if o.Error != "" {
		return o.Error
	}
	var out []string
	if len(o.Differs) > 0 {
		out = append(out, plain.Count(len(o.Differs), "control differs", "controls differ"))
	}
	if len(o.Gone) > 0 {
		out = append(out, "gone: "+strings.Join(o.Gone, ", "))
	}
	if len(o.Lacking) > 0 {
		out = append(out, "not there yet: "+strings.Join(o.Lacking, ", "))
	}
	return strings.Join(out, "; ")
}

func (a *app) occasionShow() *cobra.Command {
	return &cobra.Command{Use: "show OCCASION", Short: "Show what an occasion wants, and what differs from it",
		Args: args(1, 1, "an OCCASION"), Example: "  urbo occasion show public-talk",
		RunE: func(c *cobra.Command, argv []string) error {
			var o wire.Occasion
			if err := a.call(c.Context(), http.MethodGet, occasionPath(argv[0]), nil, &o); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(o)
			}
			a.printOccasion(o)
			return nil
		}}
}

func (a *app) printOccasion(o wire.Occasion) {
	if o.Wants != "" {
		fmt.Fprintln(a.Out, o.Wants)
	}
	if o.Room != "" {
		fmt.Fprintf(a.Out, "It is for %s.\n", o.Room)
	}
	if len(o.Stays) > 0 {
		fmt.Fprintf(a.Out, "Left as they are afterwards: %s\n", strings.Join(o.Stays, ", "))
	}
	if o.Leaves {
		fmt.Fprintln(a.Out, "Its end leaves all devices as they are.")
	}
	for _, r := range slices.Sorted(maps.Keys(o.Reins)) {
		fmt.Fprintf(a.Out, "The reins of %s: %s\n", r, o.Reins[r])
	}
	switch {
	case o.Error != "":
		fmt.Fprintf(a.Out, "It cannot begin: %s.\n", o.Error)
	case len(o.Gone) > 0:
		fmt.Fprintf(a.Out, "Not there any more, and passed over: %s\n", strings.Join(o.Gone, ", "))
	}
	if len(o.Lacking) > 0 {
		fmt.Fprintf(a.Out, "Not there yet, and passed over until it is learned: %s\n", strings.Join(o.Lacking, ", "))
	}
	if !o.InForce {
		fmt.Fprintf(a.Out, "It is not in force. Start it: urbo occasion start %s\n", o.Slug)
		return
	}
	where := ""
	if len(o.Rooms) > 0 {
		where = " in " + strings.Join(o.Rooms, ", ")
	}
	fmt.Fprintf(a.Out, "It is in force%s, started %s by %s.\n", where, clock(*o.Since), o.By)
	if len(o.Differs) == 0 {
		return
	}
	var rows []table.Row
	for _, d := range o.Differs {
		is := d.Value
		switch {
		case is == "":
			is = "not known"
		case d.Unsure:
			is += " ?"
		}
		rows = append(rows, table.Row{d.Device, d.Control, d.Wanted, is})
	}
	a.table(table.Row{"DEVICE", "CONTROL", "WANTED", "IS AT"}, rows)
	fmt.Fprintf(a.Out, "Put it right: urbo occasion right %s\n", o.Slug)
}

// occasionFlags are what add and change have in common.
type occasionFlags struct {
	file, room   string
	stays, reins []string
	leaves       bool
}

func (f *occasionFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&f.file, "file", "", "where the wants stand; - is standard input")
	c.Flags().StringVar(&f.room, "room", "", "the one room that it is for; without one it is for the whole house")
	c.Flags().StringSliceVar(&f.stays, "stays", nil,
		"devices, groups or room/NAME that are left as they are afterwards")
	c.Flags().StringArrayVar(&f.reins, "rein", nil, "who has a part of the handset meanwhile: "+
		"volume=DEVICE/CONTROL, or arrows, digits or play=DEVICE; once or more")
	c.Flags().BoolVar(&f.leaves, "leaves", false, "its end leaves all devices as they are")
}

// held reads who has which rein.
func (f *occasionFlags) held() (map[string]string, error) {
	out := map[string]string{}
	for _, text := range f.reins {
		rein, to, ok := strings.Cut(text, "=")
		if !ok || to == "" {
			return nil, usageError{fmt.Errorf("--rein %.60q: write volume=DEVICE/CONTROL, or arrows=DEVICE", text)}
		}
		out[rein] = to
	}
	return out, nil
}

func (a *app) occasionAdd() *cobra.Command {
	var n wire.NewOccasion
	var f occasionFlags
	c := &cobra.Command{Use: "add NAME [WANTS]", Short: "Make an occasion",
		Args: args(1, 1000, "a NAME, and the WANTS in quotation marks, or --file"),
		Example: "  urbo occasion add \"Short talk\" \"set (amplifier/power on, amplifier/volume 18) then set " +
			"boardwalk/power to on\" --stays boardwalk --rein volume=amplifier/volume",
		RunE: func(c *cobra.Command, argv []string) (err error) {
			n.Name, n.Room, n.Stays, n.Leaves = argv[0], f.room, f.stays, f.leaves
			if n.Wants, err = a.stepsOf(argv[1:], f.file); err != nil {
				return err
			}
			if n.Reins, err = f.held(); err != nil {
				return err
			}
			var o wire.Occasion
			if err := a.call(c.Context(), http.MethodPost, "/occasions", n, &o); err != nil {
				return err
			}
			return a.did(o, "Added %s. See what it would press: urbo occasion plan %s", o.Slug, o.Slug)
		}}
	f.add(c)
	c.Flags().StringVar(&n.Slug, "short-name", "", "name on the command line; without it, it is made from the name")
	return c
}

func (a *app) occasionChange() *cobra.Command {
	var name, slug string
	var f occasionFlags
	c := &cobra.Command{Use: "change OCCASION [WANTS]", Short: "Let an occasion want something else, or name it anew",
		Args: args(1, 1000, "an OCCASION, and what is to change"),
		Long: `Let an occasion want something else, or name it anew. Nothing is pressed: where it is in force, what it wants now
differs, and can be put right.`,
		Example: "  urbo occasion change public-talk --stays boardwalk,screen\n" +
			"  urbo occasion change public-talk --name \"Public talks\" --leaves=false",
		RunE: func(c *cobra.Command, argv []string) error {
			var change wire.OccasionChange
			given := c.Flags().Changed
			for flag, to := range map[string]func(){
				"name": func() { change.Name = &name }, "short-name": func() { change.Slug = &slug },
				"room": func() { change.Room = &f.room }, "stays": func() { change.Stays = &f.stays },
				"leaves": func() { change.Leaves = &f.leaves },
			} {
				if given(flag) {
					to()
				}
			}
			if given("rein") {
				reins, err := f.held()
				if err != nil {
					return err
				}
				change.Reins = &reins
			}
			if len(argv) > 1 || f.file != "" {
				wants, err := a.stepsOf(argv[1:], f.file)
				if err != nil {
					return err
				}
				change.Wants = &wants
			}
			if change == (wire.OccasionChange{}) {
				return usageError{errors.New("say what is to change: WANTS, --file, --name, --short-name, --room, " +
					"--stays, --rein or --leaves")}
			}
			var o wire.Occasion
			if err := a.call(c.Context(), http.MethodPatch, occasionPath(argv[0]), change, &o); err != nil {
				return err
			}
			return a.did(o, "Changed %s.", o.Slug)
		}}
	f.add(c)
	c.Flags().StringVar(&name, "name", "", "another name")
	c.Flags().StringVar(&slug, "short-name", "", "another name on the command line")
	return c
}

func (a *app) occasionRemove() *cobra.Command {
	return &cobra.Command{Use: "remove OCCASION", Short: "Remove an occasion; its devices stay as they are",
		Args: args(1, 1, "an OCCASION"), Example: "  urbo occasion remove short-talk",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, occasionPath(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed the occasion %s.", argv[0])
		}}
}

func (a *app) occasionPlan() *cobra.Command {
	var end, right bool
	c := &cobra.Command{Use: "plan OCCASION", Short: "Show what an occasion would press; nothing is pressed",
		Args:    args(1, 1, "an OCCASION"),
		Example: "  urbo occasion plan public-talk\n  urbo occasion plan public-talk --end",
		RunE: func(c *cobra.Command, argv []string) error {
			what := "start"
			switch {
			case end && right:
				return usageError{errors.New("--end or --right, not both")}
			case end:
				what = "end"
			case right:
				what = "right"
			}
			var p wire.OccasionPlan
			path := occasionPath(argv[0]) + "/plan?what=" + what
			if err := a.call(c.Context(), http.MethodGet, path, nil, &p); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(p)
			}
			a.printOccasionPlan(p)
			return nil
		}}
	c.Flags().BoolVar(&end, "end", false, "what its end would press")
	c.Flags().BoolVar(&right, "right", false, "what putting right would press")
	return c
}

func (a *app) printOccasionPlan(p wire.OccasionPlan) {
	var rows []table.Row
	for _, d := range p.Devices {
		rows = append(rows, table.Row{d.Stage, d.Device, wantsText(d), planText(d)})
	}
	if len(rows) > 0 {
		a.table(table.Row{"STEP", "DEVICE", "WANTED", "WOULD BE PRESSED"}, rows)
	}
	if len(p.Ends) > 0 {
		fmt.Fprintf(a.Out, "It takes the place of %s.\n", strings.Join(p.Ends, ", "))
	}
	switch {
	case p.Presses == 0 && p.Sure:
		fmt.Fprintln(a.Out, "Nothing has to be pressed: it is believed to be so.")
	case p.Presses > 0:
		fmt.Fprintf(a.Out, "%s in %.1f s.\n", plain.Count(p.Presses, "press", "presses"),
			float64(p.TakesMS)/1000)
	}
	if !p.Sure {
		fmt.Fprintln(a.Out, "Not all is sure. Say what the others are at now (urbo tell DEVICE CONTROL VALUE), or "+
			"start it: it asks, and goes on with the rest.")
	}
}

// wantsText is what is wanted of a device.
func wantsText(d wire.OccasionDevice) string {
	texts := make([]string, len(d.Wants))
	for i, w := range d.Wants {
		texts[i] = w.Control + " " + w.Value
	}
	text := strings.Join(texts, ", ")
	if d.Ends {
		text += " (nothing wants it any more)"
	}
	return text
}

// planText is what would be pressed for a device, or why that is not sure.
func planText(d wire.OccasionDevice) string {
	switch {
	case d.Error != "":
		return d.Error
	case !d.Answer.Sure && len(d.Answer.Helps) > 0:
		return "not sure: " + d.Answer.Helps[0].Text
	case !d.Answer.Sure:
		return "not sure"
	case len(d.Answer.Steps) == 0:
		return "nothing: it is so"
	}
	var keys []string
	for _, s := range d.Answer.Steps {
		key := s.Key
		if len(s.Frame) > 0 {
			key = "all of it: " + frameText(s.Frame)
		}
		if s.Times > 1 {
			key += fmt.Sprintf(" %d times", s.Times)
		}
		if s.HoldMS > 0 {
			key += fmt.Sprintf(" held for %.1f s", float64(s.HoldMS)/1000)
		}
		keys = append(keys, key)
	}
	return strings.Join(keys, ", ")
}

// occasionDo is start, end and right.
func (a *app) occasionDo(what, short, long string) *cobra.Command {
	var noWait bool
	c := &cobra.Command{Use: what + " OCCASION", Short: short, Long: long, Args: args(1, 1, "an OCCASION"),
		Example: "  urbo occasion " + what + " public-talk --no-wait",
		RunE: func(c *cobra.Command, argv []string) error {
			var got wire.OccasionDone
			if err := a.call(c.Context(), http.MethodPost, occasionPath(argv[0])+"/"+what, nil, &got); err != nil {
				return err
			}
			if got.Run == nil || noWait {
				text := "Nothing has to be pressed."
				if got.Run != nil {
					text = "It is under way. See urbo run list"
				}
				return a.did(got, "%s: %s", got.Occasion.Name, text)
			}
			r, err := a.watchRun(c.Context(), *got.Run)
			if err != nil {
				return err
			}
			if a.output == "json" {
				if err := a.json(r); err != nil {
					return err
				}
			}
			switch {
			case r.End != run.Done:
				return fmt.Errorf("%s is %s: %s", r.Name, r.End, r.Reason)
			case r.Reason != "":
				return unsureError{fmt.Errorf("not all of %s is as it should be: %s", r.Name, r.Reason), false}
			case a.output != "json":
				fmt.Fprintf(a.Out, "%s is done.\n", got.Occasion.Name)
			}
			return nil
		}}
	c.Flags().BoolVar(&noWait, "no-wait", false, "do not wait until all is set")
	return c
}

// reinsState prints who has the reins.
func (a *app) reinsState(ctx context.Context) error {
	var held []wire.Rein
	if err := a.call(ctx, http.MethodGet, "/reins", nil, &held); err != nil {
		return err
	}
	if a.output == "json" {
		return a.json(held)
	}
	if len(held) == 0 {
		fmt.Fprintln(a.Out, "Nobody has the reins: start an occasion that gives them.")
		return nil
	}
	var rows []table.Row
	for _, r := range held {
		rows = append(rows, table.Row{r.Rein, r.Of})
	}
	a.table(table.Row{"REIN", "WITH"}, rows)
	return nil
}

package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/control"
	"urbo/core/plain"
	"urbo/wire"
)

func (a *app) state() *cobra.Command {
	return &cobra.Command{Use: "state [DEVICE]", Short: "Show what devices are believed to be set to",
		Long: `Show what devices are believed to be set to. No device ever answers: Urbo follows what it sends and
what it hears from handsets, and says how far that can be trusted. Certain: told, sensed, or set twice by a key that
sets it, a short while ago. Believed: few presses since. Doubtful: many, or nobody was listening.
Instead of a device, a group or room/NAME may be named, or reins: what an occasion gives the volume, arrows, digits and play keys to.`,
		Args:    args(0, 1, "a DEVICE, a group, room/NAME, or nothing for all"),
		Example: "  urbo state\n  urbo state amplifier\n  urbo state dew",
		RunE: func(c *cobra.Command, argv []string) error {
			if len(argv) == 1 && argv[0] == reins {
				return a.reinsState(c.Context())
			}
			if len(argv) == 1 && isRoom(argv[0]) {
				return a.groupState(c.Context(), argv[0])
			}
			if len(argv) == 1 {
				err := a.stateOf(c, argv[0])
				if err != nil && a.isGroup(c.Context(), err, argv[0]) {
					return a.groupState(c.Context(), argv[0])
				}
				return err
			}
			var all []wire.DeviceState
			if err := a.call(c.Context(), http.MethodGet, "/state", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "Nothing can be set yet. Give a device controls: urbo device control propose "+
					"DEVICE")
				return nil
			}
			var rows []table.Row
			for _, d := range all {
				for i, s := range d.Controls {
					name := d.Device
					if i > 0 {
						name = ""
					}
					rows = append(rows, table.Row{name, s.Control, stateText(s), string(s.Word), sinceText(s)})
				}
			}
			a.table(table.Row{"DEVICE", "CONTROL", "IS AT", "TRUST", "FROM"}, rows)
			return nil
		}}
}

func devicePath(slug string) string { return "/devices/" + url.PathEscape(slug) }

func (a *app) stateOf(c *cobra.Command, slug string) error {
	var states []wire.ControlState
	if err := a.call(c.Context(), http.MethodGet, devicePath(slug)+"/state", nil, &states); err != nil {
		return err
	}
	if a.output == "json" {
		return a.json(states)
	}
	a.printStates(states)
	for _, s := range states {
		if len(s.History) < 2 {
			continue
		}
		fmt.Fprintf(a.Out, "\n%s before:\n", s.Control)
		for _, h := range s.History[1:min(len(s.History), 6)] {
			fmt.Fprintf(a.Out, "  %-12s  %s\n", h.Value, fromText(h.Source, h.At))
		}
	}
	return nil
}

func (a *app) printStates(states []wire.ControlState) {
	var rows []table.Row
	for _, s := range states {
		rows = append(rows, table.Row{s.Control, stateText(s), string(s.Word), sinceText(s)})
	}
	a.table(table.Row{"CONTROL", "IS AT", "TRUST", "FROM"}, rows)
}

// stateText is what a control is believed to be at: "?" stands behind what is doubtful.
func stateText(s wire.ControlState) string {
	text := s.Value
	if s.About {
		text = "about " + text
	}
	switch {
	case text != "" && s.Word == control.Doubtful:
		text += " ?"
	case text == "" && s.Source == "":
		return "not known" + besideText(s.Beside)
	case text == "":
		text = strings.Join(s.May, " or ") + " ?"
	}
	if s.Unit != "" && s.Value != "" {
		text += " " + s.Unit
	}
	switch {
	case s.Phase == control.Warming:
		text += ", warms up"
	case s.Phase == control.Cooling:
		text += ", cools down"
	case s.Phase == control.Unfed:
		text += ", has no power"
	case s.Moving != 0:
		text += ", moves"
	}
	return text + besideText(s.Beside)
}

// besideText is what is measured beside a control.
func besideText(all []wire.Gauge) string {
	if len(all) == 0 {
		return ""
	}
	values := make([]string, len(all))
	for i, g := range all {
		values[i] = strings.TrimSpace(fmt.Sprintf("%g %s", g.Value, g.Unit))
	}
	return " (measured: " + strings.Join(values, ", ") + ")"
}

func sinceText(s wire.ControlState) string {
	at := s.At
	if len(s.History) > 0 && s.History[0].At != nil {
		at = s.History[0].At
	}
	return fromText(s.Source, at)
}

// fromText says where a belief comes from.
func fromText(source control.Source, at *time.Time) string {
	text := map[control.Source]string{control.Assumed: "nobody said", control.BySending: "sent",
		control.ByHandset: "heard from its handset", control.Told: "told", control.Sensed: "sensed",
		control.ByLink: "by another device", control.ByItself: "by itself"}[source]
	if at != nil {
		text += " " + clock(*at)
	}
	return text
}

func (a *app) set() *cobra.Command {
	var dry, undo bool
	var hold time.Duration
	var then string
	c := &cobra.Command{Use: "set DEVICE CONTROL VALUE [CONTROL VALUE ...]",
		Short: "Set controls of a device, by pressing what leads there",
		Long: `Set controls of a device, or of all devices of a group or room/NAME. Urbo presses what leads there from all that the device may be at,
waits while it warms up, and presses nothing where no presses surely lead there: then it says what would help. A VALUE
like +3 or -2 is so many steps; of a control that goes below 0, write "up 3" or "down 2". --undo sets what was
believed before you last set the device, within ten minutes. Where a key would lead on from something doubtful it asks first, in
a terminal. What presses nothing, or ends doubtful, ends with status 3, and says why first. --for sets it for a time: then what was before comes
back, unless somebody sets it meanwhile (see urbo hold).`,
		Args: args(1, 49, "a DEVICE, and CONTROL and VALUE, once or more"),
		Example: "  urbo set amplifier power on volume 22\n  urbo set amplifier volume +3\n  urbo set boardwalk " +
			"colour red --dry\n  urbo set amplifier --undo\n  urbo set dew power on\n  urbo set boardwalk power on " +
			"--for 10m",
		RunE: func(c *cobra.Command, argv []string) error {
			if undo != (len(argv) == 1) {
				return usageError{errors.New("name a DEVICE, a CONTROL and a VALUE, or a DEVICE with --undo")}
			}
			if len(argv)%2 == 0 {
				name, err := a.onlyControl(c.Context(), argv)
				if err != nil {
					return err
				}
				argv = []string{argv[0], name, argv[1]}
			}
			switch {
			case c.Flags().Changed("for") && hold <= 0:
				return usageError{errors.New("--for takes how long, such as 10m")}
			case then != "" && hold == 0:
				return usageError{errors.New("--then goes with --for: say how long before that")}
			case undo && hold > 0:
				return usageError{errors.New(
					"--undo goes without --for: urbo hold end sets back what is set for a time")}
			}
			r := wire.SetRequest{Dry: dry, ForMS: hold.Milliseconds(), Then: given(then)}
			for i := 1; i < len(argv); i += 2 {
				value := given(argv[i+1])
				r.Wants = append(r.Wants, control.Want{Control: argv[i], Value: value})
			}
			path, body := devicePath(argv[0])+"/set", any(r)
			if undo {
				path, body = devicePath(argv[0])+"/undo-set", nil
			}
			if isRoom(argv[0]) && !undo {
				return a.setGroup(c.Context(), argv[0], r)
			}
			r.Ask = !dry && !undo && a.output != "json" && a.attended()
			if !undo {
				body = r
			}
			var got wire.SetAnswer
			if err := a.call(c.Context(), http.MethodPost, path, body, &got); err != nil {
				if !undo && a.isGroup(c.Context(), err, argv[0]) {
					return a.setGroup(c.Context(), argv[0], r)
				}
				return err
			}
			if r.Ask && len(got.Asks) > 0 && len(got.Presses) == 0 {
				told, err := a.askWhatIsSo(c.Context(), argv[0], got.Asks)
				if err != nil {
					return err
				}
				if r.Ask = false; told {
					got = wire.SetAnswer{}
					if err := a.call(c.Context(), http.MethodPost, path, r, &got); err != nil {
						return err
					}
				}
			}
			unsure := unsureOf(argv[0], got, dry)
			if a.output == "json" {
				if err := a.json(got); err != nil {
					return err
				}
			} else {
				if unsure != nil {
					fmt.Fprintf(a.Err, "urbo: %v\n", unsure)
				}
				a.printAnswer(argv[0], got, dry)
				if hold > 0 && got.Done && !dry {
					fmt.Fprintf(a.Out, "Until %s: see urbo hold list\n", clock(time.Now().Add(hold)))
				}
			}
			switch {
			case got.Reason != "":
				return fmt.Errorf("the rest was given up: %s", got.Reason)
			case unsure != nil:
				return unsureError{unsure, a.output != "json"}
			}
			return nil
		}}
	c.Flags().DurationVar(&hold, "for", 0, "set it for so long, such as 10m; then what was before comes back")
	c.Flags().StringVar(&then, "then", "", "with --for and one control: the value that it goes to instead")
	c.Flags().BoolVar(&dry, "dry", false, "only say what would be pressed")
	c.Flags().BoolVar(&undo, "undo", false, "set what was believed before you last set it")
	return c
}

// onlyControl is the control of a device that has one, where just a value was given. The error says what there is.
func (a *app) onlyControl(ctx context.Context, argv []string) (string, error) {
	var d wire.Device
	if err := a.call(ctx, http.MethodGet, devicePath(argv[0]), nil, &d); err != nil {
		return "", usageError{errors.New("a VALUE is missing: CONTROL VALUE, once or more")}
	}
	if len(argv) == 2 && len(d.Controls) == 1 {
		return d.Controls[0].Name, nil
	}
	var there []string
	for _, c := range d.Controls {
		if text := strings.Join(c.Choices(), ", "); text != "" {
			there = append(there, c.Name+" ("+text+")")
		} else {
			there = append(there, c.Name)
		}
	}
	if len(there) == 0 {
		return "", usageError{fmt.Errorf("nothing can be set on %s yet: urbo device control propose %s", d.Slug,
			d.Slug)}
	}
	return "", usageError{fmt.Errorf("a VALUE or a CONTROL is missing: urbo set %s CONTROL VALUE, once or more, of %s",
		d.Slug, strings.Join(there, ", "))}
}

// minus stands before the - of a value like -2, which would be taken for a flag. No text has it otherwise.
const minus = "\x00"

var (
	negative = regexp.MustCompile(`^-\d[\d.,/+-]*$`)
	// takesNumbers are the commands whose arguments are values; of device, they are "control also" and "code".
	takesNumbers = []string{"set", "tell", "measure", "device", "sequence", "occasion", "question", "errand",
		"bench"}
)

// withMinus lets negative numbers of urbo set, tell and measure through, which no flag is.
func withMinus(argv []string) []string {
	out := slices.Clone(argv)
	first := slices.IndexFunc(argv, func(v string) bool { return !strings.HasPrefix(v, "-") })
	for first >= 0 && first > 0 && slices.Contains([]string{"--server", "--token-file", "--ca", "--output"},
		argv[first-1]) {
		next := slices.IndexFunc(argv[first+1:], func(v string) bool { return !strings.HasPrefix(v, "-") })
		if next < 0 {
			return out
		}
		first += 1 + next
	}
	if first < 0 || !slices.Contains(takesNumbers, argv[first]) {
		return out
	}
	if argv[first] == "device" && !slices.Contains(argv, "also") && !slices.Contains(argv, "code") {
		return out
	}
	for i := first + 1; i < len(out) && out[i] != "--"; i++ {
		if negative.MatchString(out[i]) {
			out[i] = minus + out[i]
		}
	}
	return out
}

// given is a value as it was typed.
func given(value string) string { return strings.TrimPrefix(value, minus) }

// printAnswer says what is pressed or was, and what would help.
func (a *app) printAnswer(slug string, got wire.SetAnswer, dry bool) {
	if dry && got.Sure {
		if len(got.Steps) == 0 {
			fmt.Fprintln(a.Out, nothing(got.Already))
		}
		for _, s := range got.Steps {
			wait := ""
			if s.WaitMS > 0 {
				wait = fmt.Sprintf("after %.1f s ", float64(s.WaitMS)/1000)
			}
			what := "press " + slug + "/" + s.Key
			if len(s.Frame) > 0 {
				what = "send all of " + slug + ": " + frameText(s.Frame)
			}
			fmt.Fprint(a.Out, wait+what)
			if s.HoldMS > 0 {
				fmt.Fprintf(a.Out, ", held for %.1f s", float64(s.HoldMS)/1000)
			}
			if s.Times > 1 {
				fmt.Fprintf(a.Out, " %d times", s.Times)
			}
			fmt.Fprintln(a.Out)
		}
		if len(got.Steps) > 0 {
			fmt.Fprintf(a.Out, "It takes %.1f s.\n", float64(got.TakesMS)/1000)
		}
		if len(got.Also) > 0 {
			fmt.Fprintf(a.Out, "It moves this as well: %s\n", strings.Join(got.Also, ", "))
		}
	}
	for _, h := range got.Helps {
		fmt.Fprintln(a.Out, h.Text+helpCommandOf(slug, h))
	}
	if dry || !got.Sure {
		return
	}
	switch {
	case len(got.Presses) > 0:
		n := 0
		for _, p := range got.Presses {
			n += p.Times
		}
		fmt.Fprintf(a.Out, "Sent %s.\n", plain.Count(n, "press", "presses"))
	case len(got.Helps) == 0:
		fmt.Fprintln(a.Out, nothing(got.Already))
	}
	a.printStates(got.State)
}

// unsureOf says why a setting pressed nothing, or cannot be relied on; nil where neither is so.
func unsureOf(slug string, got wire.SetAnswer, dry bool) error {
	switch {
	case got.Reason != "":
		return nil
	case !got.Sure:
		return fmt.Errorf("%s cannot be sure to get there, and nothing was pressed", slug)
	case dry:
		return nil
	case len(got.Presses) == 0 && len(got.Asks) > 0:
		return fmt.Errorf("nothing was pressed: what %s is at is doubtful, and its key leads on from there", slug)
	case len(got.Presses) == 0:
		return fmt.Errorf("nothing was pressed: %s is believed to be so already", slug)
	case got.Doubtful, !got.Done:
		return fmt.Errorf("it was pressed, but what %s is at now is doubtful: look at it, and say so with urbo tell",
			slug)
	}
	return nil
}

// askWhatIsSo asks whoever sits in front of the command what controls are at now, and tells it. told is false where
// nobody knew.
func (a *app) askWhatIsSo(ctx context.Context, slug string, asks []control.Ask) (told bool, err error) {
	lines := bufio.NewScanner(a.In)
	for _, ask := range asks {
		fmt.Fprintf(a.Out, "Is %s of %s %s now? (Enter where you do not know) ", ask.Control, slug,
			strings.Join(ask.Values, " or "))
		if !lines.Scan() {
			return told, lines.Err()
		}
		value := strings.TrimSpace(lines.Text())
		if value == "" {
			continue
		}
		if err := a.call(ctx, http.MethodPost, devicePath(slug)+"/tell",
			wire.TellRequest{Control: ask.Control, Value: value}, nil); err != nil {
			return told, err
		}
		told = true
	}
	return told, nil
}

// nothing says why nothing is pressed.
func nothing(already []string) string {
	if len(already) == 0 {
		return "Nothing has to be pressed: it is believed to be so."
	}
	return "Nothing has to be pressed: it is believed to be so already (" + strings.Join(already, ", ") + ")."
}

// frameText is what a frame says.
func frameText(frame map[string]string) string {
	var out []string
	for name, v := range frame {
		out = append(out, name+" "+v)
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}

// helpCommandOf is what to type for a help.
func helpCommandOf(slug string, h control.Help) string {
	switch h.Kind {
	case control.HelpTell:
		return fmt.Sprintf(" (urbo tell %s %s VALUE)", slug, h.Control)
	case control.HelpPress:
		return fmt.Sprintf(" (urbo press %s/%s)", slug, h.Key)
	case control.HelpSensor:
		return fmt.Sprintf(" (urbo device control sense %s %s MEASUREMENT)", slug, h.Control)
	}
	return ""
}

func (a *app) tell() *cobra.Command {
	return &cobra.Command{Use: "tell DEVICE CONTROL VALUE", Short: "Say what a control of a device really is at",
		Args:    args(3, 3, "a DEVICE, a CONTROL and a VALUE"),
		Example: "  urbo tell boardwalk power on",
		RunE: func(c *cobra.Command, argv []string) error {
			var states []wire.ControlState
			if err := a.call(c.Context(), http.MethodPost, devicePath(argv[0])+"/tell",
				wire.TellRequest{Control: argv[1], Value: given(argv[2])}, &states); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(states)
			}
			a.printStates(states)
			return nil
		}}
}

// measure is what urbo measurement tell and list were called before.
func (a *app) measure() *cobra.Command {
	var unit string
	c := &cobra.Command{Use: "measure [MEASUREMENT VALUE]", Short: "Tell a measurement, or list them", Hidden: true,
		Args:    args(0, 2, "a MEASUREMENT and a VALUE, or nothing"),
		Example: "  urbo measure boardwalk/power 42 --unit W\n  urbo measure",
		RunE: func(c *cobra.Command, argv []string) error {
			switch len(argv) {
			case 0:
				list := a.measurementList()
				list.SetContext(c.Context())
				return list.RunE(list, nil)
			case 1:
				return usageError{errors.New("a VALUE is missing")}
			}
			return a.tellGauge(c, argv[0], argv[1], unit)
		}}
	c.Flags().StringVar(&unit, "unit", "", "in which it is measured, such as W or °C")
	return c
}

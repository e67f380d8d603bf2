package cli

import (
	"bufio"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/wire"
)

func (a *app) deviceControl() *cobra.Command {
	return group("control", "Say what can be set on a device", `Say what can be set on a device: power, volume, source, position. A control is made of the device's keys.`,
		a.controlList(), a.controlPropose(), a.controlAsk(), a.controlAdd(), a.controlAlso(), a.controlFrames(),
		a.controlRemove(), a.controlSense())
}

func (a *app) fetchDevice(c *cobra.Command, slug string) (d wire.Device, err error) {
	err = a.call(c.Context(), http.MethodGet, devicePath(slug), nil, &d)
	return d, err
}

func (a *app) controlList() *cobra.Command {
	return &cobra.Command{Use: "list DEVICE", Short: "List the controls of a device", Args: args(1, 1, "a DEVICE"),
		Example: "  urbo device control list amplifier",
		RunE: func(c *cobra.Command, argv []string) error {
			d, err := a.fetchDevice(c, argv[0])
			if err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(slices.Concat([]control.Control{}, d.Controls))
			}
			if len(d.Controls) == 0 {
				fmt.Fprintf(a.Out, "No controls yet. See what its keys suggest: urbo device control propose %s\n",
					d.Slug)
				return nil
			}
			a.printControls(d.Controls)
			a.printBeside(d)
			return nil
		}}
}

// printBeside says what is said of controls beside their forms.
func (a *app) printBeside(d wire.Device) {
	for _, k := range d.Effects {
		for _, e := range k.Effects {
			fmt.Fprintf(a.Out, "%s also acts on %s\n", k.Key, e.Control)
		}
	}
	if d.Whole != nil {
		fmt.Fprintf(a.Out, "frames of %s carry", d.Whole.Sheet)
		for _, s := range d.Whole.Settings {
			fmt.Fprintf(a.Out, " %s (%s)", s.Control, s.Field)
		}
		fmt.Fprintln(a.Out)
	}
	for _, s := range d.Sensors {
		if !s.Tells() {
			fmt.Fprintf(a.Out, "%s is shown beside %s\n", s.Measurement, s.Control)
			continue
		}
		fmt.Fprintf(a.Out, "%s tells %s: %s above %g, %s below %g\n", s.Measurement, s.Control, s.High, s.Above, s.Low,
			s.Below)
	}
}

func (a *app) printControls(all []control.Control) {
	var rows []table.Row
	for _, c := range all {
		values := c.Range()
		if len(c.Guessed) > 0 {
			values += " (a guess)"
		}
		rows = append(rows, table.Row{c.Name, string(c.Kind), values, strings.Join(c.Made(), " ")})
	}
	a.table(table.Row{"CONTROL", "KIND", "VALUES", "KEYS"}, rows)
}

func (a *app) controlPropose() *cobra.Command {
	var keep bool
	c := &cobra.Command{Use: "propose DEVICE", Short: "Show the controls that a device's keys suggest, or keep them",
		Args:    args(1, 1, "a DEVICE"),
		Example: "  urbo device control propose amplifier\n  urbo device control propose amplifier --keep",
		RunE: func(c *cobra.Command, argv []string) error {
			p, err := a.proposal(c, argv[0])
			if err != nil {
				return err
			}
			if keep && len(p.Controls) > 0 {
				if err := a.keepControls(c, argv[0], p.Controls); err != nil {
					return err
				}
			}
			if a.output == "json" {
				return a.json(p)
			}
			if len(p.Controls) == 0 {
				fmt.Fprintln(a.Out, "Its keys suggest no further control.")
				return nil
			}
			a.printControls(p.Controls)
			if !keep {
				fmt.Fprintf(a.Out, "\nKeep them with --keep, or answer what no key tells: urbo device control ask %s\n",
					argv[0])
				return nil
			}
			fmt.Fprintln(a.Out, "\nKept. What no key tells can be corrected: urbo device control add, with the "+
				"same name.")
			return nil
		}}
	c.Flags().BoolVar(&keep, "keep", false, "give them to the device")
	return c
}

func (a *app) proposal(c *cobra.Command, slug string) (p wire.Proposal, err error) {
	return p, a.call(c.Context(), http.MethodGet, devicePath(slug)+"/controls/proposal", nil, &p)
}

func (a *app) keepControls(c *cobra.Command, slug string, all []control.Control) error {
	var d wire.Device
	return a.call(c.Context(), http.MethodPost, devicePath(slug)+"/controls", all, &d)
}

// controlAsk is the wizard: it goes through what no key tells, lets each be tried on the spot, and keeps the controls.
func (a *app) controlAsk() *cobra.Command {
	return &cobra.Command{Use: "ask DEVICE", Short: "Answer what no key tells about a device's controls, and keep them",
		Long: `Go through the controls that a device's keys suggest, and through what no key tells. Type the answer; an empty one leaves
it as it is, and ! presses the key that shows it.`,
		Args: args(1, 1, "a DEVICE"), Example: "  urbo device control ask projector",
		RunE: func(c *cobra.Command, argv []string) error {
			p, err := a.proposal(c, argv[0])
			if err != nil {
				return err
			}
			if len(p.Controls) == 0 {
				fmt.Fprintln(a.Out, "Its keys suggest no further control.")
				return nil
			}
			a.printControls(p.Controls)
			lines := bufio.NewScanner(a.In)
			for _, q := range p.Questions {
				i := slices.IndexFunc(p.Controls, func(c control.Control) bool { return c.Name == q.Control })
				if err := a.askOne(c, argv[0], q, &p.Controls[i], lines); err != nil {
					return err
				}
			}
			if err := a.keepControls(c, argv[0], p.Controls); err != nil {
				return err
			}
			fmt.Fprintln(a.Out, "\nKept:")
			a.printControls(p.Controls)
			return nil
		}}
}

// askOne asks one question until it is answered.
func (a *app) askOne(c *cobra.Command, slug string, q control.Question, form *control.Control,
	lines *bufio.Scanner) error {
	hint := map[string]string{"warm_up_ms": "such as 20s", "again_ms": "such as 4s, or no", "open_ms": "such as 18s",
		"most": "a number", "values": "such as a b network", "keys": "turn or on"}[q.Field]
	for {
		fmt.Fprintf(a.Out, "\n%s: %s (%s", q.Control, q.Text, hint)
		if q.Try != "" {
			fmt.Fprintf(a.Out, "; ! presses %s", q.Try)
		}
		fmt.Fprint(a.Out, ") ")
		if !lines.Scan() {
			return lines.Err()
		}
		text := strings.TrimSpace(lines.Text())
		switch {
		case text == "", text == "no":
			return nil
		case text == "!" && q.Try != "":
			cl, err := a.client()
			if err != nil {
				return err
			}
			if _, err := cl.pressKey(c.Context(), wire.KeyRef{Device: slug, Key: q.Try},
				wire.PressRequest{Times: 1}); err != nil {
				fmt.Fprintln(a.Out, err)
			}
			continue
		}
		if err := answer(form, q, text); err != nil {
			fmt.Fprintln(a.Out, err)
			continue
		}
		return nil
	}
}

// answer puts the answer to a question into a form.
func answer(form *control.Control, q control.Question, text string) error {
	switch q.Field {
	case "warm_up_ms", "again_ms", "open_ms":
		if _, err := strconv.ParseFloat(text, 64); err == nil {
			text += "s"
		}
		d, err := time.ParseDuration(text)
		if err != nil || d < 0 {
			return errors.New("write a time, such as 20s")
		}
		ms := int(d.Milliseconds())
		*map[string]*int{"warm_up_ms": &form.WarmUpMS, "again_ms": &form.AgainMS, "open_ms": &form.OpenMS}[q.Field] = ms
	case "most":
		n, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return errors.New("write a number")
		}
		form.Most = &n
	case "values":
		values := strings.Fields(text)
		if len(values) < 2 {
			return errors.New("write at least two values, in their order, with spaces between")
		}
		form.Values = values
	case "keys":
		switch text {
		case "turn":
		case "on":
			form.Keys, form.Round = map[string]string{"on": form.Round}, ""
		default:
			return errors.New("write turn, where it switches on and off in turn, or on, where it only switches on")
		}
	}
	form.Said(q.Field)
	return nil
}

func (a *app) controlAdd() *cobra.Command {
	form := control.Control{}
	var keys map[string]string
	var given []string
	var favourites map[string]int
	var least, most float64
	times := map[string]*time.Duration{}
	c := &cobra.Command{Use: "add DEVICE CONTROL KIND",
		Short: "Give a device a control, or another form of one that it has",
		Long: "Give a device a control of a kind: power, dial, selector, digits or travel. One of that name is " +
			"replaced.",
		Args: args(3, 3, "a DEVICE, a CONTROL and a KIND"),
		Example: "  urbo device control add projector power power --keys on=on,off=off --again 4s --warm-up 20s\n" +
			"  urbo device control add projector source selector --values a,b,network --round source\n" +
			"  urbo device control add amplifier volume dial --most 60 --up volume-up --down volume-down",
	}
	f := c.Flags()
	f.StringSliceVar(&form.Values, "values", nil, "its values, in the order in which its round key goes")
	f.StringToStringVar(&keys, "keys", nil, "keys that set a value, VALUE=KEY,VALUE=KEY")
	f.StringArrayVar(&given, "sequence", nil,
		"keys that set a value one after another, VALUE=KEY,KEY; once for each value")
	f.StringVar(&form.Round, "round", "", "key that goes round")
	f.StringSliceVar(&form.Also, "also-on", nil, "power: other keys that switch it on as well")
	f.StringVar(&form.MainsFail, "mains-fail", "", "power: what a mains failure leaves it at: keep, or a value")
	f.Float64Var(&least, "least", 0, "lowest value")
	f.Float64Var(&most, "most", 0, "highest value")
	f.Float64Var(&form.Step, "step", 0, "of a dial; 0 is 1")
	f.StringVar(&form.Unit, "unit", "", "in which it is shown")
	f.StringVar(&form.Up, "up", "", "key for one step up")
	f.StringVar(&form.Down, "down", "", "key for one step down")
	f.Float64Var(&form.Rate, "rate", 0, "steps in a second while its key is held")
	f.StringVar(&form.Ends, "ends", "", "what a dial does at its ends: stop or round")
	f.StringVar(&form.Enter, "enter", "", "digits: key that ends the typing")
	f.IntVar(&form.Fewest, "fewest", 0, "digits: how many have to be typed")
	f.StringToIntVar(&favourites, "favourites", nil, "digits: names of numbers, NAME=NUMBER")
	f.StringVar(&form.Open, "open", "", "travel: key that opens")
	f.StringVar(&form.Close, "close", "", "travel: key that closes")
	f.StringVar(&form.Stop, "stop", "", "travel: key that stops")
	f.StringVar(&form.OnStart, "on-start", "", "when the device is switched on: keep, unknown, or a value")
	f.StringVar(&form.While, "while", "",
		"value of power that its keys need, or a selector with its value (\"menu off\"); any is any, nothing is on")
	for name, about := range map[string]string{"again": "power: off has to be pressed twice within this time",
		"warm-up":    "power: after switching on it ignores keys for so long",
		"cool-down":  "power: the same after switching off",
		"longest-on": "power: it is switched off when it was on for so long", "pause": "digits: between two digits",
		"timeout":    "digits: after the last one the number counts; selector: after that a sequence is forgotten",
		"open-time":  "travel: for the full way",
		"close-time": "travel: for the full way back", "delay": "travel: until it starts to move"} {
		times[name] = f.Duration(name, 0, about)
	}
	c.RunE = func(c *cobra.Command, argv []string) (err error) {
		form.Name, form.Kind, form.Keys, form.Favourites = argv[1], control.Kind(argv[2]), keys, favourites
		if f.Changed("least") {
			form.Least = &least
		}
		if f.Changed("most") {
			form.Most = &most
		}
		ms := func(name string) int { return int(times[name].Milliseconds()) }
		form.AgainMS, form.WarmUpMS, form.CoolDownMS = ms("again"), ms("warm-up"), ms("cool-down")
		form.PauseMS, form.TimeoutMS = ms("pause"), ms("timeout")
		form.OpenMS, form.CloseMS, form.DelayMS = ms("open-time"), ms("close-time"), ms("delay")
		form.LongestS = int(math.Round(times["longest-on"].Seconds()))
		if form.Sequences, err = sequences(given); err != nil {
			return err
		}
		if err := a.keepControls(c, argv[0], []control.Control{form}); err != nil {
			return err
		}
		return a.done(map[string]any{"added": form.Name}, "%s has the control %s.", argv[0], form.Name)
	}
	return c
}

func (a *app) controlRemove() *cobra.Command {
	return &cobra.Command{Use: "remove DEVICE CONTROL", Short: "Take a control away from a device",
		Args: args(2, 2, "a DEVICE and a CONTROL"), Example: "  urbo device control remove amplifier mute",
		RunE: func(c *cobra.Command, argv []string) error {
			var d wire.Device
			if err := a.call(c.Context(), http.MethodDelete,
				devicePath(argv[0])+"/controls/"+url.PathEscape(argv[1]), nil, &d); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[1]}, "%s has no control %s any more.", argv[0], argv[1])
		}}
}

func (a *app) controlSense() *cobra.Command {
	s := device.Sensor{}
	var settle time.Duration
	var none bool
	c := &cobra.Command{Use: "sense DEVICE CONTROL MEASUREMENT", Short: "Let a measurement tell what a control is at",
		Long: `Let a measurement tell what a control is at: the power that a light draws tells whether it is on. Between the two limits
nothing is told, and a value has to stay beyond one for a while. Without limits it tells nothing, and is only shown
beside the control: a room's temperature beside the one that is wanted.`,
		Args: args(3, 3, "a DEVICE, a CONTROL and a MEASUREMENT"),
		Example: "  urbo device control sense boardwalk power boardwalk/power --above 8 --below 3\n" +
			"  urbo device control sense heat-pump target warm-room/temperature",
		RunE: func(c *cobra.Command, argv []string) error {
			limits := c.Flags().Changed("above") || c.Flags().Changed("below")
			if !limits {
				s.High, s.Low = "", ""
			}
			s.Control, s.Measurement, s.SettleMS = argv[1], argv[2], int(settle.Milliseconds())
			path, d := devicePath(argv[0])+"/sensors", wire.Device{}
			if none {
				path += "?control=" + url.QueryEscape(s.Control) + "&measurement=" + url.QueryEscape(s.Measurement)
				if err := a.call(c.Context(), http.MethodDelete, path, nil, &d); err != nil {
					return err
				}
				return a.done(map[string]any{"removed": s.Measurement}, "%s tells nothing of %s any more.",
					s.Measurement, argv[0])
			}
			if err := a.call(c.Context(), http.MethodPut, path, s, &d); err != nil {
				return err
			}
			if !limits {
				return a.done(map[string]any{"sensor": s}, "%s is shown beside %s of %s.", s.Measurement, s.Control,
					argv[0])
			}
			return a.done(map[string]any{"sensor": s}, "%s tells %s of %s: %s above %g, %s below %g.", s.Measurement,
				s.Control,
				argv[0], s.High, s.Above, s.Low, s.Below)
		}}
	f := c.Flags()
	f.Float64Var(&s.Above, "above", 0, "above this it is at --high")
	f.Float64Var(&s.Below, "below", 0, "below this it is at --low")
	f.StringVar(&s.High, "high", "on", "value of the control above the upper limit")
	f.StringVar(&s.Low, "low", "off", "value below the lower limit")
	f.BoolVar(&none, "none", false, "let it tell nothing any more")
	f.DurationVar(&settle, "settle", 0, "how long it has to stay there; 0 is 2s")
	return c
}

// sequences reads VALUE=KEY,KEY.
func sequences(in []string) (out map[string][]string, err error) {
	for _, text := range in {
		value, keys, ok := strings.Cut(text, "=")
		if !ok || keys == "" {
			return nil, usageError{fmt.Errorf("--sequence %.60q: write VALUE=KEY,KEY", text)}
		}
		if out == nil {
			out = map[string][]string{}
		}
		out[value] = strings.Split(keys, ",")
	}
	return out, nil
}

func (a *app) controlAlso() *cobra.Command {
	return &cobra.Command{Use: "also DEVICE/KEY CONTROL WHAT",
		Short: "Say what a key does to a control beside the rest",
		Long: `Say what a key does to a control beside what the controls say: volume-up also ends mute. WHAT is a value that it sets,
+1 or -2 for steps, next for the next value, any where nobody knows, or nothing to take that back.`,
		Args: args(3, 3, "DEVICE/KEY, a CONTROL and WHAT"),
		Example: "  urbo device control also amplifier/volume-up mute off\n  urbo device control also " +
			"radio/power channel any",
		RunE: func(c *cobra.Command, argv []string) error {
			ref, err := parseKey(argv[0])
			if err != nil {
				return err
			}
			does := given(argv[2])
			if does == "nothing" {
				does = ""
			}
			var d wire.Device
			if err := a.call(c.Context(), http.MethodPut, keyPath(ref)+"/also",
				wire.KeyAlso{Control: argv[1], Does: does},
				&d); err != nil {
				return err
			}
			return a.done(map[string]any{"key": ref.String(), "control": argv[1], "does": does},
				"%s also does this to %s: %s.", ref, argv[1], argv[2])
		}}
}

func (a *app) controlFrames() *cobra.Command {
	var fixed map[string]int64
	var units map[string]string
	var none bool
	c := &cobra.Command{Use: "frames DEVICE [SHEET CONTROL=FIELD:VALUES ...]",
		Short: "Let frames carry several controls at once, such as of a heat pump",
		Long: `Let the frames of a line sheet carry several controls at once: a handset that sends everything its display shows with
each press. The controls are made of what is written. VALUES are values with what stands in the field, off=0,on=1; or
numbers from least to most, "16 to 30", with what stands for the least where that is not the same, "16 to 30 = 0",
or with another step, "16 to 30 by 0.5 = 32". Setting one of them sends all, with that one changed; its handset is followed. urbo sheet show names the fields.`,
		Args: args(1, -1, "a DEVICE, a SHEET, and what its fields carry"),
		Example: "  urbo device control frames heat-pump skarrow-s9 power=power:off=0,on=1 " +
			"\"target=celsius:16 to 30\" --fixed mode=3,fan=0,vane=0",
	}
	c.Flags().StringToInt64Var(&fixed, "fixed", nil, "fields that never change, FIELD=NUMBER")
	c.Flags().StringToStringVar(&units, "unit", nil, "units of numbers, CONTROL=UNIT")
	c.Flags().BoolVar(&none, "none", false, "let no frames carry controls any more")
	c.RunE = func(c *cobra.Command, argv []string) error {
		var d wire.Device
		path := devicePath(argv[0]) + "/frames"
		if none {
			if err := a.call(c.Context(), http.MethodDelete, path, nil, &d); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": "frames"}, "No frames carry controls of %s any more.", argv[0])
		}
		if len(argv) < 3 {
			return usageError{errors.New("name a SHEET, and what its fields carry: CONTROL=FIELD:VALUES")}
		}
		frames := wire.Frames{Sheet: argv[1], Fixed: fixed}
		for _, text := range argv[2:] {
			name, rest, ok := strings.Cut(text, "=")
			field, values, ok2 := strings.Cut(rest, ":")
			if !ok || !ok2 {
				return usageError{fmt.Errorf("%.60q: write CONTROL=FIELD:VALUES", text)}
			}
			frames.Carries = append(frames.Carries, control.Carry{Control: name, Field: field, Values: values,
				Unit: units[name]})
		}
		if err := a.call(c.Context(), http.MethodPut, path, frames, &d); err != nil {
			return err
		}
		if a.output == "json" {
			return a.json(d)
		}
		a.printControls(d.Controls)
		return nil
	}
	return c
}

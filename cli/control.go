package cli

import (
	"bufio"
	"errors"
	"fmt"
	"math"
	"net/http"
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
		a.controlList(), a.controlPropose(), a.controlAsk(), a.controlAdd(), a.controlRemove(), a.controlSense())
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
			for _, s := range d.Sensors {
				fmt.Fprintf(a.Out, "%s tells %s: %s above %g, %s below %g\n", s.Measurement, s.Control, s.High, s.Above,
					s.Low,
					s.Below)
			}
			return nil
		}}
}

func (a *app) printControls(all []control.Control) {
	var rows []table.Row
	for _, c := range all {
		rows = append(rows, table.Row{c.Name, string(c.Kind), c.Range(), strings.Join(c.Made(), " ")})
	}
	a.table(table.Row{"CONTROL", "KIND", "VALUES", "KEYS"}, rows)
}

func (a *app) controlPropose() *cobra.Command {
	var keep bool
	c := &cobra.Command{Use: "propose DEVICE", Short: "Show the controls that a device's keys suggest, or keep them",
		Args:    args(1, 1, "a DEVICE"),
		Example: "  urbo device control propose amplifier\n  urbo device control propose amplifier --keep",
		RunE: func(c *cobra.Command, argv []string) error {
			d, p, err := a.proposal(c, argv[0])
			if err != nil {
				return err
			}
			if keep && len(p.Controls) > 0 {
				if err := a.keepControls(c, argv[0], append(d.Controls, p.Controls...)); err != nil {
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

func (a *app) proposal(c *cobra.Command, slug string) (d wire.Device, p wire.Proposal, err error) {
	if d, err = a.fetchDevice(c, slug); err != nil {
		return d, p, err
	}
	err = a.call(c.Context(), http.MethodGet, devicePath(slug)+"/controls/proposal", nil, &p)
	return d, p, err
}

func (a *app) keepControls(c *cobra.Command, slug string, all []control.Control) error {
	var d wire.Device
	return a.call(c.Context(), http.MethodPatch, devicePath(slug), wire.DeviceChange{Controls: &all}, &d)
}

// controlAsk is the wizard: it goes through what no key tells, lets each be tried on the spot, and keeps the controls.
func (a *app) controlAsk() *cobra.Command {
	return &cobra.Command{Use: "ask DEVICE", Short: "Answer what no key tells about a device's controls, and keep them",
		Long: `Go through the controls that a device's keys suggest, and through what no key tells. Type the answer; an empty one leaves
it as it is, and ! presses the key that shows it.`,
		Args: args(1, 1, "a DEVICE"), Example: "  urbo device control ask projector",
		RunE: func(c *cobra.Command, argv []string) error {
			_, p, err := a.proposal(c, argv[0])
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
			d, err := a.fetchDevice(c, argv[0]) // it may have changed meanwhile
			if err != nil {
				return err
			}
			if err := a.keepControls(c, argv[0], append(d.Controls, p.Controls...)); err != nil {
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
	return nil
}

func (a *app) controlAdd() *cobra.Command {
	form := control.Control{}
	var keys map[string]string
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
	f.StringVar(&form.Round, "round", "", "key that goes round")
	f.StringSliceVar(&form.Also, "also-on", nil, "power: other keys that switch it on as well")
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
	f.StringVar(&form.While, "while", "", "value of power that its keys need; any is any, nothing is on")
	for name, about := range map[string]string{"again": "power: off has to be pressed twice within this time",
		"warm-up":    "power: after switching on it ignores keys for so long",
		"cool-down":  "power: the same after switching off",
		"longest-on": "power: it is switched off when it was on for so long", "pause": "digits: between two digits",
		"timeout": "digits: after the last one the number counts", "open-time": "travel: for the full way",
		"close-time": "travel: for the full way back", "delay": "travel: until it starts to move"} {
		times[name] = f.Duration(name, 0, about)
	}
	c.RunE = func(c *cobra.Command, argv []string) error {
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
		d, err := a.fetchDevice(c, argv[0])
		if err != nil {
			return err
		}
		controls := slices.DeleteFunc(slices.Clone(d.Controls),
			func(o control.Control) bool { return o.Name == form.Name })
		if err := a.keepControls(c, argv[0], append(controls, form)); err != nil {
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
			d, err := a.fetchDevice(c, argv[0])
			if err != nil {
				return err
			}
			i := slices.IndexFunc(d.Controls, func(o control.Control) bool { return o.Name == argv[1] })
			if i < 0 {
				return fmt.Errorf("%s has no control %.40q", argv[0], argv[1])
			}
			controls := slices.Delete(slices.Clone(d.Controls), i, i+1)
			sensors := slices.DeleteFunc(slices.Clone(d.Sensors),
				func(s device.Sensor) bool { return s.Control == argv[1] })
			effects := slices.Clone(d.Effects)
			for i := range effects {
				effects[i].Effects = slices.DeleteFunc(slices.Clone(effects[i].Effects),
					func(e control.Effect) bool { return e.Control == argv[1] })
			}
			effects = slices.DeleteFunc(effects, func(k control.KeyEffects) bool { return len(k.Effects) == 0 })
			if err := a.call(c.Context(), http.MethodPatch, devicePath(argv[0]), wire.DeviceChange{Controls: &controls,
				Sensors: &sensors, Effects: &effects}, &d); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[1]}, "%s has no control %s any more.", argv[0], argv[1])
		}}
}

func (a *app) controlSense() *cobra.Command {
	s := device.Sensor{}
	var settle time.Duration
	c := &cobra.Command{Use: "sense DEVICE CONTROL MEASUREMENT", Short: "Let a measurement tell what a control is at",
		Long: `Let a measurement tell what a control is at: the power that a light draws tells whether it is on. Between the two limits
nothing is told, and a value has to stay beyond one for a while. Without limits it tells nothing, and is only shown
beside the control: a room's temperature beside the one that is wanted.`,
		Args: args(3, 3, "a DEVICE, a CONTROL and a MEASUREMENT"),
		Example: "  urbo device control sense boardwalk power boardwalk/power --above 8 --below 3\n" +
			"  urbo device control sense heat-pump target warm-room/temperature",
		RunE: func(c *cobra.Command, argv []string) error {
			d, err := a.fetchDevice(c, argv[0])
			if err != nil {
				return err
			}
			limits := c.Flags().Changed("above") || c.Flags().Changed("below")
			if !limits {
				s.High, s.Low = "", ""
			}
			s.Control, s.Measurement, s.SettleMS = argv[1], argv[2], int(settle.Milliseconds())
			sensors := slices.DeleteFunc(slices.Clone(d.Sensors), func(o device.Sensor) bool {
				return o.Control == s.Control && o.Measurement == s.Measurement
			})
			sensors = append(sensors, s)
			if err := a.call(c.Context(), http.MethodPatch, devicePath(argv[0]), wire.DeviceChange{Sensors: &sensors},
				&d); err != nil {
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
	f.DurationVar(&settle, "settle", 0, "how long it has to stay there; 0 is 2s")
	return c
}

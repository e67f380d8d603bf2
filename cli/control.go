package cli

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
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
		a.controlLink(), a.controlFed(), a.controlRemove(), a.controlSense())
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
				return a.json(append([]control.Control{}, d.Controls...))
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
	for _, l := range d.Links {
		fmt.Fprintf(a.Out, "%s is set to %s where %s of %s comes to %s\n", l.Sets, l.To, l.Control, orRemoved(l.Device),
			l.Value)
	}
	if d.Fed != nil {
		fmt.Fprintf(a.Out, "%s of %s feeds it: while that is off, it has no power\n", d.Fed.Control,
			orRemoved(d.Fed.Device))
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

// orRemoved is what a device is called, where it is there.
func orRemoved(slug string) string {
	if slug == "" {
		return "a device that was removed"
	}
	return slug
}

func (a *app) printControls(all []control.Control) {
	var rows []table.Row
	for _, c := range all {
		values := c.Range()
		if by := c.ByItself(); by != "" {
			values += ", " + by
		}
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
				if _, err := a.keepControls(c, argv[0], p.Controls); err != nil {
					return err
				}
			}
			if a.output == "json" {
				return a.json(p)
			}
			if len(p.Controls) == 0 {
				text := "Its keys suggest no further control."
				var d wire.Device
				if a.call(c.Context(), http.MethodGet, devicePath(argv[0]), nil, &d) == nil && len(d.Keys) == 0 {
					text = "It has no keys yet. Learn them: urbo learn " + d.Slug
				}
				fmt.Fprintln(a.Out, text)
				return nil
			}
			a.printControls(p.Controls)
			if !keep {
				fmt.Fprintf(a.Out, "\nKeep them with --keep, or answer what no key tells: urbo device control ask %s\n",
					argv[0])
				return nil
			}
			fmt.Fprintf(a.Out, "\nKept. What no key tells can be corrected: urbo device control ask %s\n", argv[0])
			return nil
		}}
	c.Flags().BoolVar(&keep, "keep", false, "give them to the device")
	return c
}

func (a *app) proposal(c *cobra.Command, slug string) (p wire.Proposal, err error) {
	return p, a.call(c.Context(), http.MethodGet, devicePath(slug)+"/controls/proposal", nil, &p)
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

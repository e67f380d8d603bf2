package cli

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"urbo/core/control"
	"urbo/wire"
)

func (a *app) controlAdd() *cobra.Command {
	c := &cobra.Command{Use: "add DEVICE CONTROL KIND",
		Short: "Give a device a control, or another form of one that it has",
		Long: `Give a device a control of a kind: power, dial, selector, digits or travel. One of that name is replaced. A device may have
several powers, such as a fan with a lamp: controls that work with the second one say so (--while "lamp on"). What a
device does by itself is said, too: that its timer switches it off, that a menu closes, that a first press only shows
the volume. "urbo device control ask DEVICE CONTROL" asks about all of it.`,
		Args: args(3, 3, "a DEVICE, a CONTROL and a KIND"),
		Example: "  urbo device control add projector power power --keys on=on,off=off --again 4s --warm-up 20s\n" +
			"  urbo device control add projector source selector --values a,b,network --round source\n" +
			"  urbo device control add projector menu selector --values off,on --round menu --lapses 15s\n" +
			"  urbo device control add amplifier volume dial --most 60 --up volume-up --down volume-down\n" +
			"  urbo device control add dew-a power power --keys on=on,off=off --goes-off 4h",
	}
	read := controlFlags(c.Flags())
	c.RunE = func(c *cobra.Command, argv []string) error {
		form, err := read()
		if err != nil {
			return err
		}
		form.Name, form.Kind = argv[1], control.Kind(argv[2])
		d, err := a.keepControls(c, argv[0], []control.Control{form})
		if err != nil {
			return err
		}
		if a.output != "json" {
			a.remark(d)
		}
		return a.done(map[string]any{"added": form.Name}, "%s has the control %s.", argv[0], form.Name)
	}
	return c
}

// keepControls gives a device controls, in the place of those of the same names.
func (a *app) keepControls(c *cobra.Command, slug string, all []control.Control) (d wire.Device, err error) {
	return d, a.call(c.Context(), http.MethodPost, devicePath(slug)+"/controls", all, &d)
}

// controlFlags makes the flags of a control, by its kinds, and gives what reads them.
func controlFlags(f *pflag.FlagSet) func() (control.Control, error) {
	f.SortFlags = false
	form := &control.Control{}
	var least, most float64
	var sequence []string
	after := map[string]string{}
	var reads []func()
	duration := func(to *int, unit time.Duration, name, about string) {
		d := f.Duration(name, 0, about)
		reads = append(reads, func() { *to = int(*d / unit) })
	}
	milli := time.Millisecond

	f.StringSliceVar(&form.Values, "values", nil, "its values, in the order in which its round key goes; of a power "+
		"off first; of a travel the names of its ends, closed first")
	f.StringToStringVar(&form.Keys, "keys", nil, "keys that set a value, VALUE=KEY,VALUE=KEY")
	f.StringVar(&form.Round, "round", "", "key that goes round: to the next value, or open, stop, close, stop")
	f.StringVar(&form.While, "while", "", "value of power that its keys need, or another control with its value "+
		"(\"menu off\", \"lamp on\"); any is any, nothing is on")
	f.StringVar(&form.OnStart, "on-start", "", "when the device is switched on: keep, unknown, or a value")

	f.StringSliceVar(&form.Also, "also-on", nil, "power: other keys that switch it on as well")
	duration(&form.AgainMS, milli, "again", "power: off has to be pressed twice within this time")
	duration(&form.WarmUpMS, milli, "warm-up", "power: after switching on it ignores keys for so long")
	duration(&form.CoolDownMS, milli, "cool-down", "power: after switching off it ignores keys for so long")
	f.StringVar(&form.MainsFail, "mains-fail", "", "power: what a mains failure leaves it at: keep, or a value")
	duration(&form.LongestS, time.Second, "longest-on", "power: Urbo switches it off when it was on for so long")
	duration(&form.GoesOffS, time.Second, "goes-off", "power: it switches itself off when it was on for so long")
	f.StringVar(&form.GoesOffFrom, "goes-off-from", "",
		"power: that counts from on, or begins anew with each key: on or key")

	f.Float64Var(&least, "least", 0, "dial and digits: lowest value")
	f.Float64Var(&most, "most", 0, "dial and digits: highest value")
	f.Float64Var(&form.Step, "step", 0, "dial: from one value to the next; 0 is 1")
	f.StringVar(&form.Unit, "unit", "", "dial: in which it is shown")
	f.StringVar(&form.Up, "up", "", "dial and digits: key for one step up")
	f.StringVar(&form.Down, "down", "", "dial and digits: key for one step down")
	f.Float64Var(&form.Rate, "rate", 0, "dial: steps in a second while its key is held")
	f.Float64Var(&form.RateLater, "rate-later", 0, "dial: the same after it was held for a while, where it speeds up")
	duration(&form.RateMS, milli, "rate-after", "dial: how long it is held until then")
	f.StringVar(&form.Ends, "ends", "", "dial: at its ends it does: stop or round, or turn where one key is held")
	f.StringVar(&form.Hold, "hold", "", "dial: key that dims while it is held, in the other direction at each hold")
	duration(&form.HoldMS, milli, "hold-after", "dial: how long it is held until that begins; 0 is 500ms")
	f.StringVar(&form.HoldBegins, "hold-begins", "", "dial: direction of the first hold after switching on: up or down")
	duration(&form.RestMS, milli, "rest", "dial and selector: after so long without a key the next press only shows it")
	f.StringVar(&form.Woken, "woken", "", "dial and selector: keys that show it: own, or any of the device")

	f.StringArrayVar(&sequence, "sequence", nil,
		"selector: keys that set a value one after another, VALUE=KEY,KEY; once for each value")
	f.StringSliceVar(&form.Skips, "skips", nil, "selector: values that its round key may pass over, where nothing is "+
		"plugged in")
	f.StringToStringVar(&after, "after", nil, "selector: after so long the device switches itself off, VALUE=TIME")
	duration(&form.LapsesMS, milli, "lapses", "selector: it goes back to its first value after so long without a key")

	f.StringVar(&form.Enter, "enter", "", "digits: key that ends the typing")
	f.IntVar(&form.Fewest, "fewest", 0, "digits: how many have to be typed")
	duration(&form.PauseMS, milli, "pause", "digits: between two digits")
	duration(&form.TimeoutMS, milli, "timeout",
		"digits: after the last one the number counts; selector: after that a sequence is forgotten")
	f.StringToIntVar(&form.Favourites, "favourites", nil, "digits: names of numbers, NAME=NUMBER")

	f.StringVar(&form.Open, "open", "", "travel: key that opens")
	f.StringVar(&form.Close, "close", "", "travel: key that closes")
	f.StringVar(&form.Stop, "stop", "", "travel: key that stops")
	duration(&form.OpenMS, milli, "open-time", "travel: for the full way; of slats, until they have turned")
	duration(&form.CloseMS, milli, "close-time", "travel: for the full way back")
	duration(&form.DelayMS, milli, "delay", "travel: until it starts to move")
	f.StringVar(&form.SlatsOf, "slats-of", "", "travel: it is the slats of this travel, which turn before it moves")

	return func() (control.Control, error) {
		for _, read := range reads {
			read()
		}
		out := *form
		if f.Changed("least") {
			out.Least = &least
		}
		if f.Changed("most") {
			out.Most = &most
		}
		var err error
		if out.Sequences, err = sequences(sequence); err != nil {
			return out, err
		}
		for value, text := range after {
			d, err := time.ParseDuration(text)
			if err != nil || d < time.Second {
				return out, usageError{fmt.Errorf("--after %.40s=%.40s: write VALUE=TIME, such as 30=30m", value, text)}
			}
			if out.AfterS == nil {
				out.AfterS = map[string]int{}
			}
			out.AfterS[value] = int(d / time.Second)
		}
		return out, nil
	}
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

// pair reads CONTROL=VALUE.
func pair(text string) (left, right string, err error) {
	left, right, ok := strings.Cut(text, "=")
	if !ok || left == "" || right == "" {
		return "", "", usageError{fmt.Errorf("%.60q: write CONTROL=VALUE, such as power=on", text)}
	}
	return left, right, nil
}

package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"urbo/core/device"
	"urbo/wire"
)

func (a *app) deviceSet() *cobra.Command {
	var change wire.DeviceChange
	texts := map[string]struct {
		to    **string
		about string
	}{
		"name": {&change.Name, "its name"}, "room": {&change.Room, "the room it stands in"},
		"kind":  {&change.Kind, "projector, light, socket …"},
		"maker": {&change.Maker, "who made it"}, "model": {&change.Model, "which model it is"},
		"transmitter": {&change.Transmitter, "preferred transmitter, STATION/PORT; empty is the first that fits"},
		"short-name":  {&change.Slug, "a new short name; the old one goes on working"},
		"plate":       {&change.Plate, "regulatory id on its type plate"},
		"notes":       {&change.Notes, "whatever else is worth knowing"},
	}
	var power, inputs, face string
	var also []string
	var verify bool
	var plateHz int
	var warmUp, gap time.Duration
	c := &cobra.Command{
		Use: "set DEVICE", Short: "Change a device: what it is called, where it stands, what it needs",
		Args: args(1, 1, "DEVICE"),
		Example: "  urbo device set projector --room \"Lecture room\" --transmitter lecture/ir-out --warm-up 20s\n" +
			"  urbo device set amplifier --power toggle --inputs direct --face \"power . mute / volume-down . " +
			"volume-up\"",
	}
	f := c.Flags()
	values := map[string]*string{}
	for name, t := range texts {
		values[name] = f.String(name, "", t.about)
	}
	f.SetNormalizeFunc(oldNames)
	f.StringVar(&power, "power", "", "how it is switched: toggle, two-keys or none; empty is not known")
	f.StringVar(&inputs, "inputs", "", "how its inputs are chosen: direct or cycling; empty is not known")
	f.StringSliceVar(&also, "also", nil, "transmitters that send as well, STATION/PORT,STATION/PORT; empty for none")
	f.BoolVar(&verify, "verify", false, "receivers have to hear its presses; a key that sets something and was not "+
		"heard is sent once more")
	f.IntVar(&plateHz, "plate-hz", 0, "frequency on its type plate")
	f.DurationVar(&warmUp, "warm-up", 0, "how long it ignores keys after it was switched on")
	f.DurationVar(&gap, "gap", 0, "least time between two presses")
	f.StringVar(&face, "face", "", "rows of its handset's face, apart by /, keys by spaces, . for a gap; empty lays "+
		"it out by itself")
	c.RunE = func(c *cobra.Command, argv []string) error {
		given := f.Changed
		for name, t := range texts {
			if given(name) {
				*t.to = values[name]
			}
		}
		if given("power") {
			change.Power = (*device.Power)(&power)
		}
		if given("inputs") {
			change.Inputs = (*device.Inputs)(&inputs)
		}
		if given("also") {
			change.Also = &also
		}
		if given("verify") {
			change.Verify = &verify
		}
		if given("plate-hz") {
			change.PlateHz = &plateHz
		}
		if ms := int(warmUp / time.Millisecond); given("warm-up") {
			change.WarmUpMS = &ms
		}
		if ms := int(gap / time.Millisecond); given("gap") {
			change.GapMS = &ms
		}
		if rows := parseFace(face); given("face") {
			change.Face = &rows
		}
		if change == (wire.DeviceChange{}) {
			return usageError{errors.New("say what to change: --name, --room, --kind … (see --help)")}
		}
		var d wire.Device
		if err := a.call(c.Context(), http.MethodPatch, "/devices/"+url.PathEscape(argv[0]), change, &d); err != nil {
			return err
		}
		if a.output == "json" {
			return a.json(d)
		}
		a.printDevice(d)
		return nil
	}
	return c
}

// parseFace reads "power . mute / up": rows apart by /, and . for a gap.
func parseFace(text string) [][]string {
	rows := [][]string{}
	for row := range strings.SplitSeq(text, "/") {
		keys := strings.Fields(row)
		for i, k := range keys {
			if k == "." {
				keys[i] = ""
			}
		}
		if len(keys) > 0 {
			rows = append(rows, keys)
		}
	}
	return rows
}

func (a *app) deviceSetKey() *cobra.Command {
	var name, hold, transmitter string
	var repeats int
	var pause time.Duration
	c := &cobra.Command{
		Use: "set-key DEVICE/KEY", Short: "Rename a key, or say how often it is sent, and what holding it does",
		Args: args(1, 1, "DEVICE/KEY"),
		Example: "  urbo device set-key boardwalk/breathe --name breath\n" +
			"  urbo device set-key amplifier/volume-up --hold repeat\n" +
			"  urbo device set-key boardwalk/power --repeats 3 --pause 60ms\n" +
			"  urbo device set-key boardwalk/red --transmitter lecture/ir-out",
		RunE: func(c *cobra.Command, argv []string) error {
			ref, err := parseKey(argv[0])
			if err != nil {
				return err
			}
			var change wire.KeyChange
			if c.Flags().Changed("name") {
				change.Name, ref.Key = &name, name
			}
			if c.Flags().Changed("hold") {
				change.Hold = &hold
			}
			if c.Flags().Changed("repeats") {
				change.Repeats = &repeats
			}
			if c.Flags().Changed("pause") {
				change.PauseMS = new(int(pause / time.Millisecond))
			}
			if c.Flags().Changed("transmitter") {
				change.Transmitter = &transmitter
			}
			if change == (wire.KeyChange{}) {
				return usageError{errors.New("say what to change: --name, --hold, --repeats, --pause or --transmitter")}
			}
			from, _ := parseKey(argv[0])
			var d wire.Device
			if err := a.call(c.Context(), http.MethodPatch, keyPath(from), change, &d); err != nil {
				return err
			}
			return a.printKey(d, ref.Key)
		},
	}
	c.Flags().StringVar(&name, "name", "", "its new name")
	c.Flags().IntVar(&repeats, "repeats", 0, "how often the repeating part is sent at a press, for a device that "+
		"misses it; -1 is as its line code says")
	c.Flags().DurationVar(&pause, "pause", 0, "least silence after each code, at most 1s; 0 is as its line code says")
	c.Flags().StringVar(&transmitter, "transmitter", "", "what sends it instead of the device's, STATION/PORT; empty "+
		"is the device's")
	c.Flags().StringVar(&hold, "hold", "", "once: held or not, it is sent once; repeat: it goes on while it is held; "+
		"empty: as its line code says")
	return c
}

func (a *app) devicePicture() *cobra.Command {
	var remove bool
	c := &cobra.Command{
		Use: "picture DEVICE [FILE]", Short: "Give a device a picture: PNG or JPEG, at most 2 MB",
		Args:    args(1, 2, "DEVICE and a FILE, or - for standard input"),
		Example: "  urbo device picture boardwalk lights.png\n  urbo device picture boardwalk --remove",
		RunE: func(c *cobra.Command, argv []string) error {
			path := "/devices/" + url.PathEscape(argv[0]) + "/picture"
			if remove == (len(argv) == 2) {
				return usageError{errors.New("name a FILE, or take the picture away with --remove")}
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			if remove {
				if err := cl.do(c.Context(), http.MethodDelete, path, nil, nil); err != nil {
					return err
				}
				return a.done(map[string]any{"device": argv[0], "picture": false}, "Took the picture of %s away.",
					argv[0])
			}
			data, err := a.readFile(argv[1], maxUpload)
			if err != nil {
				return err
			}
			resp, err := cl.send(c.Context(), http.MethodPost, path, bytes.NewReader(data))
			if err != nil {
				return err
			}
			if err := resp.Body.Close(); err != nil {
				return err
			}
			return a.done(map[string]any{"device": argv[0], "picture": true}, "Gave %s a picture.", argv[0])
		},
	}
	c.Flags().BoolVar(&remove, "remove", false, "take the picture away")
	return c
}

// maxUpload is the most that is read of a picture before the service says how much it takes.
const maxUpload = 64 << 20

// call is one request to the service.
func (a *app) call(ctx context.Context, method, path string, in, out any) error {
	cl, err := a.client()
	if err != nil {
		return err
	}
	return cl.do(ctx, method, path, in, out)
}

// keyPath is where a key is in the API.
func keyPath(k wire.KeyRef) string {
	return "/devices/" + url.PathEscape(k.Device) + "/keys/" + url.PathEscape(k.Key)
}

func (a *app) deviceUndo() *cobra.Command {
	return &cobra.Command{Use: "undo DEVICE/KEY", Short: "Undo the last change of what a key sends",
		Args: args(1, 1, "DEVICE/KEY"), Example: "  urbo device undo boardwalk/power",
		RunE: func(c *cobra.Command, argv []string) error {
			ref, err := parseKey(argv[0])
			if err != nil {
				return err
			}
			var d wire.Device
			if err := a.call(c.Context(), http.MethodPost, keyPath(ref)+"/restore", wire.Restore{}, &d); err != nil {
				return err
			}
			return a.printKey(d, ref.Key)
		}}
}

// printKey says what a key sends now.
func (a *app) printKey(d wire.Device, name string) error {
	if a.output == "json" {
		return a.json(d)
	}
	for _, r := range d.Remarks {
		fmt.Fprintln(a.Out, r)
	}
	for _, k := range d.Keys {
		if k.Name != name {
			continue
		}
		fmt.Fprintf(a.Out, "%s/%s sends %s\n", d.Slug, k.Name, sendsThrough(k))
	}
	return nil
}

// shortName is the flag for the short name of a device or a code set.
func shortName(c *cobra.Command, to *string, about string) {
	c.Flags().SetNormalizeFunc(oldNames)
	c.Flags().StringVar(to, "short-name", "", about)
}

// oldNames lets flags be called as in earlier versions.
func oldNames(_ *pflag.FlagSet, name string) pflag.NormalizedName {
	if name == "slug" {
		name = "short-name"
	}
	return pflag.NormalizedName(name)
}

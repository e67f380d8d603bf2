package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"urbo/core/signal"
	"urbo/wire"
)

func (a *app) deviceSet() *cobra.Command {
	flags := map[string]*string{}
	c := &cobra.Command{
		Use: "set DEVICE", Short: "Change a device: its name, room, kind, maker, model, transmitter or slug", Args: args(1, 1, "DEVICE"),
		Example: "  urbo device set projector --room \"Lecture room\" --transmitter lecture/ir-out",
	}
	for name, about := range map[string]string{"name": "its name", "room": "the room it stands in", "kind": "projector, light, socket …", "maker": "who made it",
		"model": "which model it is", "transmitter": "preferred transmitter, STATION/PORT; empty is the first that fits", "slug": "a new short name; the old one goes on working"} {
		flags[name] = c.Flags().String(name, "", about)
	}
	c.RunE = func(c *cobra.Command, argv []string) error {
		given := func(name string) *string {
			if c.Flags().Changed(name) {
				return flags[name]
			}
			return nil
		}
		change := wire.DeviceChange{Slug: given("slug"), Name: given("name"), Room: given("room"), Kind: given("kind"), Maker: given("maker"),
			Model: given("model"), Transmitter: given("transmitter")}
		if change == (wire.DeviceChange{}) {
			return usageError{errors.New("say what to change: --name, --room, --kind, --maker, --model, --transmitter or --slug")}
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

// call is one request to the service.
func (a *app) call(ctx context.Context, method, path string, in, out any) error {
	cl, err := a.client()
	if err != nil {
		return err
	}
	return cl.do(ctx, method, path, in, out)
}

func (a *app) deviceRemove() *cobra.Command {
	return &cobra.Command{Use: "remove DEVICE", Short: "Remove a device with its keys and codes", Args: args(1, 1, "DEVICE"), RunE: func(c *cobra.Command, argv []string) error {
		return a.call(c.Context(), http.MethodDelete, "/devices/"+url.PathEscape(argv[0]), nil, nil)
	}}
}

// keyPath is where a key is in the API.
func keyPath(k wire.KeyRef) string {
	return "/devices/" + url.PathEscape(k.Device) + "/keys/" + url.PathEscape(k.Key)
}

func (a *app) deviceUndo() *cobra.Command {
	return &cobra.Command{Use: "undo DEVICE/KEY", Short: "Undo the last change of what a key sends", Args: args(1, 1, "DEVICE/KEY"), RunE: func(c *cobra.Command, argv []string) error {
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
	for _, k := range d.Keys {
		if k.Name != name {
			continue
		}
		for _, cd := range k.Codes {
			fmt.Fprintf(a.Out, "%s/%s sends %s\n", d.Slug, k.Name, code(cd))
		}
	}
	return nil
}

func (a *app) deviceCode() *cobra.Command {
	var switches, train string
	var hz, repeats int
	c := &cobra.Command{
		Use: "code DEVICE/KEY [SHEET FIELD=VALUE …]", Short: "Say by hand what a key sends", Args: args(1, -1, "DEVICE/KEY and a line code"),
		Long: `Say by hand what a key sends, instead of learning it.

Numbers are decimal, 0x or 0b. The socket's coding switches can be typed in as they stand: ten positions, up (1) or down
(0), five for the house and five for the unit, and then on or off.`,
		Example: "  urbo device code boardwalk/power nec address=57 command=0x02\n  urbo device code lamp/on --switches \"11010 01000 on\"\n  urbo device code lamp/odd --train \"2000/1000 350/700 350\" --hz 38000",
		RunE: func(c *cobra.Command, argv []string) error {
			ref, err := parseKey(argv[0])
			if err != nil {
				return err
			}
			given := 0
			for _, x := range []bool{len(argv) > 1, switches != "", train != ""} {
				if x {
					given++
				}
			}
			if given != 1 {
				return usageError{errors.New("give one of a line code with its fields, --switches and --train")}
			}
			cd, err := a.handCode(strings.Join(argv[1:], " "), switches, train, hz)
			if err != nil {
				return err
			}
			cd.Repeats = repeats
			var d wire.Device
			if err := a.call(c.Context(), http.MethodPut, keyPath(ref), []wire.Code{cd}, &d); err != nil {
				return err
			}
			return a.printKey(d, ref.Key)
		},
	}
	f := c.Flags()
	f.StringVar(&switches, "switches", "", "positions of a socket's coding switches, then on or off")
	f.StringVar(&train, "train", "", "durations in µs, mark first")
	f.IntVar(&hz, "hz", 0, "of a train: carrier (38000) or channel (433920000)")
	f.IntVar(&repeats, "repeats", 0, "how often the repeating part is sent; 0 is as the line code says")
	return c
}

// handCode makes a code of what was typed.
func (a *app) handCode(text, switches, train string, hz int) (wire.Code, error) {
	switch {
	case switches != "":
		values, err := switchValues(switches)
		if err != nil {
			return wire.Code{}, usageError{err}
		}
		return wire.Code{Sheet: "pt2262", Fields: map[string]any{"values": values}, Unit: 350}, nil
	case train != "":
		parsed, err := signal.ParseText(train)
		if err != nil {
			return wire.Code{}, err
		}
		on := carriedBy(hz)
		cd := wire.Code{Train: parsed.Train, GapUS: parsed.Gap}
		if on.Medium == "radio" {
			cd.FrequencyHz = on.Hz
		} else {
			cd.CarrierHz = on.Hz
		}
		return cd, nil
	}
	sheet, fields, err := a.parseCode(text)
	if err != nil {
		return wire.Code{}, err
	}
	return wire.Code{Sheet: sheet.Name, Fields: wire.Fields(fields)}, nil
}

// switchValues turns the positions of ten coding switches, and on or off, into the twelve values of a PT2262: a switch
// that is up ties its pin to ground (0), one that is down leaves it open (F).
func switchValues(text string) (string, error) {
	words := strings.Fields(strings.ToLower(text))
	if len(words) < 2 {
		return "", errors.New(`--switches: write ten positions and then on or off: "11010 01000 on"`)
	}
	state := words[len(words)-1]
	positions := strings.Join(words[:len(words)-1], "")
	if len(positions) != 10 || strings.Trim(positions, "01") != "" {
		return "", fmt.Errorf("--switches: %q is not ten positions of 1 (up) and 0 (down)", positions)
	}
	ends := map[string]string{"on": "0F", "off": "F0"}[state]
	if ends == "" {
		return "", fmt.Errorf("--switches: %q: end with on or off", state)
	}
	return strings.NewReplacer("1", "0", "0", "F").Replace(positions) + ends, nil
}

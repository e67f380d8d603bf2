// Package scenery is what the demo's house starts with: the Saltmarsh Observatory's devices, code sets and line sheets,
// what its people believe of them, its meters, and the second machine in its dome. All of it is made up.
package scenery

import (
	"bytes"
	"context"
	_ "embed"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/home"
	"urbo/core/line"
	"urbo/core/pack"
	"urbo/core/pairing"
	"urbo/core/signal"
	"urbo/service"
	"urbo/service/library"
	"urbo/service/sequences"
)

// shelf is the made-up code sets of the demo.
//
//go:embed shelf.json
var shelf []byte

// heatPumpSheet is the line code of the heat pump: a sheet of the house's own, as people write them.
//
//go:embed skarrow-s9.yaml
var heatPumpSheet []byte

// BringSheets puts the demo's own line sheets where a house looks for them.
func BringSheets(dir string) error {
	dir = filepath.Join(dir, library.SheetDir)
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return fmt.Errorf("make the directory for line sheets: %w", err)
	}
	file := filepath.Join(dir, "skarrow-s9.yaml")
	if _, err := os.Stat(file); err == nil {
		return nil
	}
	if err := os.WriteFile(file, heatPumpSheet, 0o600); err != nil {
		return fmt.Errorf("bring the heat pump's line sheet: %w", err)
	}
	return nil
}

// heatPump has no keys: every frame of its handset carries all that its display shows.
func heatPump() device.Device {
	least, most := 16.0, 30.0
	values := func(names ...string) (out map[string]int64) {
		out = map[string]int64{}
		for i, n := range names {
			out[n] = int64(i)
		}
		return out
	}
	modes, fans := []string{"auto", "cooling", "drying", "heating"}, []string{"auto", "low", "middle", "high"}
	vanes := []string{"swings", "1", "2", "3", "4", "5"}
	return device.Device{Slug: "heat-pump", Name: "Heat pump", Room: "Warm room", Kind: "other", Maker: "Skarrow",
		Model: "S9",
		Traits: device.Traits{Forms: control.Forms{
			Controls: []control.Control{{Name: "power", Kind: control.Power},
				{Name: "mode", Kind: control.Selector, Values: modes},
				{Name: "target", Kind: control.Dial, Least: &least, Most: &most, Unit: "°C"},
				{Name: "fan", Kind: control.Selector, Values: fans},
				{Name: "vane", Kind: control.Selector, Values: vanes}},
			Whole: &control.Whole{Sheet: "skarrow-s9", Settings: []control.Setting{
				{Control: "power", Field: "power", Values: values("off", "on")},
				{Control: "mode", Field: "mode", Values: values(modes...)},
				{Control: "target", Field: "celsius", From: 16},
				{Control: "fan", Field: "fan", Values: values(fans...)},
				{Control: "vane", Field: "vane", Values: values(vanes...)}}}}},
		Sensors: []device.Sensor{{Control: "target", Measurement: "warm-room/temperature"}}}
}

// Furnish puts the observatory's devices and the code sets into an empty library. With learned, those that the demo
// starts with have their codes; the projector always waits for its lesson, and the mixer for its audition.
func Furnish(ctx context.Context, l *library.Library, learned bool) error {
	if len(l.Lines("")) > 0 {
		return nil
	}
	sets, err := pack.Read(bytes.NewReader(shelf), line.Builtin())
	if err != nil {
		return err
	}
	note := library.Note{By: grant.Named("demo")}
	if _, err := l.Import(ctx, sets, library.Skip, note); err != nil {
		return err
	}
	for _, d := range observatory() {
		for i := range d.Keys {
			if !learned {
				d.Keys[i].Codes, d.Keys[i].Follows = nil, nil
			}
		}
		if _, err := l.Add(ctx, d, note); err != nil {
			return err
		}
	}
	return nil
}

// Arrange makes the observatory's groups, sequences, occasions and boards, lets people in, and says what and where it
// is, where that was not done yet. What comes back is the code of the guest link that it made; "" where it made none.
func Arrange(ctx context.Context, house *service.House) (guests string, err error) {
	by := grant.Named("demo")
	if house.Home.Home() == (home.Home{}) {
		_, err = house.Home.Change(ctx, by, func(h *home.Home) {
			*h = home.Home{Name: "Saltmarsh Observatory", Zone: "Europe/London",
				Place: &home.Place{Latitude: 53.9, Longitude: 0.1}}
		})
		if err != nil {
			return "", err
		}
	}
	if len(house.Groups.List()) > 0 {
		return "", nil
	}
	for _, g := range []struct {
		slug, name string
		members    []string
	}{{"dew", "Dew heaters", []string{"dew-a", "dew-b", "dew-c"}},
		{"lecture", "Lecture room", []string{"projector", "amplifier", "screen"}}} {
		if _, err := house.Groups.Add(ctx, g.slug, g.name, g.members, by); err != nil {
			return "", err
		}
	}
	for _, o := range theOccasions() {
		if _, err := house.Occasions.Add(ctx, "", o.name, o.text, by); err != nil {
			return "", err
		}
	}
	for _, s := range []struct{ slug, name, steps string }{
		{"fanfare", "Fanfare",
			"set (boardwalk/power on, boardwalk/colour red)\nwait 2 s\nset boardwalk/colour to amber\n" +
				"wait 2 s\nset boardwalk/colour to white"},
		{"quiet-please", "Quiet, please", "if amplifier/power is on do set amplifier/volume to 5 for 1 h and back\n" +
			"notify \"a talk is being given\""},
	} {
		if _, err := house.Sequences.Add(ctx, s.slug, s.name, sequences.Text{Steps: s.steps}, by); err != nil {
			return "", err
		}
	}
	if err := arrangeBoards(ctx, house, by); err != nil {
		return "", err
	}
	return letIn(ctx, house, by)
}

// observatory is the devices of the demo, with what their keys send.
func observatory() []device.Device {
	lights := numbered("light", "nec", line.Fields{"address": line.Number(57)}, 2, 3)
	radio := weatherRadio()
	amplifier := numbered("amplifier", "sirc15", line.Fields{"address": line.Number(107)}, 21, 1)
	return []device.Device{
		{Slug: "projector", Name: "Lecture projector", Room: "Lecture room", Kind: "projector", Maker: "Velopt",
			Model:  "VX-40",
			Traits: device.Traits{Power: device.PowerTwoKeys, Inputs: device.InputsCycling, WarmUpMS: 20_000}},
		{Slug: "amplifier", Name: "Lecture amplifier", Room: "Lecture room", Kind: "amplifier", Maker: "Brasswick",
			Model: "A-3", Keys: amplifier,
			Traits: device.Traits{Power: device.PowerToggles, Inputs: device.InputsDirect,
				Forms: control.Forms{Controls: proposed("amplifier", amplifier), Effects: []control.KeyEffects{
					{Key: "power", Effects: []control.Effect{{Control: "mute", Op: control.OpSet,
						While: control.WhileAny}}},
					{Key: "volume-up", Effects: []control.Effect{{Control: "mute", Op: control.OpSet}}},
					{Key: "volume-down", Effects: []control.Effect{{Control: "mute", Op: control.OpSet}}}}}}},
		{Slug: "boardwalk", Name: "Boardwalk lights", Room: "Outside", Kind: "light", Maker: "Corvane", Model: "Strand",
			Keys: lights, Traits: device.Traits{Power: device.PowerToggles,
				Forms: control.Forms{Controls: proposed("light", lights), Effects: steady("red", "amber", "white")}}},
		dewHeater("a", "F01F10F00F"), dewHeater("b", "F01F10F001"), dewHeater("c", "F01F10F010"),
		{Slug: "radio", Name: "Weather radio", Room: "Warm room", Kind: "tuner", Maker: "Quillam", Model: "Mast 2",
			Keys: radio, Traits: device.Traits{Power: device.PowerToggles,
				Forms: control.Forms{Controls: proposed("tuner", radio)}}},
		screen(), heatPump(), shutter(), door(), clicker(),
		{Slug: "mixer", Name: "Air mixer", Room: "Dome", Kind: "fan"},
	}
}

// steady are keys that end breathing.
func steady(keys ...string) (out []control.KeyEffects) {
	for _, k := range keys {
		out = append(out, control.KeyEffects{Key: k,
			Effects: []control.Effect{{Control: "breathe", Op: control.OpSet}}})
	}
	return out
}

// proposed are the controls that the keys of a device suggest.
func proposed(kind string, keys []device.Key) []control.Control {
	d := device.Device{Kind: kind, Keys: keys}
	controls, _ := d.Propose()
	for i := range controls {
		if controls[i].Kind == control.Digits {
			controls[i].Favourites = map[string]int{"marsh radio": 47}
		}
		if controls[i].Kind == control.Power {
			controls[i].MainsFail = "off"
		}
		controls[i].Guessed = nil // it is known here
		if kind == "amplifier" && controls[i].Kind == control.Dial {
			controls[i].Rate = 5 // steps in a second while a key is held
		}
		if kind == "tuner" && controls[i].Kind == control.Dial {
			most := 30.0
			controls[i].Most = &most
		}
	}
	return controls
}

// dewHeater is one of the heaters, by the positions of its coding switches.
func dewHeater(letter, switches string) device.Device {
	sends := func(key, places string) device.Key {
		return device.Key{Name: key, Codes: []device.Code{{Sheet: "pt2262", UnitUS: 340, Source: "demo",
			Fields: line.Fields{"values": line.Text(switches + places)}}}}
	}
	keys := []device.Key{sends("on", "1F"), sends("off", "F1")}
	controls := proposed("socket", keys)
	controls[0].GoesOffS = 4 * 3600 // its own timer does
	return device.Device{Slug: "dew-" + letter, Name: "Dew heater " + strings.ToUpper(letter), Room: "Dome",
		Kind:  "socket",
		Maker: "Pellow", Model: "P3", Keys: keys, Traits: device.Traits{Power: device.PowerTwoKeys,
			Forms: control.Forms{Controls: controls}}}
}

// weatherRadio is the keys of the radio, by its commands.
func weatherRadio() []device.Key {
	commands := map[string]int64{"power": 12, "volume-up": 16, "volume-down": 17, "channel-up": 32, "channel-down": 33}
	for n := range int64(10) {
		commands[fmt.Sprint(n)] = n
	}
	var out []device.Key
	for _, name := range device.UsualKeys("tuner") {
		out = append(out, device.Key{Name: name, Codes: []device.Code{{Sheet: "rc5", Source: "demo",
			Fields: line.Fields{"address": line.Number(17), "command": line.Number(commands[name])}}}})
	}
	return out
}

// screen is the projection screen: 18 s for the full way.
func screen() device.Device {
	d := device.Device{Slug: "screen", Name: "Projection screen", Room: "Lecture room", Kind: "screen", Maker: "Wyndle",
		Model: "18"}
	for i, name := range []string{"up", "down", "stop"} {
		d.Keys = append(d.Keys, device.Key{Name: name, Codes: []device.Code{{Sheet: "ev1527", Source: "demo",
			Fields: line.Fields{"id": line.Number(0x4D2B7), "key": line.Number(1 << i)}}}})
	}
	d.Controls = proposed("screen", d.Keys)
	d.Controls[0].OpenMS = 18_000
	return d
}

// shutter is the dome's shutter, as its handset is known: its codes roll, so they are followed and cannot be sent. It
// waits to be paired with a handset of Urbo's own.
func shutter() device.Device {
	d := device.Device{Slug: "shutter", Name: "Dome shutter", Room: "Dome", Kind: "shutter", Maker: "Ostrel",
		Model: "DM-2"}
	for _, k := range []pairing.Key{{Name: "up", Value: 2}, {Name: "down", Value: 4}, {Name: "stop", Value: 1},
		{Name: "pair", Value: 8}} {
		d.Keys = append(d.Keys, device.Key{Name: k.Name, Follows: []device.Code{{Sheet: "roll56", Source: "demo",
			Fields: line.Fields{"handset": line.Number(0x2E4F81), "button": line.Number(k.Value)}}}})
	}
	d.Controls = proposed("shutter", d.Keys)
	d.Controls[0].OpenMS = 42_000
	return d
}

// door is the contact of the dome's door, which only sends: what it sends is followed.
func door() device.Device {
	d := device.Device{Slug: "door", Name: "Dome door contact", Room: "Dome", Kind: "contact", Maker: "Pellow",
		Model: "C1", Traits: device.Traits{Forms: control.Forms{Controls: []control.Control{{Name: "door",
			Kind: control.Selector, Values: []string{"closed", "opened"},
			Keys: map[string]string{"closed": "closed", "opened": "opened"}}}}}}
	for i, name := range []string{"opened", "closed"} {
		d.Keys = append(d.Keys, device.Key{Name: name, Follows: []device.Code{{Sheet: "ev1527", Source: "demo",
			Fields: line.Fields{"id": line.Number(0x1C3A9), "key": line.Number(1 + int64(i))}}}})
	}
	return d
}

// clicker is an old handset without a device: spare keys, of a signal that no line code is known for.
func clicker() device.Device {
	d := device.Device{Slug: "clicker", Name: "Old handset", Room: "Warm room", Kind: "other"}
	for i, name := range []string{"a", "b", "c", "d"} {
		train := signal.Train{2960, 1480}
		for bit := 17; bit >= 0; bit-- {
			mark := 370
			if (0b10_1100_1001_1000_0001|1<<i<<2)>>bit&1 == 1 {
				mark = 1110
			}
			train = append(train, mark, 740)
		}
		d.Keys = append(d.Keys, device.Key{Name: name, Codes: []device.Code{{Train: append(train, 370), GapUS: 31_000,
			Channel: device.Channel{Medium: line.Infrared, Hz: device.UsualCarrier}, Repeats: device.Repeated(2),
			Source: "demo"}}})
	}
	return d
}

// numbered are the usual keys of a kind, whose commands count from first in steps.
func numbered(kind, sheet string, shared line.Fields, first, step int64) []device.Key {
	var out []device.Key
	for i, name := range device.UsualKeys(kind) {
		c := device.Code{Sheet: sheet, Source: "demo"}.Turn(shared)
		c.Fields["command"] = line.Number(first + step*int64(i))
		out = append(out, device.Key{Name: name, Codes: []device.Code{c}})
	}
	return out
}

package cli

import (
	"bytes"
	"context"
	_ "embed"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/pack"
	"urbo/service/library"
)

// shelf is the made-up code sets of the demo.
//
//go:embed shelf.json
var shelf []byte

// furnish puts the observatory's devices and the code sets into an empty library. With learned, those that the demo
// starts with have their codes; the projector always waits for its lesson, and the mixer for its audition.
func furnish(ctx context.Context, l *library.Library, learned bool) error {
	if len(l.Lines("")) > 0 {
		return nil
	}
	sets, err := pack.Read(bytes.NewReader(shelf), line.Builtin())
	if err != nil {
		return err
	}
	note := library.Note{By: "demo"}
	if _, err := l.Import(ctx, sets, library.Skip, note); err != nil {
		return err
	}
	for _, d := range observatory() {
		for i := range d.Keys {
			if !learned {
				d.Keys[i].Codes = nil
			}
		}
		if _, err := l.Add(ctx, d, note); err != nil {
			return err
		}
	}
	return nil
}

// observatory is the devices of the demo, with what their keys send.
func observatory() []device.Device {
	lights := numbered("light", "nec", line.Fields{"address": line.Number(57)}, 2, 3)
	amplifier := numbered("amplifier", "sirc15", line.Fields{"address": line.Number(107)}, 21, 1)
	dew := []device.Key{
		{Name: "on", Codes: []device.Code{{Sheet: "pt2262", Fields: line.Fields{"values": line.Text("F01F10F00F1F")},
			UnitUS: 340, Source: "demo"}}},
		{Name: "off", Codes: []device.Code{{Sheet: "pt2262", Fields: line.Fields{"values": line.Text("F01F10F00FF1")},
			UnitUS: 340, Source: "demo"}}},
	}
	return []device.Device{
		{Slug: "projector", Name: "Lecture projector", Room: "Lecture room", Kind: "projector", Maker: "Velopt",
			Model:  "VX-40",
			Traits: device.Traits{Power: device.PowerTwoKeys, Inputs: device.InputsCycling, WarmUpMS: 20_000}},
		{Slug: "amplifier", Name: "Lecture amplifier", Room: "Lecture room", Kind: "amplifier", Maker: "Brasswick",
			Model:  "A-3",
			Traits: device.Traits{Power: device.PowerToggles, Inputs: device.InputsDirect}, Keys: amplifier},
		{Slug: "boardwalk", Name: "Boardwalk lights", Room: "Outside", Kind: "light", Maker: "Corvane", Model: "Strand",
			Traits: device.Traits{Power: device.PowerToggles}, Keys: lights},
		{Slug: "dew-a", Name: "Dew heater A", Room: "Dome", Kind: "socket", Maker: "Pellow", Model: "P3",
			Traits: device.Traits{Power: device.PowerTwoKeys}, Keys: dew},
		{Slug: "mixer", Name: "Air mixer", Room: "Dome", Kind: "fan"},
	}
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

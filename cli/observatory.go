package cli

import (
	"bytes"
	"context"
	_ "embed"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/pack"
	"urbo/service/library"
	"urbo/wire"
)

// shelf is the made-up code sets of the demo.
//
//go:embed shelf.json
var shelf []byte

// furnish puts the observatory's devices and the code sets into an empty library. With learned, those that the demo
// starts with have their codes; the projector always waits for its lesson, and the mixer for its audition.
func furnish(ctx context.Context, l *library.Library, learned bool) error {
	if len(l.Devices("")) > 0 {
		return nil
	}
	sets, err := pack.Read(bytes.NewReader(shelf), line.Builtin())
	if err != nil {
		return err
	}
	if _, err := l.Import(ctx, sets, library.Skip); err != nil {
		return err
	}
	lights := map[string]wire.Code{}
	for i, key := range library.UsualKeys("light") {
		lights[key] = wire.Code{Sheet: "nec", Fields: map[string]any{"address": 57, "command": 2 + 3*i}}
	}
	amplifier := map[string]wire.Code{}
	for i, key := range library.UsualKeys("amplifier") {
		amplifier[key] = wire.Code{Sheet: "sirc15", Fields: map[string]any{"address": 107, "command": 21 + i}}
	}
	dew := map[string]wire.Code{
		"on":  {Sheet: "pt2262", Fields: map[string]any{"values": "F01F10F00F1F"}, Unit: 340},
		"off": {Sheet: "pt2262", Fields: map[string]any{"values": "F01F10F00FF1"}, Unit: 340},
	}
	warmUp, twoKeys, toggle, cycling, direct := 20_000, device.TwoKeys, device.Toggles, device.Cycling, device.Direct
	traits := map[string]wire.DeviceChange{
		"projector": {Power: &twoKeys, Inputs: &cycling, WarmUpMS: &warmUp},
		"amplifier": {Power: &toggle, Inputs: &direct},
		"boardwalk": {Power: &toggle},
		"dew-a":     {Power: &twoKeys},
	}
	for _, d := range []struct {
		wire.NewDevice
		codes map[string]wire.Code
	}{
		{wire.NewDevice{Slug: "projector", Name: "Lecture projector", Room: "Lecture room", Kind: "projector", Maker: "Velopt", Model: "VX-40"}, nil},
		{wire.NewDevice{Slug: "amplifier", Name: "Lecture amplifier", Room: "Lecture room", Kind: "amplifier", Maker: "Brasswick", Model: "A-3"}, amplifier},
		{wire.NewDevice{Slug: "boardwalk", Name: "Boardwalk lights", Room: "Outside", Kind: "light", Maker: "Corvane", Model: "Strand"}, lights},
		{wire.NewDevice{Slug: "dew-a", Name: "Dew heater A", Room: "Dome", Kind: "socket", Maker: "Pellow", Model: "P3"}, dew},
		{wire.NewDevice{Slug: "mixer", Name: "Air mixer", Room: "Dome", Kind: "fan"}, nil},
	} {
		if _, err := l.Add(ctx, d.NewDevice); err != nil {
			return err
		}
		if _, err := l.Update(ctx, d.Slug, traits[d.Slug]); err != nil {
			return err
		}
		if !learned {
			continue
		}
		for key, c := range d.codes {
			c.Source = "demo"
			if _, err := l.SetCodes(ctx, wire.KeyRef{Device: d.Slug, Key: key}, []wire.Code{c}); err != nil {
				return err
			}
		}
	}
	return nil
}

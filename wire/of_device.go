package wire

import (
	"cmp"
	"fmt"
	"time"

	"urbo/core/device"
	"urbo/core/line"
)

// Fields translates the fields of a line code.
func Fields(in line.Fields) map[string]any {
	if in == nil {
		return nil
	}
	out := make(map[string]any, len(in))
	for name, v := range in {
		if n, ok := v.Int(); ok {
			out[name] = n
		} else {
			out[name] = v.String()
		}
	}
	return out
}

// CoreFields reads fields as JSON brings them: whole numbers or texts.
func CoreFields(in map[string]any) (line.Fields, error) {
	out := line.Fields{}
	for name, v := range in {
		switch v := v.(type) {
		case string:
			out[name] = line.Text(v)
		case float64:
			if v != float64(int64(v)) {
				return nil, fmt.Errorf("%w: field %s is %g: write a whole number", line.ErrFields, name, v)
			}
			out[name] = line.Number(int64(v))
		case int64:
			out[name] = line.Number(v)
		case int:
			out[name] = line.Number(int64(v))
		default:
			return nil, fmt.Errorf("%w: field %s: write a whole number or a text", line.ErrFields, name)
		}
	}
	return out, nil
}

// CodeOf translates a code.
func CodeOf(c device.Code) Code {
	return Code{Sheet: c.Sheet, Inline: c.Inline, Fields: Fields(c.Fields), Unit: c.UnitUS, Train: c.Train,
		GapUS:     c.GapUS,
		CarrierHz: c.Channel.CarrierHz(), FrequencyHz: c.Channel.FrequencyHz(), Repeats: c.Repeats, Source: c.Source,
		Takes: c.Takes, Agreed: c.Agreed}
}

// CodesOf translates several codes.
func CodesOf(in []device.Code) []Code {
	out := make([]Code, len(in))
	for i, c := range in {
		out[i] = CodeOf(c)
	}
	return out
}

// Core is the code as the house speaks of it. Errors wrap device.ErrCode or line.ErrFields.
func (c Code) Core() (device.Code, error) {
	on, err := device.ChannelOf(c.CarrierHz, c.FrequencyHz)
	if err != nil {
		return device.Code{}, err
	}
	out := device.Code{Sheet: c.Sheet, Inline: c.Inline, UnitUS: c.Unit, Train: c.Train, GapUS: c.GapUS, Channel: on,
		Repeats: c.Repeats, Source: c.Source}
	if len(c.Fields) > 0 {
		out.Fields, err = CoreFields(c.Fields)
	}
	return out, err
}

// DeviceOf translates a device. place tells what a transmitter is called now.
func DeviceOf(d device.Device, place func(device.Place) string) Device {
	out := Device{Slug: d.Slug, Name: d.Name, Room: d.Room, Kind: d.Kind, Maker: d.Maker, Model: d.Model,
		Transmitter: place(d.Transmitter), Verify: d.Verify, Sensors: d.Sensors, Traits: d.Traits,
		Picture: d.Picture, Keys: make([]Key, len(d.Keys))}
	for _, p := range d.Also {
		out.Also = append(out.Also, place(p))
	}
	for i, k := range d.Keys {
		out.Keys[i] = Key{Name: k.Name, Hold: string(k.Hold), Version: k.Version, Changed: given(k.Changed),
			Codes: CodesOf(k.Codes), Transmitter: place(k.Transmitter)}
		if k.Followed() {
			out.Keys[i].Heard = CodesOf(k.Follows)
		}
	}
	return out
}

// SetOf translates a code set.
func SetOf(d device.Device) CodeSet {
	out := CodeSet{Slug: d.Slug, Name: d.Name, Kind: d.Kind, Maker: d.Maker, Model: d.Model,
		Keys: make([]SetKey, len(d.Keys))}
	if d.Whole != nil {
		out.Frames = d.Whole.Sheet
	}
	for i, k := range d.Keys {
		out.Keys[i] = SetKey{Set: d.Slug, Name: d.Name, Key: k.Name, Codes: CodesOf(k.Codes)}
	}
	return out
}

// Core is the device that is asked for.
func (n NewDevice) Core() (device.Device, error) {
	d := device.Device{Slug: n.Slug, Name: n.Name, Room: n.Room, Kind: kind(n.Kind), Maker: n.Maker,
		Model: n.Model}
	for _, key := range n.Keys {
		if _, err := d.Add(key); err != nil {
			return d, err
		}
	}
	return d, nil
}

// kind is the kind of device that is meant, in whatever spelling: Set top box.
func kind(written string) string { return cmp.Or(device.Slug(written), written) }

// Apply changes what is given of a device, but for its transmitters, whose names the house knows.
func (c DeviceChange) Apply(d *device.Device) {
	set(&d.Slug, c.Slug)
	set(&d.Name, c.Name)
	set(&d.Room, c.Room)
	if c.Kind != nil {
		d.Kind = kind(*c.Kind)
	}
	set(&d.Maker, c.Maker)
	set(&d.Model, c.Model)
	set(&d.Verify, c.Verify)
	set(&d.Plate, c.Plate)
	set(&d.PlateHz, c.PlateHz)
	set(&d.Notes, c.Notes)
	set(&d.Power, c.Power)
	set(&d.Inputs, c.Inputs)
	set(&d.WarmUpMS, c.WarmUpMS)
	set(&d.GapMS, c.GapMS)
	set(&d.Face, c.Face)
}

// Apply changes what is given of a key.
func (c KeyChange) Apply(d *device.Device, key string) error {
	k, err := d.Key(key)
	if err != nil {
		return err
	}
	if c.Hold != nil {
		k.Hold = device.Hold(*c.Hold)
	}
	if c.Repeats != nil {
		if err := k.Repeat(*c.Repeats); err != nil {
			return err
		}
	}
	if c.PauseMS != nil {
		if err := k.Pause(time.Duration(*c.PauseMS) * time.Millisecond); err != nil {
			return err
		}
	}
	if c.Name != nil {
		return d.Rename(key, *c.Name)
	}
	return nil
}

func set[T any](to *T, from *T) {
	if from != nil {
		*to = *from
	}
}

// Ref is the key as the house speaks of it.
func (k KeyRef) Ref() device.Ref { return device.Ref{Device: k.Device, Key: k.Key} }

// given is nil for the zero time.
func given(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

package device

import (
	"encoding/json"
	"slices"

	"urbo/core/line"
	"urbo/core/signal"
)

// Devices, keys and codes as JSON documents, as packs hold them. Members that this version does not know are kept.

// Extra is what a document has that this version does not know, by name.
type Extra map[string]json.RawMessage

// CodeDocument is a code as documents write it.
type CodeDocument struct {
	Sheet       string       `json:"sheet,omitempty"`
	Inline      string       `json:"inline,omitempty"`
	Fields      line.Fields  `json:"fields,omitempty"`
	UnitUS      float64      `json:"unit_us,omitempty"`
	Train       signal.Train `json:"train,omitempty"`
	GapUS       int          `json:"gap_us,omitempty"`
	CarrierHz   int          `json:"carrier_hz,omitempty"`
	FrequencyHz int          `json:"frequency_hz,omitempty"`
	Repeats     *int         `json:"repeats,omitempty"`
}

// MarshalJSON writes a code with what was kept.
func (c Code) MarshalJSON() ([]byte, error) {
	doc := CodeDocument{c.Sheet, c.Inline, c.Fields, c.UnitUS, c.Train, c.GapUS, c.Channel.CarrierHz(),
		c.Channel.FrequencyHz(), c.Repeats}
	if c.Inline != "" { // it follows from the sheet and its fields
		doc.Train = nil
	}
	return WriteExtra(doc, c.Extra)
}

// UnmarshalJSON reads a code, and keeps what it does not know.
func (c *Code) UnmarshalJSON(data []byte) error {
	var doc CodeDocument
	var extra Extra
	if err := ReadExtra(data, &doc, &extra, "sheet", "inline", "fields", "unit_us", "train", "gap_us", "carrier_hz",
		"frequency_hz", "repeats"); err != nil {
		return err
	}
	on, err := ChannelOf(doc.CarrierHz, doc.FrequencyHz)
	*c = Code{Sheet: doc.Sheet, Inline: doc.Inline, Fields: doc.Fields, UnitUS: doc.UnitUS, Train: doc.Train,
		GapUS: doc.GapUS, Channel: on, Repeats: doc.Repeats, Extra: extra}
	return err
}

// MarshalJSON writes a key with what was kept.
func (k Key) MarshalJSON() ([]byte, error) {
	type plain Key
	return WriteExtra(plain(k), k.Extra)
}

// UnmarshalJSON reads a key, and keeps what it does not know.
func (k *Key) UnmarshalJSON(data []byte) error {
	type plain Key
	return ReadExtra(data, (*plain)(k), &k.Extra, "name", "hold", "codes", "heard")
}

// MarshalJSON writes a device with what was kept.
func (d Device) MarshalJSON() ([]byte, error) {
	type plain Device
	return WriteExtra(plain(d), d.Extra)
}

// UnmarshalJSON reads a device, and keeps what it does not know.
func (d *Device) UnmarshalJSON(data []byte) error {
	type plain Device
	return ReadExtra(data, (*plain)(d), &d.Extra, "slug", "name", "room", "kind", "maker", "model", "keys",
		"plate", "plate_hz", "notes", "power", "inputs", "warm_up_ms", "gap_ms", "face", "controls", "effects", "whole")
}

// ReadExtra fills known, and puts all members but the named ones into extra.
func ReadExtra(data []byte, known any, extra *Extra, names ...string) error {
	if err := json.Unmarshal(data, known); err != nil {
		return err
	}
	var all Extra
	if err := json.Unmarshal(data, &all); err != nil {
		return err
	}
	for _, name := range names {
		delete(all, name)
	}
	*extra = nil
	if len(all) > 0 {
		*extra = all
	}
	return nil
}

// WriteExtra writes known with extra behind its members.
func WriteExtra(known any, extra Extra) ([]byte, error) {
	data, err := json.Marshal(known)
	if err != nil || len(extra) == 0 {
		return data, err
	}
	more, err := json.Marshal(extra)
	if err != nil {
		return nil, err
	}
	if string(data) == "{}" {
		return more, nil
	}
	return slices.Concat(data[:len(data)-1], []byte(","), more[1:]), nil
}

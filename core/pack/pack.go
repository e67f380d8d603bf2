// Package pack is the exchange format of devices: JSON with a version, described by docs/pack.schema.json. What a newer
// minor version adds is kept and written again, though it is not understood.
package pack

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/signal"
)

// Format and Version are written into every pack. A reader understands all packs of its major version.
const (
	Format  = "urbo pack"
	Version = "1.1"
	major   = 1
)

// Bounds of a pack.
const (
	MaxSize    = 64 << 20 // bytes
	MaxDevices = 5000     // and as many code sets
	MaxKeys    = 200      // of a device
	MaxCodes   = 8        // of a key
)

// ErrPack is wrapped by every error about a pack; the text names the place in it.
var ErrPack = errors.New("pack")

// Pack is some devices, or code sets, with what their keys send.
type Pack struct {
	Format  string   `json:"format"`
	Version string   `json:"version"`
	Devices []Device `json:"devices"`
	Sets    []Device `json:"sets,omitempty"` // code sets, of no room; since 1.1
	Extra   Extra    `json:"-"`
}

// Device is one device, or the code set of a type of device.
type Device struct {
	Slug          string `json:"slug"`
	Name          string `json:"name"`
	Room          string `json:"room,omitempty"`
	Kind          string `json:"kind,omitempty"`
	Maker         string `json:"maker,omitempty"`
	Model         string `json:"model,omitempty"`
	device.Traits        // since 1.1
	Keys          []Key  `json:"keys"`
	Extra         Extra  `json:"-"`
}

// Key is one key; without codes it waits to be learned.
type Key struct {
	Name  string `json:"name"`
	Hold  string `json:"hold,omitempty"` // once or repeat; since 1.1
	Codes []Code `json:"codes"`
	Extra Extra  `json:"-"`
}

// Code is what a key sends: a line code with fields, a sheet of its own with fields, or a train.
type Code struct {
	Sheet       string       `json:"sheet,omitempty"`
	Inline      string       `json:"inline,omitempty"`
	Fields      line.Fields  `json:"fields,omitempty"`
	UnitUS      float64      `json:"unit_us,omitempty"`
	Train       signal.Train `json:"train,omitempty"`
	GapUS       int          `json:"gap_us,omitempty"`
	CarrierHz   int          `json:"carrier_hz,omitempty"`
	FrequencyHz int          `json:"frequency_hz,omitempty"`
	Repeats     int          `json:"repeats,omitempty"`
	Extra       Extra        `json:"-"`
}

// Extra is what a newer minor version has, by name.
type Extra map[string]json.RawMessage

// UnmarshalJSON reads a pack, and keeps what it does not know.
func (p *Pack) UnmarshalJSON(data []byte) error {
	type plain Pack
	return read(data, (*plain)(p), &p.Extra, "format", "version", "devices", "sets")
}

// UnmarshalJSON reads a device, and keeps what it does not know.
func (d *Device) UnmarshalJSON(data []byte) error {
	type plain Device
	return read(data, (*plain)(d), &d.Extra, "slug", "name", "room", "kind", "maker", "model", "keys",
		"plate", "plate_hz", "notes", "power", "inputs", "warm_up_ms", "gap_ms", "face")
}

// UnmarshalJSON reads a key, and keeps what it does not know.
func (k *Key) UnmarshalJSON(data []byte) error {
	type plain Key
	return read(data, (*plain)(k), &k.Extra, "name", "hold", "codes")
}

// UnmarshalJSON reads a code, and keeps what it does not know.
func (c *Code) UnmarshalJSON(data []byte) error {
	type plain Code
	return read(data, (*plain)(c), &c.Extra, "sheet", "inline", "fields", "unit_us", "train", "gap_us", "carrier_hz", "frequency_hz", "repeats")
}

// MarshalJSON writes a pack with what was kept.
func (p Pack) MarshalJSON() ([]byte, error) {
	type plain Pack
	return write(plain(p), p.Extra)
}

// MarshalJSON writes a device with what was kept.
func (d Device) MarshalJSON() ([]byte, error) {
	type plain Device
	return write(plain(d), d.Extra)
}

// MarshalJSON writes a key with what was kept.
func (k Key) MarshalJSON() ([]byte, error) {
	type plain Key
	return write(plain(k), k.Extra)
}

// MarshalJSON writes a code with what was kept.
func (c Code) MarshalJSON() ([]byte, error) {
	type plain Code
	return write(plain(c), c.Extra)
}

// read fills known, and puts all other members into extra.
func read(data []byte, known any, extra *Extra, names ...string) error {
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

// write puts extra behind the members of known.
func write(known any, extra Extra) ([]byte, error) {
	data, err := json.Marshal(known)
	if err != nil || len(extra) == 0 {
		return data, err
	}
	more, err := json.Marshal(extra)
	if err != nil {
		return nil, err
	}
	return slices.Concat(data[:len(data)-1], []byte(","), more[1:]), nil
}

// Read reads and checks a pack: its line codes must be in the book. Errors wrap ErrPack and name the place.
func Read(r io.Reader, book *line.Book) (Pack, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxSize+1))
	if err != nil {
		return Pack{}, fmt.Errorf("%w: %w", ErrPack, err)
	}
	if len(data) > MaxSize {
		return Pack{}, fmt.Errorf("%w: more than %d bytes", ErrPack, MaxSize)
	}
	var p Pack
	if err := json.Unmarshal(data, &p); err != nil {
		var syntax *json.SyntaxError
		var kind *json.UnmarshalTypeError
		switch {
		case errors.As(err, &syntax):
			return Pack{}, fmt.Errorf("%w: byte %d: %w", ErrPack, syntax.Offset, err)
		case errors.As(err, &kind):
			return Pack{}, fmt.Errorf("%w: %s is a %s, and should be a %s", ErrPack, kind.Field, kind.Value, kind.Type)
		}
		return Pack{}, fmt.Errorf("%w: %w", ErrPack, err)
	}
	return p, p.Check(book)
}

var slugRule = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// Check says what is wrong with a pack, nil where nothing is.
func (p Pack) Check(book *line.Book) error {
	if p.Format != Format {
		return fmt.Errorf("%w: format is %.40q, and should be %q: is this a pack at all?", ErrPack, p.Format, Format)
	}
	first, _, _ := strings.Cut(p.Version, ".")
	if n, err := strconv.Atoi(first); err != nil || n != major {
		return fmt.Errorf("%w: version %.20q: this Urbo reads version %d.x", ErrPack, p.Version, major)
	}
	if n := max(len(p.Devices), len(p.Sets)); n == 0 || n > MaxDevices {
		return fmt.Errorf("%w: %d devices and %d code sets: 1 to %d can be read", ErrPack, len(p.Devices), len(p.Sets), MaxDevices)
	}
	if err := check("devices", p.Devices, book); err != nil {
		return err
	}
	return check("sets", p.Sets, book)
}

// check says what is wrong with some devices or code sets.
func check(where string, devices []Device, book *line.Book) error {
	seen := map[string]bool{}
	for i, d := range devices {
		place := fmt.Sprintf("%s[%d]", where, i)
		if len(d.Slug) > 40 || !slugRule.MatchString(d.Slug) {
			return fmt.Errorf("%w: %s: slug %.60q: use a-z, 0-9 and single -, at most 40", ErrPack, place, d.Slug)
		}
		if seen[d.Slug] {
			return fmt.Errorf("%w: %s: slug %q is there twice", ErrPack, place, d.Slug)
		}
		seen[d.Slug] = true
		if err := d.check(book); err != nil {
			return fmt.Errorf("%w: %s (%s)%w", ErrPack, place, d.Slug, err)
		}
	}
	return nil
}

func (d Device) check(book *line.Book) error {
	if strings.TrimSpace(d.Name) == "" {
		return errors.New(": it has no name")
	}
	if err := d.Traits.Check(); err != nil {
		return fmt.Errorf(": %w", err)
	}
	if len(d.Keys) > MaxKeys {
		return fmt.Errorf(": %d keys, the most is %d", len(d.Keys), MaxKeys)
	}
	seen := map[string]bool{}
	for i, k := range d.Keys {
		place := fmt.Sprintf(".keys[%d]", i)
		switch {
		case len(k.Name) > 40 || !slugRule.MatchString(k.Name):
			return fmt.Errorf("%s: name %.60q: use a-z, 0-9 and single -, at most 40", place, k.Name)
		case seen[k.Name]:
			return fmt.Errorf("%s: key %q is there twice", place, k.Name)
		case !slices.Contains([]string{"", "once", "repeat"}, k.Hold):
			return fmt.Errorf("%s: hold %.20q: once or repeat", place, k.Hold)
		case len(k.Codes) > MaxCodes:
			return fmt.Errorf("%s: %d codes, the most is %d", place, len(k.Codes), MaxCodes)
		}
		seen[k.Name] = true
		for j, c := range k.Codes {
			if err := c.check(book); err != nil {
				return fmt.Errorf("%s.codes[%d]: %w", place, j, err)
			}
		}
	}
	return nil
}

func (c Code) check(book *line.Book) error {
	_, err := c.Burst(book)
	return err
}

// Burst is what is played for the code. Errors wrap line.ErrFields, line.ErrSheet or signal.ErrMalformed.
func (c Code) Burst(book *line.Book) (line.Burst, error) {
	if c.Sheet == "" && c.Inline == "" {
		wave := append(slices.Clone([]int(c.Train)), max(c.GapUS, signal.UnknownGap))
		return line.Burst{Repeat: wave, Repeats: max(c.Repeats, 1)}, c.Train.CheckKey()
	}
	sheet, err := book.Sheet(c.Sheet)
	if c.Inline != "" {
		sheet, err = line.ParseSheet("inline", []byte(c.Inline))
	}
	if err != nil {
		return line.Burst{}, err
	}
	b, err := sheet.EncodeUnit(c.Fields, c.UnitUS)
	if c.Repeats > 0 {
		b.Repeats = c.Repeats
	}
	return b, err
}

// Airtime is how long one press of the code lasts, in µs. Errors are those of Burst.
func (c Code) Airtime(book *line.Book) (int, error) {
	b, err := c.Burst(book)
	us := 0
	for _, d := range b.Durations() {
		us += d
	}
	return us, err
}

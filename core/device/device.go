// Package device is the model that everything else speaks: a device, its keys, and the codes that they send; names and
// their rules; the kinds of devices; and the roles of keys.
package device

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/fault"
	"urbo/core/line"
)

// ErrTaken is wrapped where a name or key is there already.
var ErrTaken = fault.New(fault.Conflict, "name is taken")

// ErrUnknownKey is wrapped where a device has no key of a name; the text names the nearest.
var ErrUnknownKey = fault.New(fault.NotFound, "unknown key")

// MaxKeys is the most keys of a device.
const MaxKeys = 200

// MaxAlso is the most transmitters of a device beside the preferred one.
const MaxAlso = 8

// Device is one device of the library, or a code set: the codes of a type of device, which stands in no room.
type Device struct {
	ID          string   `json:"-"` // opaque; "" for a code set
	Slug        string   `json:"slug"`
	Name        string   `json:"name"`
	RoomID      string   `json:"-"`              // "" where it stands in none
	Room        string   `json:"room,omitempty"` // its name now
	Kind        string   `json:"kind,omitempty"`
	Maker       string   `json:"maker,omitempty"`
	Model       string   `json:"model,omitempty"`
	Transmitter Place    `json:"-"` // preferred one; none is the first that fits
	Also        []Place  `json:"-"` // transmitters that send as well, for one that no single one reaches
	Sensors     []Sensor `json:"-"` // what measures its controls
	Verify      bool     `json:"-"` // receivers have to hear its presses; a setting key that none heard is sent once more
	Traits
	Picture string `json:"-"` // tag of its picture, which changes with it; "" where there is none
	Keys    []Key  `json:"keys"`
	Extra   Extra  `json:"-"`
	// Unread are parts that this version cannot read, as they are kept. They stay as they are, and cannot be changed.
	Unread map[Part]string `json:"-"`
}

// Part is a part of a device that is kept as a document.
type Part string

// The parts.
const (
	PartTraits  Part = "traits"
	PartSending Part = "sending"
	PartExtra   Part = "extra"
)

// Hold says what holding a key does.
type Hold string

// The ways to hold a key. Unsaid is the zero value: as its line code says.
const (
	HoldOnce   Hold = "once"   // it is sent once all the same
	HoldRepeat Hold = "repeat" // it is sent again and again
)

// Key is one command of a device. Without codes it waits to be learned.
type Key struct {
	ID    string `json:"-"`
	Name  string `json:"name"`
	Hold  Hold   `json:"hold,omitempty"`
	Codes []Code `json:"codes"` // in force, in the order they are sent
	// Transmitter sends it instead of the device's; none is the device's.
	Transmitter Place `json:"-"`
	// Follows are codes of other handsets, such as rolling ones: heard, they are presses of this key, and they are
	// never sent.
	Follows []Code    `json:"heard,omitempty"`
	Version int       `json:"-"` // of the codes in force; 0 while it is not learned
	Changed time.Time `json:"-"`
	Extra   Extra     `json:"-"`
}

// Learned says whether the key has codes.
func (k Key) Learned() bool { return len(k.Codes) > 0 }

// Followed says whether handsets are followed that it has no code of.
func (k Key) Followed() bool { return len(k.Follows) > 0 }

// Repeat says how often the repeating part of each of its codes is sent at a press; below 0 it is as their line codes
// say. The error wraps ErrCode.
func (k *Key) Repeat(times int) error {
	return k.each(func(c *Code) {
		if c.Repeats = &times; times < 0 {
			c.Repeats = nil
		}
	})
}

// Pause says how long it is silent at least after each of its codes; 0 is as their line codes say. The error wraps
// ErrCode.
func (k *Key) Pause(length time.Duration) error {
	return k.each(func(c *Code) { c.GapUS = int(length / time.Microsecond) })
}

func (k *Key) each(f func(*Code)) error {
	if !k.Learned() {
		return fmt.Errorf("%w: %s has no code yet: learn it first", ErrCode, k.Name)
	}
	for i := range k.Codes {
		f(&k.Codes[i])
	}
	return nil
}

// Media are what its codes are sent in.
func (d Device) Media(book *line.Book) []line.Medium {
	var all []Code
	for _, k := range d.Keys {
		all = append(all, k.Codes...)
	}
	if d.Whole != nil {
		all = append(all, Code{Sheet: d.Whole.Sheet})
	}
	return mediaOf(book, all)
}

// Media are what its codes are sent in.
func (k Key) Media(book *line.Book) []line.Medium { return mediaOf(book, k.Codes) }

func mediaOf(book *line.Book, all []Code) (out []line.Medium) {
	for _, c := range all {
		if on, err := c.On(book); err == nil && !slices.Contains(out, on.Medium) {
			out = append(out, on.Medium)
		}
	}
	return out
}

// Ref names a key of a device by their slugs.
type Ref struct {
	Device string
	Key    string
}

// String is DEVICE/KEY.
func (r Ref) String() string { return r.Device + "/" + r.Key }

// Clone is a copy that shares nothing that can be changed.
func (d Device) Clone() Device {
	d.Keys = slices.Clone(d.Keys)
	for i := range d.Keys {
		d.Keys[i].Codes, d.Keys[i].Follows = slices.Clone(d.Keys[i].Codes), slices.Clone(d.Keys[i].Follows)
	}
	d.Face, d.Also = slices.Clone(d.Face), slices.Clone(d.Also)
	d.Controls, d.Effects = slices.Clone(d.Controls), slices.Clone(d.Effects)
	d.Sensors = slices.Clone(d.Sensors)
	return d
}

// Key finds a key by its name. The error wraps ErrUnknownKey.
func (d *Device) Key(name string) (*Key, error) {
	if i := d.index(name); i >= 0 {
		return &d.Keys[i], nil
	}
	if len(d.Keys) == 0 {
		return nil, fmt.Errorf("%w %.60q: %s has no keys yet: start a lesson (urbo learn %s)", ErrUnknownKey, name,
			d.Slug, d.Slug)
	}
	return nil, fmt.Errorf("%w %.60q of %s: nearest are %s", ErrUnknownKey, name, d.Slug, Nearest(name, d.KeyNames()))
}

// KeyNames lists the names of its keys.
func (d *Device) KeyNames() []string {
	names := make([]string, len(d.Keys))
	for i, k := range d.Keys {
		names[i] = k.Name
	}
	return names
}

// Has says whether the device has a key of a name.
func (d *Device) Has(name string) bool { return d.index(name) >= 0 }

func (d *Device) index(name string) int {
	return slices.IndexFunc(d.Keys, func(k Key) bool { return k.Name == name })
}

// Add gives the device another key, which waits to be learned. Errors wrap ErrName or ErrTaken.
func (d *Device) Add(name string) (*Key, error) {
	if err := CheckSlug("key", name); err != nil {
		return nil, err
	}
	if d.Has(name) {
		return nil, fmt.Errorf("%w: %s has a key %q already", ErrTaken, d.Slug, name)
	}
	if len(d.Keys) >= MaxKeys {
		return nil, fmt.Errorf("%w: %s has %d keys, which is the most", ErrName, d.Slug, MaxKeys)
	}
	d.Keys = append(d.Keys, Key{Name: name, Codes: []Code{}})
	return &d.Keys[len(d.Keys)-1], nil
}

// SetCodes gives a key new codes; a key that the device does not have is added.
func (d *Device) SetCodes(name string, codes []Code) error {
	if len(codes) == 0 {
		return fmt.Errorf("%w: none given: say what %s sends", ErrCode, name)
	}
	k, err := d.Key(name)
	if err != nil {
		if k, err = d.Add(name); err != nil {
			return err
		}
	}
	k.Codes = codes
	return nil
}

// Follow lets codes of another handset count as presses of a key, which is added where there is none of its name.
// identity names what a code is on the air: one that is followed already is not taken twice.
func (d *Device) Follow(name string, codes []Code, identity func(Code) string) error {
	k, err := d.Key(name)
	if err != nil {
		if k, err = d.Add(name); err != nil {
			return err
		}
	}
	for _, c := range codes {
		same := func(o Code) bool { return identity(o) == identity(c) }
		switch {
		case slices.ContainsFunc(k.Codes, same):
			return fmt.Errorf("%w: %s sends that itself, so it is followed anyway", ErrCode, name)
		case !slices.ContainsFunc(k.Follows, same):
			k.Follows = append(k.Follows, c)
		}
	}
	return nil
}

// Rename gives a key another name. It keeps its place on the face.
func (d *Device) Rename(from, to string) error {
	k, err := d.Key(from)
	switch {
	case err != nil:
		return err
	case from == to:
		return nil
	case d.Has(to):
		return fmt.Errorf("%w: %s has a key %q already", ErrTaken, d.Slug, to)
	}
	if err := CheckSlug("key", to); err != nil {
		return err
	}
	k.Name = to
	d.Traits.RenameKey(from, to)
	return nil
}

// Remove takes a key out of the device.
func (d *Device) Remove(name string) error {
	if _, err := d.Key(name); err != nil {
		return err
	}
	d.Keys = slices.DeleteFunc(d.Keys, func(k Key) bool { return k.Name == name })
	d.Traits.RenameKey(name, "")
	d.Sensors = slices.DeleteFunc(d.Sensors, func(s Sensor) bool {
		return !slices.ContainsFunc(d.Controls, func(c control.Control) bool { return c.Name == s.Control })
	})
	return nil
}

// Check says what is wrong with all that is given of a device but its codes, nil where nothing is. Errors wrap ErrName,
// ErrTraits, ErrTaken or ErrUnknownKey.
func (d *Device) Check() error {
	if err := cmp.Or(CheckSlug("device", d.Slug), CheckKind(d.Kind), CheckText("maker", d.Maker),
		CheckText("model", d.Model),
		CheckText("transmitter", d.Transmitter.String()), CheckText("room", d.Room), d.Traits.Check()); err != nil {
		return err
	}
	if _, err := CleanName("the device's name", d.Name); err != nil {
		return err
	}
	if err := d.checkKeys(); err != nil {
		return err
	}
	if err := d.checkAlso(); err != nil {
		return err
	}
	if err := d.checkSensors(); err != nil {
		return err
	}
	for _, row := range d.Face {
		for _, key := range row {
			if key != "" && !d.Has(key) {
				return fmt.Errorf("%w %.60q of %s: it cannot stand on the face", ErrUnknownKey, key, d.Slug)
			}
		}
	}
	return nil
}

// Compile works out what the device's keys do to its controls. The error wraps control.ErrForm.
func (d *Device) Compile() (*control.Spec, error) {
	return control.Compile(d.KeyNames(), d.Forms)
}

func (d *Device) checkAlso() error {
	if len(d.Also) > MaxAlso {
		return fmt.Errorf("%w: %d further transmitters, the most is %d", ErrTraits, len(d.Also), MaxAlso)
	}
	for i, place := range d.Also {
		if place == d.Transmitter || slices.Contains(d.Also[:i], place) {
			return fmt.Errorf("%w: a transmitter is there twice among those that send: name each one once", ErrTraits)
		}
		if err := CheckText("transmitter", place.String()); err != nil {
			return err
		}
	}
	return nil
}

func (d *Device) checkKeys() error {
	if len(d.Keys) > MaxKeys {
		return fmt.Errorf("%w: %d keys, the most is %d", ErrName, len(d.Keys), MaxKeys)
	}
	seen := map[string]bool{}
	for _, k := range d.Keys {
		switch err := CheckSlug("key", k.Name); {
		case err != nil:
			return err
		case seen[k.Name]:
			return fmt.Errorf("%w: key %q is there twice", ErrTaken, k.Name)
		case k.Hold != "" && k.Hold != HoldOnce && k.Hold != HoldRepeat:
			return fmt.Errorf("%w: hold %.20q of %s: once, repeat, or nothing", ErrName, string(k.Hold), k.Name)
		case len(k.Codes) > MaxCodes:
			return fmt.Errorf("%w: %s has %d codes, the most is %d", ErrCode, k.Name, len(k.Codes), MaxCodes)
		case len(k.Follows) > MaxHeard:
			return fmt.Errorf("%w: %s follows %d codes of other handsets, the most is %d: stop following it, and "+
				"begin anew", ErrCode, k.Name, len(k.Follows), MaxHeard)
		}
		seen[k.Name] = true
	}
	return nil
}

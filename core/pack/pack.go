// Package pack is the exchange format of devices: JSON with a version, described by docs/pack.schema.json. What a newer
// minor version adds is kept and written again, though it is not understood.
package pack

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"urbo/core/device"
	"urbo/core/line"
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
)

// ErrPack is wrapped by every error about a pack; the text names the place in it.
var ErrPack = errors.New("pack")

// Pack is some devices, or code sets, with what their keys send.
type Pack struct {
	Format  string          `json:"format"`
	Version string          `json:"version"`
	Devices []device.Device `json:"devices"`
	Sets    []device.Device `json:"sets,omitempty"` // code sets, of no room; since 1.1
	Extra   device.Extra    `json:"-"`
}

// UnmarshalJSON reads a pack, and keeps what it does not know.
func (p *Pack) UnmarshalJSON(data []byte) error {
	type plain Pack
	return device.ReadExtra(data, (*plain)(p), &p.Extra, "format", "version", "devices", "sets")
}

// MarshalJSON writes a pack with what was kept.
func (p Pack) MarshalJSON() ([]byte, error) {
	type plain Pack
	return device.WriteExtra(plain(p), p.Extra)
}

// Read reads and checks a pack: its line codes must be in the book. Codes come back as they are kept, with the fields
// that were left out. Errors wrap ErrPack and name the place.
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
	return p, p.complete(book)
}

// complete checks a pack, and completes its codes.
func (p *Pack) complete(book *line.Book) error {
	if p.Format != Format {
		return fmt.Errorf("%w: format is %.40q, and should be %q: is this a pack at all?", ErrPack, p.Format, Format)
	}
	first, _, _ := strings.Cut(p.Version, ".")
	if n, err := strconv.Atoi(first); err != nil || n != major {
		return fmt.Errorf("%w: version %.20q: this Urbo reads version %d.x", ErrPack, p.Version, major)
	}
	if n := max(len(p.Devices), len(p.Sets)); n == 0 || n > MaxDevices {
		return fmt.Errorf("%w: %d devices and %d code sets: 1 to %d can be read", ErrPack, len(p.Devices), len(p.Sets),
			MaxDevices)
	}
	if err := complete("devices", p.Devices, book); err != nil {
		return err
	}
	return complete("sets", p.Sets, book)
}

func complete(where string, devices []device.Device, book *line.Book) error {
	seen := map[string]bool{}
	for i := range devices {
		d := &devices[i]
		place := fmt.Sprintf("%s[%d]", where, i)
		if err := device.CheckSlug("slug", d.Slug); err != nil {
			return fmt.Errorf("%w: %s: %w", ErrPack, place, err)
		}
		if seen[d.Slug] {
			return fmt.Errorf("%w: %s: slug %q is there twice", ErrPack, place, d.Slug)
		}
		seen[d.Slug] = true
		if err := completeDevice(d, book); err != nil {
			return fmt.Errorf("%w: %s (%s)%w", ErrPack, place, d.Slug, err)
		}
	}
	return nil
}

func completeDevice(d *device.Device, book *line.Book) error {
	if strings.TrimSpace(d.Name) == "" {
		return errors.New(": it has no name")
	}
	kind := d.Kind
	if device.CheckKind(kind) != nil { // of a newer version, or none
		d.Kind = "other"
	}
	if err := d.Check(); err != nil {
		return fmt.Errorf(": %w", err)
	}
	d.Kind = kind
	for i := range d.Keys {
		k := &d.Keys[i]
		if k.Codes == nil {
			k.Codes = []device.Code{}
		}
		for j, c := range k.Codes {
			c, err := c.Complete(book)
			if err != nil {
				return fmt.Errorf(".keys[%d].codes[%d]: %w", i, j, err)
			}
			k.Codes[j] = c
		}
	}
	return nil
}

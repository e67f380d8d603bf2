// Package pack is the exchange format of devices and what a house has of them: JSON with a version, described by
// docs/pack.schema.json. What a newer minor version adds is kept and written again, though it is not understood.
package pack

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/line"
)

// Format and Version are written into every pack. A reader understands all packs of its major version.
const (
	Format  = "urbo pack"
	Version = "1.4"
	major   = 1
)

// Bounds of a pack.
const (
	MaxSize    = 64 << 20 // bytes
	MaxDevices = 5000     // and as many code sets
	MaxKeys    = 150_000  // of all of them
	maxDevice  = 8 << 20  // bytes of one
	maxExtra   = 1 << 20  // bytes of what this version does not know
)

// ErrPack is wrapped by every error about a pack; the text names the place in it.
var ErrPack = fault.New(fault.Invalid, "pack")

// Pack is some devices, or code sets, with what their keys send, and what a house has of them.
type Pack struct {
	Format  string          `json:"format"`
	Version string          `json:"version"`
	Devices []device.Device `json:"devices"`
	Sets    []device.Device `json:"sets,omitempty"` // code sets, of no room; since 1.1
	Things
	Extra device.Extra `json:"-"`
}

// UnmarshalJSON reads a pack, and keeps what it does not know.
func (p *Pack) UnmarshalJSON(data []byte) error {
	type plain Pack
	return device.ReadExtra(data, (*plain)(p), &p.Extra, "format", "version", "devices", "sets", "groups",
		"sequences", "occasions", "boards")
}

// MarshalJSON writes a pack with what was kept.
func (p Pack) MarshalJSON() ([]byte, error) {
	type plain Pack
	return device.WriteExtra(plain(p), p.Extra)
}

// Read reads and checks a pack: its line codes must be in the book. Codes come back as they are kept, with the fields
// that were left out. Errors wrap ErrPack and name the place.
func Read(r io.Reader, book *line.Book) (Pack, error) {
	p := Pack{Devices: []device.Device{}}
	head, err := Scan(r, book, func(set bool, d device.Device) {
		if set {
			p.Sets = append(p.Sets, d)
		} else {
			p.Devices = append(p.Devices, d)
		}
	})
	p.Format, p.Version, p.Things, p.Extra = head.Format, head.Version, head.Things, head.Extra
	return p, err
}

// Scan is Read for a pack that is only looked at: each device or code set is checked when its end is reached, handed
// on, and kept nowhere. What comes back has all but these.
func Scan(r io.Reader, book *line.Book, each func(set bool, d device.Device)) (Pack, error) {
	from := &metered{in: r}
	s := scanner{from: from, in: json.NewDecoder(from), book: book, each: each}
	if err := s.scan(); err != nil {
		return Pack{}, fmt.Errorf("%w: %w", ErrPack, s.explain(err))
	}
	return s.pack, nil
}

// metered ends a pack that is too large, or that has one member which is.
type metered struct {
	in        io.Reader
	all, some int // bytes: of the pack, and since the last member began
}

// Read reads on, or says which bound is reached.
func (m *metered) Read(p []byte) (int, error) {
	n, err := m.in.Read(p)
	m.all, m.some = m.all+n, m.some+n
	switch {
	case m.all > MaxSize:
		return n, fmt.Errorf("more than %d MB: export it in parts", MaxSize>>20)
	case m.some > maxDevice:
		return n, fmt.Errorf("one device of more than %d MB", maxDevice>>20)
	}
	return n, err
}

// scanner reads a pack member by member.
type scanner struct {
	from  *metered
	in    *json.Decoder
	book  *line.Book
	each  func(set bool, d device.Device)
	pack  Pack
	keys  int
	extra int
	found [2]int // devices and sets
}

func (s *scanner) scan() error {
	if err := s.open('{', "the pack"); err != nil {
		return err
	}
	for s.in.More() {
		name, err := s.in.Token()
		if err != nil {
			return err
		}
		if err := s.member(name.(string)); err != nil { // a member's name is a text
			return err
		}
	}
	if _, err := s.in.Token(); err != nil {
		return err
	}
	if _, err := s.in.Token(); !errors.Is(err, io.EOF) {
		return errors.New("something stands behind its end")
	}
	if s.pack.Format != Format {
		return fmt.Errorf("format is %.40q, and should be %q: is this a pack at all?", s.pack.Format, Format)
	}
	if s.found[0]+s.found[1]+s.pack.Count() == 0 {
		return errors.New("0 devices and 0 code sets: there is nothing in it")
	}
	return s.version()
}

// open reads the beginning of an object or a list.
func (s *scanner) open(want json.Delim, what string) error {
	got, err := s.in.Token()
	if err != nil {
		return err
	}
	if got != want {
		kind := map[json.Delim]string{'{': "an object", '[': "a list"}[want]
		return fmt.Errorf("%s should be %s: is this a pack at all?", what, kind)
	}
	return nil
}

// member reads the value of one member of the pack.
func (s *scanner) member(name string) error {
	switch name {
	case "format":
		return s.text(name, &s.pack.Format)
	case "version":
		if err := s.text(name, &s.pack.Version); err != nil {
			return err
		}
		return s.version()
	case "devices":
		return s.list(name, 0)
	case "sets":
		return s.list(name, 1)
	case "groups":
		return things(s, name, func(g Group) string { return g.Slug }, &s.pack.Groups)
	case "sequences":
		return things(s, name, func(q Sequence) string { return q.Slug }, &s.pack.Sequences)
	case "occasions":
		return things(s, name, func(o Occasion) string { return o.Slug }, &s.pack.Occasions)
	case "boards":
		return things(s, name, func(b Board) string { return b.Slug }, &s.pack.Boards)
	}
	s.from.some = 0
	var raw json.RawMessage
	if err := s.in.Decode(&raw); err != nil {
		return err
	}
	if s.extra += len(name) + len(raw); s.extra > maxExtra || len(s.pack.Extra) >= mostOthers {
		return fmt.Errorf("more than %d bytes, or %d members, that this Urbo does not know", maxExtra, mostOthers)
	}
	if s.pack.Extra == nil {
		s.pack.Extra = device.Extra{}
	}
	s.pack.Extra[name] = raw
	return nil
}

func (s *scanner) text(name string, to *string) error {
	got, err := s.in.Token()
	if err != nil {
		return err
	}
	text, is := got.(string)
	if !is {
		return fmt.Errorf("%s should be a text", name)
	}
	*to = text
	return nil
}

func (s *scanner) version() error {
	first, _, _ := strings.Cut(s.pack.Version, ".")
	if n, err := strconv.Atoi(first); err != nil || n != major {
		return fmt.Errorf("version %.20q: this Urbo reads version %d.x", s.pack.Version, major)
	}
	return nil
}

// list reads devices (which is 0) or code sets (1).
func (s *scanner) list(name string, which int) error {
	if err := s.open('[', name); err != nil {
		return err
	}
	seen := map[string]bool{}
	for s.in.More() {
		place := fmt.Sprintf("%s[%d]", name, s.found[which])
		if s.found[which]++; s.found[which] > MaxDevices {
			return fmt.Errorf("%s: the most is %d: export it in parts", place, MaxDevices)
		}
		s.from.some = 0
		var raw json.RawMessage
		if err := s.in.Decode(&raw); err != nil {
			return err
		}
		if err := checkShape(raw); err != nil {
			return fmt.Errorf("%s: %w", place, err)
		}
		var d device.Device
		if err := json.Unmarshal(raw, &d); err != nil {
			return fmt.Errorf("%s: %w", place, wrongKind(err))
		}
		if err := device.CheckSlug("slug", d.Slug); err != nil {
			return fmt.Errorf("%s: %w", place, err)
		}
		if seen[d.Slug] {
			return fmt.Errorf("%s: slug %q is there twice", place, d.Slug)
		}
		seen[d.Slug] = true
		if err := completeDevice(&d, s.book); err != nil {
			return fmt.Errorf("%s (%s)%w", place, d.Slug, err)
		}
		if s.keys += len(d.Keys); s.keys > MaxKeys {
			return fmt.Errorf("%s: more than %d keys in all: export it in parts", place, MaxKeys)
		}
		s.each(which == 1, d)
	}
	_, err := s.in.Token()
	return err
}

// explain says where in the text a mistake is.
func (s *scanner) explain(err error) error {
	var syntax *json.SyntaxError
	switch {
	case errors.As(err, &syntax):
		return fmt.Errorf("byte %d: %w", syntax.Offset, err)
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF):
		return fmt.Errorf("byte %d: it ends too early", s.in.InputOffset())
	}
	return err
}

// wrongKind says which member has a value of another kind than it should.
func wrongKind(err error) error {
	var kind *json.UnmarshalTypeError
	if errors.As(err, &kind) {
		return fmt.Errorf("%s is a %s, and should be a %s", kind.Field, kind.Value, kind.Type)
	}
	return err
}

func completeDevice(d *device.Device, book *line.Book) error {
	var err error
	if d.Name, err = device.CleanName("name", d.Name); err != nil {
		return fmt.Errorf(": %w", err)
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

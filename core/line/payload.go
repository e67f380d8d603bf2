package line

import (
	"fmt"
	"slices"
	"strings"
)

// payload computes the bits (or symbol numbers of a text) of a frame from its fields.
func (f *frame) payload(fields Fields) ([]uint8, error) {
	out := make([]uint8, f.bits)
	for i := range f.groups {
		g := &f.groups[i]
		switch {
		case g.kind == fieldOf && g.field.Digits > 0:
			digits, err := g.field.symbols(fields[g.field.Name].text)
			if err != nil {
				return nil, err
			}
			copy(out[g.at:], digits)
		case g.kind == fieldOf:
			n, _ := fields[g.field.Name].Int()
			raw, err := g.field.raw(n)
			if err != nil {
				return nil, err
			}
			g.put(out, raw>>g.lo&mask(g.bits))
		case g.kind == constant:
			g.put(out, *g.part.Const)
		}
	}
	// A check may stand before what it is computed from, so checks come when everything else is there.
	for i := range f.groups {
		if g := &f.groups[i]; g.kind != fieldOf && g.kind != constant {
			g.put(out, g.derive(f.gather(g, out)))
		}
	}
	if f.chained {
		chain(out)
	}
	return out, nil
}

// put writes the value of a group at its place.
func (g *group) put(payload []uint8, v uint64) {
	if g.invert {
		v = ^v & mask(g.bits)
	}
	at := payload[g.at:g.at:len(payload)]
	at = spread(at, v, g.bits, g.msb)
	if g.double {
		doubled(at, 0)
	}
}

// chain disguises bytes: each from the second on is XORed with the disguised one before it.
func chain(bits []uint8) {
	for i := 8; i < len(bits); i++ {
		bits[i] ^= bits[i-8]
	}
}

// unchain is the way back.
func unchain(bits []uint8) {
	for i := len(bits) - 1; i >= 8; i-- {
		bits[i] ^= bits[i-8]
	}
}

// gather collects the bits that a derived group is computed from, in the order they are sent.
func (f *frame) gather(g *group, payload []uint8) []uint8 {
	if len(g.over) == 1 {
		o := &f.groups[g.over[0]]
		return payload[o.at : o.at+o.length()]
	}
	var over []uint8
	for _, i := range g.over {
		o := &f.groups[i]
		over = append(over, payload[o.at:o.at+o.length()]...)
	}
	return over
}

// doubled sends every bit from at on twice.
func doubled(bits []uint8, at int) []uint8 {
	single := append([]uint8(nil), bits[at:]...)
	bits = bits[:at]
	for _, b := range single {
		bits = append(bits, b, b)
	}
	return bits
}

// symbols reads the text of a field as numbers in its alphabet.
func (f *field) symbols(text string) ([]uint8, error) {
	if len(text) != f.Digits {
		return nil, fmt.Errorf("%s is %q: it has %d symbols of %s", f.Name, text, f.Digits, f.Of)
	}
	out := make([]uint8, len(text))
	for i := range text {
		at := strings.IndexByte(f.Of, text[i])
		if at < 0 {
			return nil, fmt.Errorf("%s is %q: symbol %d is none of %s", f.Name, text, i+1, f.Of)
		}
		out[i] = uint8(at)
	}
	return out, nil
}

// read is the way back from bits to fields. It is false where a field has no such value, or where a constant, a
// complement or a check does not hold: the payload is computed again from the fields and compared.
func (f *frame) read(payload []uint8) (Fields, bool) {
	if f.chained {
		payload = slices.Clone(payload)
		unchain(payload)
	}
	// The cheap groups first: most wrong readings end here, before anything is allocated.
	for i := range f.groups {
		g := &f.groups[i]
		if g.kind == fieldOf {
			continue
		}
		var want uint64
		if g.kind == constant {
			want = *g.part.Const
		} else {
			want = g.derive(f.gather(g, payload))
		}
		if g.invert {
			want = ^want & mask(g.bits)
		}
		if got, ok := g.number(payload); !ok || got != want {
			return nil, false
		}
	}
	fields := make(Fields, len(f.fields))
	var raws, seen [maxFields]uint64
	for i := range f.groups {
		g := &f.groups[i]
		if g.kind != fieldOf {
			continue
		}
		if g.field.Digits > 0 {
			text := make([]byte, g.field.Digits)
			for j := range text {
				text[j] = g.field.Of[payload[g.at+j]]
			}
			if before, twice := fields[g.field.Name]; twice && before.text != string(text) {
				return nil, false
			}
			fields[g.field.Name] = Text(string(text))
			continue
		}
		v, ok := g.number(payload)
		if !ok {
			return nil, false
		}
		if g.invert {
			v = ^v & mask(g.bits)
		}
		n := f.indexOf(g.field.Name)
		span := mask(g.bits) << g.lo
		if common := seen[n] & span; common != 0 && raws[n]&common != v<<g.lo&common {
			return nil, false // the field is sent twice and differs
		}
		raws[n] |= v << g.lo
		seen[n] |= span
	}
	for n, name := range f.fields {
		if _, done := fields[name]; done {
			continue
		}
		v, ok := f.fieldNamed(name).value(raws[n])
		if !ok {
			return nil, false
		}
		fields[name] = Number(v)
	}
	return fields, true
}

// number reads the bits of a group; it is false where doubled bits differ.
func (g *group) number(payload []uint8) (uint64, bool) {
	sent := payload[g.at : g.at+g.length()]
	if !g.double {
		return chunk(sent, g.msb), true
	}
	single := make([]uint8, g.bits)
	for i := range single {
		if sent[2*i] != sent[2*i+1] {
			return 0, false
		}
		single[i] = sent[2*i]
	}
	return chunk(single, g.msb), true
}

func (f *frame) indexOf(name string) int {
	for i, n := range f.fields {
		if n == name {
			return i
		}
	}
	return -1
}

func (f *frame) fieldNamed(name string) *field {
	for i := range f.groups {
		if g := &f.groups[i]; g.field != nil && g.field.Name == name {
			return g.field
		}
	}
	return nil
}

package bench

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"urbo/core/line"
)

// On is what carries a signal that is written as a sheet.
type On struct {
	Medium line.Medium
	Hz     int // carrier or channel
}

// mostParts is how many fields a sheet can name, and mostBits how many bits each may have.
const mostParts, mostBits = 12, 400

// mostPulses is how many durations one part of a frame may have.
const mostPulses = 64

// mostTurns is how many bits beside each other may go on from press to press.
const mostTurns = 8

// HasSheet says whether the structure can be written as a line sheet.
func (s Structure) HasSheet() bool {
	parts := s.parts()
	return s.Style != Plain && !s.merged && len(parts) > 0 && len(parts) <= mostParts &&
		!slices.ContainsFunc(parts, func(p part) bool { return len(p.bits) > mostBits })
}

// part is bits of a frame that are one field of a sheet.
type part struct {
	name  string
	bits  string
	turns bool // they are others from frame to frame
}

// parts cuts the blocks of bits where bits begin or end to vary.
func (s Structure) parts() []part {
	var out []part
	at, fixed, turns := 0, 0, 0
	for _, block := range s.Bits {
		for from := 0; from < len(block); {
			to := from + 1
			varies := s.turnsAt(at + from)
			for to < len(block) && s.turnsAt(at+to) == varies && (!varies || to-from < mostTurns) {
				to++
			}
			p := part{bits: block[from:to], turns: varies}
			if varies {
				turns++
				p.name = numbered("turn", turns)
			} else {
				fixed++
				p.name = numbered("bits", fixed)
			}
			out = append(out, p)
			from = to
		}
		at += len(block)
	}
	if fixed > 1 {
		for i := range out {
			if out[i].name == "bits" {
				out[i].name = "bits1"
			}
		}
	}
	return out
}

// numbered is a name with a number from the second on.
func numbered(name string, n int) string {
	if n == 1 {
		return name
	}
	return name + strconv.Itoa(n)
}

func (s Structure) turnsAt(bit int) bool { return s.shape.bits == 1 && s.Mask[bit] == vary }

// Fields are the bits as the sheet's fields name them: "bits", or "bits1", "bits2" … where there are several pieces of
// them, and "turn" for what is another one from frame to frame.
func (s Structure) Fields() line.Fields {
	out := line.Fields{}
	for _, p := range s.parts() {
		if p.turns {
			out[p.name] = line.Number(int64(valueOf(p.bits)))
		} else {
			out[p.name] = line.Text(p.bits)
		}
	}
	return out
}

// Sheet writes the structure as a line sheet whose only fields are the bits. It is "" where HasSheet is false.
func (s Structure) Sheet(name string, on On) string {
	if !s.HasSheet() {
		return ""
	}
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format, args...) }
	p("sheet: %s\ntitle: Found on the bench\nabout: %q\nmedium: %s\n", name, s.Words(), on.Medium)
	if on.Medium == line.Radio {
		p("frequency_hz: %d\n", on.Hz)
	} else {
		p("carrier_hz: %d\n", on.Hz)
	}
	p("unit_us: %s\norder: msb\n", number(float64(int(s.Unit*10+0.5))/10))
	s.writeCode(p)
	p("fields:\n")
	parts := s.parts()
	for _, f := range parts {
		if f.turns {
			p("  - {name: %s, bits: %d, toggle: true}\n", f.name, len(f.bits))
		} else {
			p("  - {name: %s, digits: %d}\n", f.name, len(f.bits))
		}
	}
	gap := s.Gap
	if gap == 0 {
		gap = usualGap
	}
	p("frames:\n")
	if once := []int(s.Once); once != nil {
		if s.OnceGap > gap { // the press paces all frames alike: what is more belongs to the frame
			once = append(slices.Clip(once), s.OnceGap-gap)
		}
		p("  first:\n")
		for part := range slices.Chunk(once, mostPulses) {
			p("    - us: [%s]\n", list(part))
		}
	}
	p("  message:\n")
	for i, piece := range s.pieces {
		switch {
		case piece.bits != "":
			for n := 0; n < len(piece.bits); parts = parts[1:] {
				p("    - field: %s\n", parts[0].name)
				n += len(parts[0].bits)
			}
		case piece.us != nil:
			p("    - us: [%s]\n", list(piece.us))
		case i == 0 && len(piece.units) == 2:
			p("    - lead: [%s]\n", numbers(piece.units))
		default:
			for part := range slices.Chunk(piece.units, mostPulses) {
				p("    - pulses: [%s]\n", numbers(part))
			}
		}
	}
	p("press:\n")
	if s.Once != nil {
		p("  - once: [first]\n    repeat: [message]\n")
	} else {
		p("  - repeat: [message]\n")
	}
	p("    repeats: %d\n    gap_us: %d\n", s.Repeats(), min(gap, 1_000_000))
	return b.String()
}

// Repeats is how many frames a press sends: as many as were heard, but no more than a short press.
func (s Structure) Repeats() int { return min(max(s.Frames, 1), 6) }

func (s Structure) writeCode(p func(string, ...any)) {
	switch s.Style {
	case Biphase:
		p("code: {style: biphase, rise: one}\n")
	case Symbols:
		p("code:\n  style: symbol\n  symbols:\n")
		for v, pair := range s.shape.pairs {
			p("    %q: [%d, %d]\n", fmt.Sprintf("%0*b", s.shape.bits, v), pair.first, pair.second)
		}
	default:
		first := ""
		if s.shape.spaceFirst {
			first = "first: space, "
		}
		zero, one := s.shape.pairs[0], s.shape.pairs[1]
		p("code: {style: %s, %szero: [%d, %d], one: [%d, %d]}\n", s.Style, first, zero.first, zero.second, one.first,
			one.second)
	}
}

func number(x float64) string { return strconv.FormatFloat(x, 'g', -1, 64) }

func numbers(in []float64) string {
	out := make([]string, len(in))
	for i, x := range in {
		out[i] = number(x)
	}
	return strings.Join(out, ", ")
}

func list(in []int) string {
	out := make([]string, len(in))
	for i, x := range in {
		out[i] = strconv.Itoa(x)
	}
	return strings.Join(out, ", ")
}

// SheetPrint is the fingerprint of what a sheet sends whose only fields are bits, as Sheet writes it, whatever the bits
// are that vary. It is false for other sheets.
func SheetPrint(sheet *line.Sheet, fields line.Fields) (Fingerprint, bool) {
	var mask strings.Builder
	info := map[string]line.FieldInfo{}
	for _, f := range sheet.Fields() {
		info[f.Name] = f
	}
	forms := sheet.Forms()
	if len(forms) != 1 {
		return 0, false
	}
	for _, name := range forms[0] {
		f := info[name]
		switch {
		case strings.HasPrefix(name, "turn") && f.Toggle:
			mask.WriteString(strings.Repeat(string(vary), f.Bits))
		case strings.HasPrefix(name, "bits") && f.Digits > 0:
			mask.WriteString(fields[name].String())
		default:
			return 0, false
		}
	}
	return printOf(Style(sheet.Style), mask.String()), true
}

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

// mostBlocks is how many blocks of bits a sheet can name.
const mostBlocks = 12

// HasSheet says whether the structure can be written as a line sheet.
func (s Structure) HasSheet() bool {
	return s.Style != Plain && len(s.Bits) > 0 && len(s.Bits) <= mostBlocks && s.longest() <= 400
}

func (s Structure) longest() int {
	n := 0
	for _, b := range s.Bits {
		n = max(n, len(b))
	}
	return n
}

// Fields are the bits as the sheet's fields name them: "bits", or "bits1", "bits2" … where there are several blocks.
func (s Structure) Fields() line.Fields {
	out := line.Fields{}
	for i, b := range s.Bits {
		out[s.field(i)] = line.Text(b)
	}
	return out
}

func (s Structure) field(i int) string {
	if len(s.Bits) == 1 {
		return "bits"
	}
	return "bits" + strconv.Itoa(i+1)
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
	for i, bits := range s.Bits {
		p("  - {name: %s, digits: %d}\n", s.field(i), len(bits))
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
		p("  first:\n    - us: [%s]\n", list(once))
	}
	p("  message:\n")
	block := 0
	for i, piece := range s.pieces {
		switch {
		case piece.bits != "":
			p("    - field: %s\n", s.field(block))
			block++
		case piece.us != nil:
			p("    - us: [%s]\n", list(piece.us))
		case i == 0 && len(piece.units) == 2:
			p("    - lead: [%s]\n", numbers(piece.units))
		default:
			p("    - pulses: [%s]\n", numbers(piece.units))
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
		for i, name := range s.names {
			p("    %q: [%s]\n", name, numbers(s.shapes[i]))
		}
	default:
		first := ""
		if s.spaceFirst {
			first = "first: space, "
		}
		p("code: {style: %s, %szero: [%s], one: [%s]}\n", s.Style, first, numbers(s.zero), numbers(s.one))
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

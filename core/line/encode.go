package line

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"urbo/core/fault"
)

// ErrFields is wrapped by every error about fields that a sheet cannot send.
var ErrFields = fault.New(fault.Invalid, "fields")

// ErrNeverReplay is wrapped where a code is read, but sending it again is no use.
var ErrNeverReplay = fault.New(fault.Conflict, "cannot be replayed")

// Burst is what a transmitter plays for one press: Once, then Repeat the given number of times or as long as the
// key is held, then Last. Durations in µs, mark first; each part ends with its own trailing space, so its length is
// even, and may be empty.
type Burst struct {
	Once    []int
	Repeat  []int
	Last    []int
	Repeats int // the least number of times that Repeat is sent
}

// Durations is the whole press: each part as often as it is sent at least.
func (b Burst) Durations() []int {
	out := slices.Clone(b.Once)
	for range b.Repeats {
		out = append(out, b.Repeat...)
	}
	return append(out, b.Last...)
}

// Complete checks the fields against the sheet and fills in defaults. Errors wrap ErrFields and say what is wanted.
func (s *Sheet) Complete(fields Fields) (Fields, error) {
	out := maps.Clone(fields)
	if out == nil {
		out = Fields{}
	}
	for name := range fields {
		if s.byName[name] == nil {
			return nil, fmt.Errorf("%w of %s: it has no field %q, only %s", ErrFields, s.Name, name,
				strings.Join(s.fieldNames(), ", "))
		}
	}
	p := s.pressFor(out)
	for _, fr := range slices.Concat(p.once, p.repeat, p.last) {
		for _, name := range fr.fields {
			f := s.byName[name]
			v, given := out[name]
			switch {
			case given && v.isText != (f.Digits > 0):
				return nil, fmt.Errorf("%w of %s: %s is %s", ErrFields, s.Name, name, f.wants())
			case given && f.Digits > 0:
				if _, err := f.symbols(v.text); err != nil {
					return nil, fmt.Errorf("%w of %s: %w", ErrFields, s.Name, err)
				}
			case given:
				if _, err := f.raw(v.number); err != nil {
					return nil, fmt.Errorf("%w of %s: %w", ErrFields, s.Name, err)
				}
			case f.Default != nil:
				out[name] = Number(*f.Default)
			case f.Like != "" && has(out, f.Like):
				out[name] = out[f.Like]
			case f.Toggle:
				out[name] = Number(0)
			default:
				return nil, fmt.Errorf("%w of %s: %s is missing: it is %s", ErrFields, s.Name, name, f.wants())
			}
		}
	}
	return out, nil
}

func has(f Fields, name string) bool { _, ok := f[name]; return ok }

func (f *field) wants() string {
	if f.Digits > 0 {
		return fmt.Sprintf("a text of %d symbols of %s", f.Digits, f.Of)
	}
	lo, hi := f.limits()
	return fmt.Sprintf("a number from %d to %d", lo, hi)
}

func (s *Sheet) fieldNames() []string {
	out := make([]string, len(s.fields))
	for i, f := range s.fields {
		out[i] = f.Name
	}
	return out
}

// pressFor picks the first press whose condition the fields meet.
func (s *Sheet) pressFor(fields Fields) *press {
	for i := range s.presses {
		if p := &s.presses[i]; p.when == "" || has(fields, p.when) {
			return p
		}
	}
	return &s.presses[len(s.presses)-1]
}

// Encode makes the burst of one press with the sheet's own unit. Errors wrap ErrFields.
func (s *Sheet) Encode(fields Fields) (Burst, error) { return s.EncodeUnit(fields, 0) }

// EncodeUnit is Encode with a unit in µs, for radio encoders whose unit the designer of the handset picked; 0 is
// the sheet's own. The unit must lie within the sheet's range.
func (s *Sheet) EncodeUnit(fields Fields, unit float64) (Burst, error) {
	if unit == 0 {
		unit = s.unit()
	}
	if unit < s.UnitFrom*0.85 || unit > s.UnitTo*1.15 {
		return Burst{}, fmt.Errorf("%w of %s: unit of %.0f µs: it is %.0f to %.0f", ErrFields, s.Name, unit, s.UnitFrom,
			s.UnitTo)
	}
	if s.NeverReplay != "" {
		return Burst{}, fmt.Errorf("%w: %s: %s", ErrNeverReplay, s.Name, s.NeverReplay)
	}
	return s.encode(fields, unit)
}

// encode is EncodeUnit without asking whether it is of use.
func (s *Sheet) encode(fields Fields, unit float64) (Burst, error) {
	full, err := s.Complete(fields)
	if err != nil {
		return Burst{}, err
	}
	p := s.pressFor(full)
	b := Burst{Repeats: p.repeats}
	for _, part := range []struct {
		frames []*frame
		out    *[]int
	}{{p.once, &b.Once}, {p.repeat, &b.Repeat}, {p.last, &b.Last}} {
		for _, f := range part.frames {
			wave, err := s.wave(f, full, unit)
			if err != nil {
				return Burst{}, fmt.Errorf("%w of %s: %w", ErrFields, s.Name, err)
			}
			*part.out = append(*part.out, p.pace(wave, unit)...)
		}
	}
	return b, nil
}

// pace adds the trailing space of a frame.
func (p *press) pace(wave []int, unit float64) []int {
	gap := max(p.gap, int(math.Round(p.gapUnit*unit)))
	total := 0
	for _, d := range wave {
		total += d
	}
	if p.period > 0 {
		gap = max(p.period-total, int(10*unit))
	}
	if len(wave)%2 == 0 { // it ends with a space already: lengthen that
		wave[len(wave)-1] += gap
		return wave
	}
	return append(wave, gap)
}

// wave is one frame as durations, mark first. Edges are rounded, not durations, so that errors do not add up.
func (s *Sheet) wave(f *frame, fields Fields, unit float64) ([]int, error) {
	payload, err := f.payload(fields)
	if err != nil {
		return nil, err
	}
	w := waveWriter{out: make([]int, 0, max(f.runs, len(f.halves)))}
	if s.biphase {
		level := true
		for _, us := range f.before {
			w.add(level, float64(us))
			level = !level
		}
		for _, h := range f.halves {
			if h.us > 0 {
				w.add(h.mark, float64(h.us))
				continue
			}
			level := h.mark
			if h.bit >= 0 {
				level = (payload[h.bit] == s.rise) != h.first // a rising bit has its space first
			}
			w.add(level, unit)
		}
		return w.finish(), nil
	}
	for i := range f.steps {
		st := &f.steps[i]
		level := st.mark
		for _, u := range st.shape(payload) {
			w.add(level, u*unit)
			level = !level
		}
		for _, us := range st.us {
			w.add(level, float64(us))
			level = !level
		}
	}
	return w.finish(), nil
}

// shape is the durations of the step in units, with the symbol that the payload asks for.
func (p *step) shape(payload []uint8) []float64 {
	if p.cell == nil {
		return p.units
	}
	for i := range p.cell.symbols {
		if p.cell.symbols[i].name == p.symbol {
			return p.cell.symbols[i].units
		}
	}
	return p.cell.symbols[chunk(payload[p.at:p.at+p.cell.bits], true)].units
}

// waveWriter joins durations of the same level and rounds the edges to whole µs.
type waveWriter struct {
	out     []int
	mark    bool
	at      float64 // time of the last edge
	rounded int     // the same, rounded
}

func (w *waveWriter) add(mark bool, us float64) {
	if len(w.out) == 0 && !mark { // silence before the first mark is no part of a train
		return
	}
	w.at += us
	edge := int(math.Round(w.at))
	if len(w.out) > 0 && mark == w.mark {
		w.out[len(w.out)-1] += edge - w.rounded
	} else {
		w.out = append(w.out, edge-w.rounded)
	}
	w.mark, w.rounded = mark, edge
}

func (w *waveWriter) finish() []int { return w.out }

// ToCarrier moves every edge to a whole cycle of a carrier in Hz, as a modulator can send it. Errors do not add up.
func ToCarrier(durations []int, hz int) []int {
	if hz <= 0 {
		return durations
	}
	cycle := 1e6 / float64(hz)
	out := make([]int, len(durations))
	at, before := 0, 0
	for i, d := range durations {
		at += d
		edge := int(math.Round(math.Round(float64(at)/cycle) * cycle))
		out[i] = max(edge-before, 1)
		before = edge
	}
	return out
}

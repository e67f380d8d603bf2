package line

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/signal"
)

// try sends sample values of every kind of press of the sheet and, with reads, reads them back: a sheet that cannot do
// that would be learned once and never recognised. What cannot be sent, lasts too long, or reads as something else is a
// mistake.
func (c *compiler) try(reads bool) {
	for i := range c.sheet.presses {
		path := fmt.Sprintf("$.press[%d]", i)
		for _, sample := range samples {
			fields := c.sheet.sample(i, sample)
			b, err := c.sheet.encode(fields, c.sheet.unit())
			if err != nil {
				c.wrong(path, "widen its range, or take it out", "%v cannot be sent: %v", fields, err)
				return
			}
			if us := signal.Sum(b.Durations()); us > maxAir {
				c.wrong(path, "send fewer frames, or shorter ones", "one press lasts %d ms, the most is %d", us/1000,
					maxAir/1000)
				return
			}
			if reads && !c.sheet.readsBack(i, b, fields) {
				c.wrong(path, "make lead, symbols or constants differ more, so that a receiver can tell them apart",
					"what is sent for %v is not read back", fields)
				return
			}
		}
	}
}

// samples pick a value out of a range of n+1 values.
var samples = []func(n uint64) uint64{
	func(uint64) uint64 { return 0 },
	func(n uint64) uint64 { return n },
	func(n uint64) uint64 { return n / 3 },     // 0101…
	func(n uint64) uint64 { return n/3*2 + 1 }, // 1010…
}

// sample is fields for one kind of press.
func (s *Sheet) sample(press int, pick func(uint64) uint64) Fields {
	out := Fields{}
	p := &s.presses[press]
	for _, fr := range slices.Concat(p.once, p.repeat, p.last) {
		for _, name := range fr.fields {
			f := s.byName[name]
			if f.Digits > 0 {
				var text strings.Builder
				for i := range f.Digits {
					text.WriteByte(f.Of[(int(pick(uint64(len(f.Of)-1)))+i%2*int(pick(1)))%len(f.Of)])
				}
				out[name] = Text(text.String())
				continue
			}
			out[name] = Number(f.sample(pick))
		}
	}
	if p.when != "" && !has(out, p.when) {
		out[p.when] = Number(s.byName[p.when].sample(pick))
	}
	return out
}

// sample is one of the field's values.
func (f *field) sample(pick func(uint64) uint64) int64 {
	if f.Lookup != nil {
		var values []int64
		for v := range f.Lookup {
			if lo, hi := f.limits(); v >= lo && v <= hi {
				values = append(values, v)
			}
		}
		if len(values) == 0 {
			return 0 // there is no value: it cannot be sent, and that is said
		}
		slices.Sort(values)
		return values[min(pick(uint64(len(values)-1)), uint64(len(values)-1))]
	}
	lo, hi := f.limits()
	return lo + int64(min(pick(uint64(hi-lo)), uint64(hi-lo)))
}

// readsBack says whether the sheet reads from a burst what each of its frames was made of.
func (s *Sheet) readsBack(press int, b Burst, fields Fields) bool {
	full, err := s.Complete(fields)
	if err != nil {
		return false
	}
	durations := b.Durations()
	if b.Repeats == 0 {
		durations = append(durations, b.Repeat...)
	}
	readings := s.Decode(signal.Split(durations, signal.UnknownGap))
	p := &s.presses[press]
	for _, f := range slices.Concat(p.once, p.repeat, p.last) {
		want := Fields{}
		for _, name := range f.fields {
			want[name] = full[name]
		}
		if len(want) > 0 && !slices.ContainsFunc(readings, func(r Reading) bool { return sameFields(r.Fields, want) }) {
			return false
		}
	}
	return true
}

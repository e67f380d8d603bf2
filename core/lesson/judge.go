// Package lesson is the judgement of takes: which presses of a handset agree, when a key is settled, and what to
// tell the person who presses. It is pure: presses go in, verdicts come out.
package lesson

import (
	"fmt"
	"slices"
	"strconv"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/plain"
	"urbo/core/signal"
)

// Verdict on a take.
type Verdict string

// The verdicts.
const (
	Accepted     Verdict = "accepted"
	FullState    Verdict = "full-state"    // accepted: each press carries the whole state, so no two agree
	OnlyRepeats  Verdict = "only-repeats"  // the first frame was missed
	TooShort     Verdict = "too-short"     // hardly anything was heard
	TooLong      Verdict = "too-long"      // the key was held
	TooWeak      Verdict = "too-weak"      // no reading, and the receiver says that it came in weak
	OtherKey     Verdict = "other-key"     // it is the code of another key
	OtherMedium  Verdict = "other-medium"  // radio, where the other keys are infrared, or the other way round
	OtherHandset Verdict = "other-handset" // another address than the other keys have
	Differs      Verdict = "differs"       // it does not agree with the takes before
	Noise        Verdict = "noise"         // two takes without structure and with nothing in common
	Rolling      Verdict = "rolling"       // accepted: it is followed, as its receiver obeys each press once
	Sensor       Verdict = "sensor"        // a measurement, not a key
	Unclear      Verdict = "unclear"       // no reading, where takes before had one
)

// Accepts says whether a take is one that settles a key.
func (v Verdict) Accepts() bool { return v == Accepted || v == FullState || v == Rolling }

// Allowable says whether a refusal can be overruled by whoever presses: it may be so on purpose.
func (v Verdict) Allowable() bool {
	return v == OtherKey || v == OtherMedium || v == OtherHandset || v == TooLong
}

// Press is what a receiver heard of one push of a key.
type Press struct {
	ID       string // of the capture
	Medium   line.Medium
	Hz       int      `json:",omitempty"` // measured carrier or channel; 0 where the receiver does not tell it
	Strength *float64 // 0 to 1, where the receiver measures it
	Trains   []signal.Reception
	Readings []line.Reading // best first
	// Structure is what was found in a press without a clear reading; nil where there is one, or too little.
	Structure *bench.Structure `json:"-"`
	Held      string           // sheet whose short repeat frames stand alone
	Known     string           // another key of the device that sends this already, or ""
}

// Take is a press with the judgement of it.
type Take struct {
	Key     string // that was asked for
	Press   Press
	Verdict Verdict
	Text    string // the verdict in words
}

// Describe finds the structure again of a press that was kept without it.
func (p *Press) Describe() {
	if readable(*p) || p.Structure != nil || len(p.Trains) == 0 {
		return
	}
	if s, err := bench.Describe(p.Trains); err == nil {
		p.Structure = &s
	}
}

// longestPress is how long in µs a press may be that is no hold.
const longestPress = 1_500_000

// length of a press, from its first edge to its last, in µs.
func (p Press) length() int {
	us := 0
	for i, h := range p.Trains {
		us += h.Train.Length()
		if i < len(p.Trains)-1 {
			us += h.Gap
		}
	}
	return us
}

// weak is the strength below which a press without a reading is too weak.
const weak = 0.3

// wholeState is the fewest bits of a frame that may carry a whole state.
const wholeState = 56

// shortest is the number of durations below which a press is no code.
const shortest = 12

// MostTakes is how many takes of a key are compared; older ones make room.
const MostTakes = 5

// Judge says what a press is worth as a take of a key, beside the takes before it and what is known of the device's
// other keys. Refusals in allowed were overruled.
func Judge(book *line.Book, key string, before []Take, p Press, knows Knows, allowed map[Verdict]bool) Take {
	t := Take{Key: key, Press: p}
	it := "the key"
	if key != "" {
		it = strconv.Quote(plain.Label(key))
	}
	say := func(v Verdict, format string, args ...any) Take {
		t.Verdict, t.Text = v, fmt.Sprintf(format, args...)
		return t
	}
	long := 0
	for _, h := range p.Trains {
		long = max(long, len(h.Train))
	}
	switch {
	case p.Held != "":
		return say(OnlyRepeats, "The receiver saw only the end of the press. Let go, wait a second, and press %s "+
			"once, firmly.", it)
	case len(p.Readings) == 0 && long < shortest:
		return say(TooShort, "Too short: only a few pulses came in. Press %s once, firmly, 10 cm from the receiver.",
			it)
	case measures(book, p):
		return say(Sensor, "That is a sensor's measurement, not a key. Press %s on the handset.", it)
	case p.length() > longestPress && !allowed[TooLong]:
		return say(TooLong, "Held too long (%.1f s): let go at once. Press %s again.", float64(p.length())/1e6, it)
	case p.Known != "" && !allowed[OtherKey]:
		return say(OtherKey, "That is the code of %q, which is learned already. Press %s now.",
			plain.Label(p.Known), it)
	}
	if knows.Medium != "" && p.Medium != knows.Medium && !allowed[OtherMedium] {
		return say(OtherMedium, "That came by %s, and the other keys by %s. Press %s on this device's handset.",
			p.Medium, knows.Medium, it)
	}
	if what := knows.stranger(p); what != "" && !allowed[OtherHandset] {
		return say(OtherHandset, "That is from another handset than the other keys: %s. Press %s on this device's "+
			"handset.", what, it)
	}
	if !readable(p) && p.Strength != nil && *p.Strength < weak && !slices.ContainsFunc(before,
		func(b Take) bool { return agree(book, b.Press, p) }) {
		return say(TooWeak, "Too weak: it came in with %.0f %% and cannot be read. Hold the handset closer, or change "+
			"its battery, and press %s again.", 100**p.Strength, it)
	}
	clear := readableOf(before)
	switch {
	case rolls(book, p) && slices.ContainsFunc(clear, func(b Take) bool { return agree(book, b.Press, p) }):
		return say(Rolling, "Both takes agree: this handset is followed. To send, pair a handset of Urbo's own.")
	case rolls(book, p):
		return say(Rolling, "A rolling code, obeyed once: it can be followed, not sent. Press %s again to be sure.", it)
	case readable(p) && len(clear) == 0:
		return say(Accepted, "Good. Let go, and press %s again to be sure.", it)
	case readable(p):
		before = clear
	case len(clear) > 0:
		return say(Unclear, "Too weak or noisy: no line code can be read in it. Hold the handset closer and press %s "+
			"again.", it)
	case len(before) == 0:
		return say(Accepted, "Heard a signal without a known line code. Press %s again: if both are alike it can be "+
			"kept.", it)
	}
	if slices.ContainsFunc(before, func(b Take) bool { return agree(book, b.Press, p) }) {
		if n := bitsOf(p.Structure); n >= wholeState && !readable(p) {
			return say(Accepted, "Both takes agree. With %d bits a frame carries more than a key: most likely "+
				"the whole "+
				"state that the handset showed.", n)
		}
		return say(Accepted, "Both takes agree.")
	}
	last := before[len(before)-1].Press
	switch {
	case sameShape(last.Structure, p.Structure):
		return say(FullState, "Each press differs, and that is normal here: the handset sends its whole state. What "+
			"it showed now is kept as %s.", it)
	case shapeless(last) && shapeless(p):
		return say(Noise, "Two takes with nothing in common: noise, most likely. Shade the receiver from sun and "+
			"lamps, hold the handset closer, and press %s again.", it)
	}
	return say(Differs, "This differs from the take before. Make sure that it is the same key, and press %s again.", it)
}

// sameShape says whether two frames are as long and built alike, with other bits, and long enough for a whole state.
func sameShape(a, b *bench.Structure) bool {
	if a == nil || b == nil || a.Style != b.Style || len(a.Bits) != len(b.Bits) {
		return false
	}
	for i := range a.Bits {
		if len(a.Bits[i]) != len(b.Bits[i]) {
			return false
		}
	}
	return bitsOf(a) >= wholeState
}

// bitsOf is how many bits a frame has.
func bitsOf(s *bench.Structure) int {
	n := 0
	if s != nil {
		for _, block := range s.Bits {
			n += len(block)
		}
	}
	return n
}

// shapeless says whether a press has neither a line code nor a structure.
func shapeless(p Press) bool {
	return !readable(p) && (p.Structure == nil || p.Structure.Style == bench.Plain && p.Structure.Frames < 2)
}

// best is the sheet of a press's most trusted reading, nil where there is none to trust.
func best(book *line.Book, p Press) *line.Sheet {
	if !readable(p) {
		return nil
	}
	s, err := book.Sheet(p.Readings[0].Sheet)
	if err != nil {
		return nil
	}
	return s
}

func rolls(book *line.Book, p Press) bool {
	s := best(book, p)
	return s != nil && s.Rolls()
}

func measures(book *line.Book, p Press) bool {
	s := best(book, p)
	return s != nil && s.Measures()
}

// readableOf picks the takes in which a line code was read. Where there are any, the others say nothing.
func readableOf(takes []Take) []Take {
	var out []Take
	for _, t := range takes {
		if readable(t.Press) {
			out = append(out, t)
		}
	}
	return out
}

// Counts says whether a take is compared with later ones. A take that differs may be the right one, when the one
// before was wrong.
func (v Verdict) Counts() bool { return v.Accepts() || v == Differs || v == Noise }

func readable(p Press) bool { return len(p.Readings) > 0 && p.Readings[0].Confidence >= line.Clear }

// agree says whether two presses send the same: they share a reading, or have none and their trains are alike.
func agree(book *line.Book, a, b Press) bool {
	if _, _, ok := shared(book, a, b); ok {
		return true
	}
	if a.Medium != b.Medium || readable(a) || readable(b) {
		return false
	}
	return a.Structure != nil && b.Structure != nil && len(a.Structure.Frame) >= shortest &&
		a.Structure.Same(*b.Structure)
}

// shared finds the most trusted reading that both presses have.
func shared(book *line.Book, a, b Press) (x, y line.Reading, ok bool) {
	for _, x := range a.Readings {
		s, err := book.Sheet(x.Sheet)
		if err != nil || x.Confidence < line.Clear {
			continue
		}
		for _, y := range b.Readings {
			if y.Sheet == x.Sheet && y.Confidence >= line.Clear && s.Identity(x.Fields) == s.Identity(y.Fields) {
				return x, y, true
			}
		}
	}
	return x, y, false
}

// Learned is what a settled key sends: the reading that its takes share, or where they have none their structure.
type Learned struct {
	Medium    line.Medium
	Hz        int // measured carrier or channel, 0 where none was
	Reading   *line.Reading
	Structure *bench.Structure
	Takes     int // that counted
	Agreed    int // of them
	// Rolling is a code that cannot be sent again: it can only be followed.
	Rolling bool
}

// Words says in short what was learned.
func (l Learned) Words() string {
	if l.Reading != nil {
		return l.Reading.Sheet + " " + l.Reading.Fields.String()
	}
	return "a signal of its own: " + l.Structure.Words()
}

// Settle looks for needed takes that agree among those that count. Takes with a line code win over those
// without.
func Settle(book *line.Book, takes []Take, needed int) (Learned, bool) {
	all := len(takes)
	if all > 0 && takes[all-1].Verdict == FullState {
		out := learn(book, []Press{takes[all-1].Press})
		out.Takes, out.Agreed = 1, 1 // each differs, and that is normal
		return out, true
	}
	if clear := readableOf(takes); len(clear) > 0 {
		takes = clear
	}
	switch s, found, unsure := turning(takes); {
	case found:
		p := takes[len(takes)-1].Press
		return Learned{Medium: p.Medium, Hz: p.Hz, Structure: &s, Takes: all, Agreed: len(takes)}, true
	case unsure:
		return Learned{}, false
	}
	for i := range takes {
		group := []Press{takes[i].Press}
		for j := range takes {
			if j != i && agree(book, takes[i].Press, takes[j].Press) {
				group = append(group, takes[j].Press)
			}
		}
		if len(group) >= needed {
			out := learn(book, group)
			out.Takes, out.Agreed = all, len(group)
			return out, true
		}
	}
	return Learned{}, false
}

// turning finds what goes on from take to take of a key without a line code: a toggle, or a counter.
func turning(takes []Take) (s bench.Structure, found, unsure bool) {
	var all []bench.Structure
	for _, t := range takes {
		if t.Press.Structure == nil || readable(t.Press) || t.Press.Medium != takes[0].Press.Medium {
			return s, false, false
		}
		all = append(all, *t.Press.Structure)
	}
	return bench.Turning(all)
}

// learn makes a code of presses that all agree with the first.
func learn(book *line.Book, group []Press) Learned {
	first := group[0]
	out := Learned{Medium: first.Medium, Hz: first.Hz}
	if readable(first) {
		reading := first.Readings[0]
		if len(group) > 1 {
			reading, _, _ = shared(book, first, group[1])
		}
		reading.Unit = meanUnit(group, reading)
		out.Reading, out.Rolling = &reading, rolls(book, first)
		return out
	}
	// All frames of all takes vote; how many a press sends is what the first had.
	var trains []signal.Reception
	for _, p := range group {
		trains = append(trains, p.Trains...)
		trains[len(trains)-1].Gap = signal.PressSilence
	}
	out.Structure = first.Structure
	if s, err := bench.Describe(trains); err == nil && s.Same(*first.Structure) {
		s.Frames, s.Gap = first.Structure.Frames, first.Structure.Gap
		out.Structure = &s
	}
	return out
}

func meanUnit(group []Press, like line.Reading) float64 {
	total, n := 0.0, 0.0
	for _, p := range group {
		for _, r := range p.Readings {
			if r.Sheet == like.Sheet {
				total += r.Unit
				n++
				break
			}
		}
	}
	if n == 0 {
		return like.Unit
	}
	return float64(int(total/n + 0.5))
}

// Package lesson is the judgement of takes: which presses of a handset agree, when a key is settled, and what to
// tell the person who presses. It is pure: presses go in, verdicts come out.
package lesson

import (
	"fmt"
	"slices"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/signal"
)

// Verdict on a take.
type Verdict string

// The verdicts.
const (
	Accepted    Verdict = "accepted"
	OnlyRepeats Verdict = "only-repeats" // the first frame was missed
	TooShort    Verdict = "too-short"    // hardly anything was heard
	OtherKey    Verdict = "other-key"    // it is the code of another key
	Differs     Verdict = "differs"      // it does not agree with the takes before
	Rolling     Verdict = "rolling"      // it changes with every press, and a receiver obeys each once
	Sensor      Verdict = "sensor"       // a measurement, not a key
	Unclear     Verdict = "unclear"      // no reading, where takes before had one
)

// Press is what a receiver heard of one push of a key.
type Press struct {
	ID       string // of the capture
	Medium   line.Medium
	Trains   []signal.Heard
	Readings []line.Reading // best first
	// Structure is what was found in a press without a clear reading; nil where there is one, or too little.
	Structure *bench.Structure
	Held      string // sheet whose short repeat frames stand alone
	Known     string // another key of the device that sends this already, or ""
}

// Take is a press with the judgement of it.
type Take struct {
	Key     string // that was asked for
	Press   Press
	Verdict Verdict
	Text    string // the verdict in words
}

// shortest is the number of durations below which a press is no code.
const shortest = 12

// sure is the confidence from which one reading counts.
const sure = 0.45

// MostTakes is how many takes of a key are compared; older ones make room.
const MostTakes = 5

// Judge says what a press is worth as a take of a key, beside the accepted takes before it.
func Judge(book *line.Book, key string, before []Take, p Press) Take {
	t := Take{Key: key, Press: p}
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
		return say(OnlyRepeats, "The receiver saw only the end of the press. Let go, wait a second, and press %q once, firmly.", key)
	case len(p.Readings) == 0 && long < shortest:
		return say(TooShort, "Too short: only a few pulses came in. Press %q once, firmly, 10 cm from the receiver.", key)
	case rolls(book, p):
		return say(Rolling, "A rolling code: it changes with every press, and the device obeys each one once, so it cannot be replayed. Skip %q, and pair a handset of Urbo's with the device instead.", key)
	case measures(book, p):
		return say(Sensor, "That is a sensor's measurement, not a key. Press %q on the handset.", key)
	case p.Known != "":
		return say(OtherKey, "That is the code of %q, which is learned already. Press %q now.", p.Known, key)
	}
	clear := readableOf(before)
	switch {
	case readable(p) && len(clear) == 0:
		return say(Accepted, "Good. Let go, and press %q again to be sure.", key)
	case readable(p):
		before = clear
	case len(clear) > 0:
		return say(Unclear, "Too weak or noisy: no line code can be read in it. Hold the handset closer and press %q again.", key)
	case len(before) == 0:
		return say(Accepted, "Heard a signal without a known line code. Press %q again: if both are alike it can be kept.", key)
	}
	if slices.ContainsFunc(before, func(b Take) bool { return agree(book, b.Press, p) }) {
		return say(Accepted, "Both takes agree.")
	}
	return say(Differs, "This differs from the take before. Make sure that it is the same key, and press %q again.", key)
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
	return s != nil && (s.NeverReplay != "" || s.Counts())
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
func (v Verdict) Counts() bool { return v == Accepted || v == Differs }

func readable(p Press) bool { return len(p.Readings) > 0 && p.Readings[0].Confidence >= sure }

// agree says whether two presses send the same: they share a reading, or have none and their trains are alike.
func agree(book *line.Book, a, b Press) bool {
	if _, _, ok := shared(book, a, b); ok {
		return true
	}
	if a.Medium != b.Medium || readable(a) || readable(b) {
		return false
	}
	return a.Structure != nil && b.Structure != nil && len(a.Structure.Frame) >= shortest &&
		a.Structure.Print == b.Structure.Print && bench.Alike(a.Structure.Frame, b.Structure.Frame)
}

// shared finds the most trusted reading that both presses have.
func shared(book *line.Book, a, b Press) (x, y line.Reading, ok bool) {
	for _, x := range a.Readings {
		s, err := book.Sheet(x.Sheet)
		if err != nil || x.Confidence < sure {
			continue
		}
		for _, y := range b.Readings {
			if y.Sheet == x.Sheet && y.Confidence >= sure && s.Identity(x.Fields) == s.Identity(y.Fields) {
				return x, y, true
			}
		}
	}
	return x, y, false
}

// Learned is what a settled key sends: the reading that its takes share, or where they have none their structure.
type Learned struct {
	Medium    line.Medium
	Reading   *line.Reading
	Structure *bench.Structure
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
	if clear := readableOf(takes); len(clear) > 0 {
		takes = clear
	}
	for i := range takes {
		group := []Press{takes[i].Press}
		for j := range takes {
			if j != i && agree(book, takes[i].Press, takes[j].Press) {
				group = append(group, takes[j].Press)
			}
		}
		if len(group) >= needed {
			return learn(book, group), true
		}
	}
	return Learned{}, false
}

// learn makes a code of presses that all agree with the first.
func learn(book *line.Book, group []Press) Learned {
	first := group[0]
	out := Learned{Medium: first.Medium}
	if readable(first) {
		reading := first.Readings[0]
		if len(group) > 1 {
			reading, _, _ = shared(book, first, group[1])
		}
		reading.Unit = meanUnit(group, reading)
		out.Reading = &reading
		return out
	}
	// All frames of all takes vote; how many a press sends is what the first had.
	var trains []signal.Heard
	for _, p := range group {
		trains = append(trains, p.Trains...)
		trains[len(trains)-1].Gap = signal.PressSilence
	}
	out.Structure = first.Structure
	if s, err := bench.Describe(trains); err == nil && s.Print == first.Structure.Print {
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

// Package reach says what a self-test of the stations found: every transmitter has sent a code of its own, and every
// receiver has told what it heard of it.
package reach

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/device"
	"urbo/core/line"
)

// End is a receiver or transmitter.
type End struct {
	ID      string // of the station
	Station string // its name
	Port    string
	Medium  line.Medium
	FromHz  int
	ToHz    int
}

// Place is STATION/PORT.
func (e End) Place() string { return e.Station + "/" + e.Port }

// covers says whether a receiver hears a channel.
func (e End) covers(on device.Channel) bool {
	return e.Medium == on.Medium && e.FromHz <= on.Hz && on.Hz <= e.ToHz
}

// Transmitter is one that was tried.
type Transmitter struct {
	End
	On     device.Channel // what it was to send on
	Failed string         // why nothing went out, or whether it did is not known; "" where it did
}

// Receiver is one that listened.
type Receiver struct {
	End
	Deaf bool // it has heard nothing at all since the start, beside this
}

// Cell is how a receiver heard a transmitter.
type Cell struct {
	Strength   *float64 // 0 to 1, where it measures it
	Stretch    float64  // what was added to marks and taken from spaces, in µs
	Unit       float64  // as heard, as a share of what was sent
	Confidence float64  // of the reading, 0 to 1
}

// Heard is who heard whom.
type Heard struct{ Transmitter, Receiver string } // places

// Matrix is all that a test found. A pair without a cell did not hear each other.
type Matrix struct {
	Transmitters []Transmitter
	Receivers    []Receiver
	Cells        map[Heard]Cell
}

// Fault is what seems to be wrong with a transmitter.
type Fault string

// The faults.
const (
	None      Fault = ""
	Dead      Fault = "dead"
	Exchanged Fault = "exchanged" // with the receiver of its station
	Swapped   Fault = "swapped"   // with a transmitter of another medium
	Off       Fault = "frequency"
	Weak      Fault = "weak"
	NotSent   Fault = "not sent"
	Unheard   Fault = "no witness" // nobody could have heard it
)

// Verdict is what a test says of one transmitter, in words.
type Verdict struct {
	Transmitter string
	Fault       Fault
	Text        string
}

// weak is the strength up to which a signal counts as too weak: a little farther, and it is gone.
const weak = 0.25

// Verdicts says what is wrong with each transmitter, and what to do.
func (m Matrix) Verdicts() []Verdict {
	out := make([]Verdict, len(m.Transmitters))
	for i, t := range m.Transmitters {
		fault, text := m.judge(t)
		out[i] = Verdict{t.Place(), fault, text}
	}
	return out
}

// Witnessed says whether any receiver here could have heard a transmitter: else a test of it tells nothing.
func (m Matrix) Witnessed(t Transmitter) bool {
	could, heard, _ := m.witnesses(t)
	return len(could)+len(heard) > 0
}

func (m Matrix) judge(t Transmitter) (Fault, string) {
	if t.Failed != "" {
		return NotSent, "Nothing could be tried: " + t.Failed + "."
	}
	could, heard, elsewhere := m.witnesses(t)
	best, known := m.strongest(t, heard)
	switch {
	case len(heard) > 0 && known && best <= weak:
		return Weak, fmt.Sprintf("%s%sit, but at most at %.0f %% strength: bring it nearer, look at its antenna "+
			"or at the "+
			"current of its LED.", places(heard), hears(heard), 100*best)
	case len(heard) > 0:
		return None, places(heard) + hears(heard) + "it."
	case len(elsewhere) > 0 && elsewhere[0].Medium != t.Medium:
		return Swapped, fmt.Sprintf("%s%sit, by %s: the wires of %s and of the %s transmitter beside it are swapped.",
			places(elsewhere), hears(elsewhere), elsewhere[0].Medium, t.Place(), elsewhere[0].Medium)
	case len(elsewhere) > 0:
		return Off, fmt.Sprintf("It was to send on %s, and only %s%sit, on %s: the module is made for another "+
			"frequency.",
			device.Hertz(t.On.Hz), places(elsewhere), hears(elsewhere), band(elsewhere[0].End))
	case len(could) == 0:
		return Unheard, fmt.Sprintf("No receiver here hears %s on %s: nobody can tell whether it works.", t.Medium,
			device.Hertz(t.On.Hz))
	}
	if mate := m.swappedWith(t); mate != "" {
		return Swapped, fmt.Sprintf("Nobody hears it, and %s is heard by %s: the wires of the two are swapped.", mate,
			t.Medium)
	}
	if own := m.own(t, could); own != nil && own.Deaf && m.hearsNobody(*own) {
		return Exchanged, fmt.Sprintf("Nobody hears it, and %s beside it has heard nothing either: the two are "+
			"exchanged, "+
			"or neither has power. Press a handset at it: if it is heard, only the transmitter is dead.", own.Place())
	}
	return Dead, fmt.Sprintf("Nobody hears it, and %s could: look at its power, its wire, and which way round "+
		"its LED or "+
		"module is.", places(could))
}

// swappedWith is a transmitter of the same station that is heard by the medium of this one; "" where there is none.
func (m Matrix) swappedWith(t Transmitter) string {
	for _, other := range m.Transmitters {
		if other.Station != t.Station || other.Medium == t.Medium {
			continue
		}
		if _, _, elsewhere := m.witnesses(other); len(elsewhere) > 0 && elsewhere[0].Medium == t.Medium {
			return other.Place()
		}
	}
	return ""
}

// witnesses are the receivers that could hear a transmitter, those of them that do, and others that do.
func (m Matrix) witnesses(t Transmitter) (could, heard, elsewhere []Receiver) {
	for _, r := range m.Receivers {
		_, hears := m.Cells[Heard{t.Place(), r.Place()}]
		switch fits := r.covers(t.On); {
		case fits && hears:
			heard = append(heard, r)
		case hears:
			elsewhere = append(elsewhere, r)
		}
		if r.covers(t.On) {
			could = append(could, r)
		}
	}
	// Another medium explains more than another channel.
	slices.SortStableFunc(elsewhere, func(a, b Receiver) int {
		return order(a.Medium == t.Medium) - order(b.Medium == t.Medium)
	})
	return could, heard, elsewhere
}

func order(later bool) int {
	if later {
		return 1
	}
	return 0
}

// strongest is the best strength that any of some receivers measured; known is false where none of them measures it.
func (m Matrix) strongest(t Transmitter, heard []Receiver) (best float64, known bool) {
	for _, r := range heard {
		if s := m.Cells[Heard{t.Place(), r.Place()}].Strength; s != nil {
			best, known = max(best, *s), true
		}
	}
	return best, known
}

// own is the receiver of a transmitter's own station, nil where it has none that could hear it.
func (m Matrix) own(t Transmitter, could []Receiver) *Receiver {
	for _, r := range could {
		if r.Station == t.Station {
			return &r
		}
	}
	return nil
}

func (m Matrix) hearsNobody(r Receiver) bool {
	for pair := range m.Cells {
		if pair.Receiver == r.Place() {
			return false
		}
	}
	return true
}

func places(all []Receiver) string {
	names := make([]string, len(all))
	for i, r := range all {
		names[i] = r.Place()
	}
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	last := len(names) - 1
	return strings.Join(names[:last], ", ") + " and " + names[last]
}

func hears(all []Receiver) string {
	if len(all) == 1 {
		return " hears "
	}
	return " hear "
}

func band(e End) string {
	if e.FromHz == e.ToHz {
		return device.Hertz(e.FromHz)
	}
	return device.Hertz(e.FromHz) + " to " + device.Hertz(e.ToHz)
}

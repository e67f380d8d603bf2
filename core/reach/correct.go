package reach

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// Correction makes the durations of a transmitter true: it makes every one Unit times as long as it was told, and marks
// Stretch longer and spaces as much shorter. The zero value is a transmitter that needs none.
type Correction struct {
	Unit    float64 `json:"unit,omitempty"`       // 0 is 1
	Stretch float64 `json:"stretch_us,omitempty"` // in µs
}

// Bounds of corrections: what is farther off is broken.
const (
	MostUnit    = 0.2 // above or below 1
	MostStretch = 400 // in µs, either way
)

// Proposals begin where receivers may begin to misread.
const (
	offUnit    = 0.02
	offStretch = 80
)

// unit is Unit, read as it is meant.
func (c Correction) unit() float64 {
	if c.Unit == 0 {
		return 1
	}
	return c.Unit
}

// None says that nothing is to be corrected.
func (c Correction) None() bool { return c.unit() == 1 && c.Stretch == 0 }

// Check says what is wrong with a correction.
func (c Correction) Check() error {
	switch {
	case !(math.Abs(c.unit()-1) <= MostUnit):
		return fmt.Errorf("unit %g: from %g to %g", c.Unit, 1-MostUnit, 1+MostUnit)
	case !(math.Abs(c.Stretch) <= MostStretch):
		return fmt.Errorf("stretch of %g µs: from %d to %d", c.Stretch, -MostStretch, MostStretch)
	}
	return nil
}

// Apply is what to tell the transmitter, so that durations, mark first, come out as they are.
func (c Correction) Apply(durations []int) []int {
	if c.None() || len(durations) == 0 {
		return durations
	}
	out := make([]int, len(durations))
	for i, d := range durations {
		stretch := c.Stretch
		if i%2 == 1 {
			stretch = -stretch
		}
		out[i] = max(int(math.Round((float64(d)-stretch)/c.unit())), 1)
	}
	return out
}

// And is a correction with another one found while it was in force.
func (c Correction) And(found Correction) Correction {
	return Correction{Unit: round(c.unit()*found.unit(), 1000), Stretch: round(c.Stretch+found.Stretch, 1)}
}

// Text says what a transmitter does, in words.
func (c Correction) Text() string {
	var parts []string
	if u := c.unit(); u != 1 {
		parts = append(parts, fmt.Sprintf("runs %.1f %% %s", 100*math.Abs(u-1),
			map[bool]string{true: "slow", false: "fast"}[u > 1]))
	}
	if c.Stretch != 0 {
		parts = append(parts, fmt.Sprintf("makes marks %.0f µs too %s", math.Abs(c.Stretch),
			map[bool]string{true: "long", false: "short"}[c.Stretch > 0]))
	}
	return strings.Join(parts, " and ")
}

// Proposal is a correction that a test found.
type Proposal struct {
	Correction
	Sure bool   // it is this transmitter, and not what hears it
	Text string // what was found, in words
}

// Corrections proposes what to correct, by transmitter. A difference is laid to a transmitter only where another
// receiver, or another transmitter that the same receiver hears, shows that it is not the receiver's; and of two
// transmitters that differ, to the one that is farther from what it was told.
func (m Matrix) Corrections() map[string]Proposal {
	out := map[string]Proposal{}
	for _, t := range m.Transmitters {
		var units, stretches, rawUnits, rawStretches []float64
		backed, only := false, ""
		for _, r := range m.Receivers {
			cell, heard := m.Cells[Heard{t.Place(), r.Place()}]
			if !heard || r.Medium != t.Medium {
				continue
			}
			unit, stretch, known := m.usual(r, t)
			backed, only = backed || known, r.Place()
			units, stretches = append(units, cell.Unit/unit), append(stretches, cell.Stretch-stretch)
			rawUnits, rawStretches = append(rawUnits, cell.Unit), append(rawStretches, cell.Stretch)
		}
		if len(units) == 0 {
			continue
		}
		var c Correction
		if u := median(units); math.Abs(u-1) >= offUnit && math.Abs(median(rawUnits)-1) >= offUnit {
			c.Unit = round(u, 1000)
		}
		if s := median(stretches); math.Abs(s) >= offStretch && math.Abs(median(rawStretches)) >= offStretch {
			c.Stretch = round(s, 1)
		}
		if c.None() || c.Check() != nil {
			continue
		}
		p := Proposal{c, backed || len(units) > 1, "It " + c.Text() + "."}
		if !p.Sure {
			p.Text = fmt.Sprintf("It %s, or %s hears it so: with one of each, nobody can tell which.", c.Text(), only)
		}
		out[t.Place()] = p
	}
	return out
}

// usual is how a receiver hears other transmitters than one of them; known is false where it hears no other.
func (m Matrix) usual(r Receiver, but Transmitter) (unit, stretch float64, known bool) {
	var units, stretches []float64
	for _, t := range m.Transmitters {
		if c, heard := m.Cells[Heard{t.Place(), r.Place()}]; heard && t.Place() != but.Place() &&
			t.Medium == but.Medium {
			units, stretches = append(units, c.Unit), append(stretches, c.Stretch)
		}
	}
	if len(units) == 0 {
		return 1, 0, false
	}
	return median(units), median(stretches), true
}

func median(all []float64) float64 {
	slices.Sort(all)
	n := len(all)
	return (all[(n-1)/2] + all[n/2]) / 2
}

func round(x, parts float64) float64 { return math.Round(x*parts) / parts }

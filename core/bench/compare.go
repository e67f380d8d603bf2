package bench

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"urbo/core/signal"
)

// Verdict is what two signals laid over each other are.
type Verdict string

// The verdicts.
const (
	Same      Verdict = "same"      // the same signal
	Clock     Verdict = "clock"     // the same bits at another unit
	Bits      Verdict = "bits"      // the same kind of frame with other bits
	Different Verdict = "different" // another kind of frame
)

// Comparison is two signals laid over each other.
type Comparison struct {
	Verdict   Verdict
	A, B      Structure
	Length    float64      // B's length as a share of A's
	Unit      float64      // B's unit as a share of A's; 0 where one has none
	Stretch   float64      // µs that B's marks are longer than A's, at A's clock
	Scaled    signal.Train // B's frame stretched in time to A's clock, µs
	Offset    int          // duration of A's frame that Scaled begins at
	Mean      float64      // mean difference of the durations, µs, after scaling
	Most      float64      // largest difference, µs
	Worst     int          // index of the duration of A's frame that differs most
	Differing []int        // numbers of the bits that differ, from 1, over all blocks
	Words     string       // all of it in words
}

// close is how far two durations of one signal may be apart on the mean, as a share of the unit.
const closeEnough = 0.25

// Compare lays two presses over each other. Errors wrap ErrTooShort.
func Compare(a, b []signal.Reception) (Comparison, error) {
	sa, err := Describe(a)
	if err != nil {
		return Comparison{}, fmt.Errorf("first signal: %w", err)
	}
	sb, err := Describe(b)
	if err != nil {
		return Comparison{}, fmt.Errorf("second signal: %w", err)
	}
	c := Comparison{A: sa, B: sb, Length: float64(sb.Raw.Length()) / float64(sa.Raw.Length())}
	if sa.Unit > 0 && sb.Unit > 0 {
		c.Unit = sb.Unit / sa.Unit
	}
	c.align()
	c.judge()
	c.Words = c.words()
	return c, nil
}

// align brings B to A's clock and finds the place of A where it fits best.
func (c *Comparison) align() {
	ra, rb := c.A.Raw, c.B.Raw
	ratio := 1 / c.Length
	if len(ra) != len(rb) && c.Unit > 0 {
		ratio = 1 / c.Unit
	}
	c.Scaled = make(signal.Train, len(rb))
	for i, d := range rb {
		c.Scaled[i] = max(int(math.Round(float64(d)*ratio)), 1)
	}
	least := math.Inf(1)
	for offset := 0; offset == 0 || offset+len(rb) <= len(ra) && offset <= 200; offset += 2 {
		if mean := c.differences(offset); mean < least {
			least, c.Offset = mean, offset
		}
	}
	c.Mean = c.differences(c.Offset)
}

// differences compares the durations that both have, and keeps the largest and the stretch.
func (c *Comparison) differences(offset int) (mean float64) {
	a := c.A.Raw[min(offset, len(c.A.Raw)):]
	n := min(len(a), len(c.Scaled))
	marks, count := 0.0, 0.0
	for i := range n {
		if i%2 == 0 && i > 0 {
			marks += float64(c.Scaled[i] - a[i])
			count++
		}
	}
	c.Stretch = 0
	if count > 0 {
		c.Stretch = math.Round(marks / count)
	}
	c.Most, c.Worst = 0, offset
	for i := range n {
		d := math.Abs(float64(c.Scaled[i] - a[i]))
		if d > c.Most {
			c.Most, c.Worst = d, offset+i
		}
		mean += d / float64(n)
	}
	return mean
}

func (c *Comparison) judge() {
	a, b := strings.Join(c.A.Bits, ""), strings.Join(c.B.Bits, "")
	unit := c.A.Unit
	if unit == 0 {
		unit = float64(slices.Min(c.A.Raw))
	}
	same := c.A.Same(c.B) && (c.A.Style != Plain || Alike(c.scaled(), c.A.Frame))
	switch {
	case same && math.Abs(c.Length-1) < 0.05:
		c.Verdict = Same
	case same:
		c.Verdict = Clock
	case a != "" && c.A.Style == c.B.Style && len(a) == len(b) && len(c.A.Bits) == len(c.B.Bits):
		c.Verdict = Bits
		for i := range a {
			if a[i] != b[i] {
				c.Differing = append(c.Differing, i+1)
			}
		}
	case len(c.A.Raw) == len(c.B.Raw) && c.Mean < closeEnough*unit:
		c.Verdict = Same
		if math.Abs(c.Length-1) >= 0.05 {
			c.Verdict = Clock
		}
	default:
		c.Verdict = Different
	}
}

// scaled is B's clean frame at A's clock.
func (c *Comparison) scaled() signal.Train {
	out := make(signal.Train, len(c.B.Frame))
	ratio := float64(c.A.Frame.Length()) / float64(c.B.Frame.Length())
	for i, d := range c.B.Frame {
		out[i] = int(math.Round(float64(d) * ratio))
	}
	return out
}

func (c *Comparison) words() string {
	var out string
	longer := percent(c.Length)
	switch c.Verdict {
	case Same:
		out = "The same signal"
		if longer != "" {
			out += "; the second is " + longer
		}
		out += "."
	case Clock:
		out = "Same bits; the second is " + longer
		if c.A.Style == Plain {
			out = "The same durations; the second is " + longer
		}
		if c.A.Unit > 0 && c.B.Unit > 0 {
			out += fmt.Sprintf(": set the unit to %.0f instead of %.0f", c.A.Unit, c.B.Unit)
		}
		out += "."
	case Bits:
		n := len(strings.Join(c.A.Bits, ""))
		if len(c.Differing) == 0 {
			return fmt.Sprintf("Same bits, sent in another way: unit %.0f and %.0f, length %s.", c.A.Unit, c.B.Unit,
				percent(c.Length))
		}
		out = fmt.Sprintf("The same kind of frame with other bits: %d of %d differ, the first is bit %d.",
			len(c.Differing), n, c.Differing[0])
		if shift := percent(c.Unit); shift != "" {
			out += fmt.Sprintf(" The second's unit is %s.", shift)
		}
	default:
		return fmt.Sprintf("Two different kinds of frame. First: %s Second: %s", c.A.Words(), c.B.Words())
	}
	if math.Abs(c.Stretch) >= 30 && c.Verdict != Bits {
		word := "longer"
		if c.Stretch < 0 {
			word = "shorter"
		}
		out += fmt.Sprintf(" Its marks are %.0f µs %s: another receiver, or another distance.", math.Abs(c.Stretch),
			word)
	}
	if c.Verdict != Bits {
		out += fmt.Sprintf(" Durations differ by %.0f µs on the mean, %.0f µs at most.", c.Mean, c.Most)
	}
	return out
}

// percent says how much longer a share is, "" where it is the same.
func percent(share float64) string {
	p := math.Round((share - 1) * 100)
	switch {
	case share == 0 || p == 0:
		return ""
	case p < 0:
		return fmt.Sprintf("%.0f %% shorter", -p)
	}
	return fmt.Sprintf("%.0f %% longer", p)
}

package control_test

import (
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

var crowds = flag.Int("crowds", 1000, "how many devices are lived with in the dense mix")

// crowd counts what was said in a dense mix of presses, and how much of it was wrong.
type crowd struct {
	said, wrong map[control.Word]int
	sets, false int // sets that ended as wanted, as far as is believed, and of these those that did not
	notAmong    int // true values that were not among the possible ones
	// timed is how often a power was said to be on whose own timer may have run out, as nobody knows when it began, and
	// ranOut how often it had.
	timed, ranOut int
}

// mix lives with a random device: its handset, single presses through Urbo, and sets, some seconds apart. Of presses
// one in so many is missed by the device, and of those of the handset as many are heard by nobody.
func (c *crowd) mix(t *testing.T, seed uint64, missing float64) {
	r := rand.New(rand.NewPCG(seed, 7))
	s := &story{quiet: true, random: r, thing: newThing(r), now: epoch}
	spec, err := control.Compile(s.thing.keys, s.thing.forms)
	require.NoError(t, err)
	s.spec, s.books = spec, map[string]ledger{}
	b := spec.Nothing()
	for _, form := range s.thing.forms.Controls { // it is looked at once
		b, _, err = spec.Tell(b, form.Name, s.thing.truth(form.Name, s.now), control.Told, s.now)
		require.NoError(t, err)
	}
	press := func(p control.Press) {
		if r.Float64() >= missing {
			s.thing.obey(p)
		}
		if p.Source == control.ByHandset && r.Float64() < missing {
			return
		}
		b = spec.After(b, p)
	}
	for range 150 {
		s.now = s.now.Add(time.Duration(float64(pick(r, 2*time.Second, 8*time.Second,
			40*time.Second)) * (0.5 + r.Float64())))
		s.belief = b
		switch r.IntN(3) {
		case 0:
			p := s.press(control.Press{At: s.now, Outcome: control.Sent, Source: control.ByHandset})
			press(p)
		case 1:
			press(s.press(control.Press{At: s.now, Outcome: control.Sent, Source: control.BySending}))
		default:
			c.set(t, s, &b, press)
		}
		c.look(spec.States(b, s.now), s)
	}
}

// set asks for something, carries it out, and looks whether it is so where that is believed.
func (c *crowd) set(t *testing.T, s *story, b *control.Belief, press func(control.Press)) {
	form := pick(s.random, s.thing.forms.Controls...)
	want := control.Want{Control: form.Name, Value: s.anyValue(form)}
	if want.Value[0] == '+' {
		return
	}
	p, err := s.spec.Plan(*b, control.Request{Wants: []control.Want{want}, Asked: true, Holds: s.thing.holds}, s.now)
	if err != nil || !p.Sure {
		return
	}
	at := s.now
	for _, step := range p.Steps {
		at = at.Add(step.Wait)
		for n := range step.Times {
			if n > 0 {
				at = at.Add(step.Gap)
			}
			press(control.Press{Key: step.Key, Frame: step.Frame, At: at, Held: step.Hold, Outcome: control.Sent,
				Source: control.BySending})
		}
		at = at.Add(step.Hold)
	}
	s.now = s.now.Add(p.Takes)
	for _, st := range s.spec.States(*b, s.now) {
		if st.Control == want.Control && st.Word != control.Doubtful && len(p.Steps) > 0 && !mayHaveRunOut(st) {
			c.sets++
			if truth := s.thing.truth(want.Control, s.now); !s.near(truth, want.Value, st) {
				c.false++
			}
		}
	}
}

// near says whether a true value is what is believed, as near as that is said.
func (s *story) near(truth, value string, st control.State) bool {
	switch {
	case st.Control == "glow" && st.About:
		return math.Abs(place(truth)-place(value)) <= max(float64((s.thing.glows+3)/6), 1)
	case st.Control == "slats":
		return math.Abs(place(truth)-place(value)) <= 22
	case st.Kind == control.Dial && st.About:
		return math.Abs(place(truth)-place(value)) <= s.thing.width()
	case st.Kind == control.Travel:
		return math.Abs(place(truth)-place(value)) <= 8
	}
	return truth == value
}

// mayHaveRunOut says whether a power is said to be on, and its own timer may have switched it off.
func mayHaveRunOut(st control.State) bool {
	return st.Control == "power" && len(st.May) > 1 && st.Value != ""
}

// look compares all that is said with what is so.
func (c *crowd) look(states []control.State, s *story) {
	for _, st := range states {
		truth := s.thing.truth(st.Control, s.now)
		if !s.among(truth, st) {
			c.notAmong++
		}
		if st.Value == "" || st.Word == control.Doubtful {
			continue
		}
		if mayHaveRunOut(st) {
			if c.timed++; truth != st.Value {
				c.ranOut++
			}
			continue
		}
		c.said[st.Word]++
		if !s.near(truth, st.Value, st) {
			c.wrong[st.Word]++
		}
	}
}

// TestCrowd_WordsHoldInADenseMix presses handsets, sends and sets side by side, without misses and with one in fifty.
func TestCrowd_WordsHoldInADenseMix(t *testing.T) {
	for _, missing := range []float64{0, 0.02} {
		t.Run(fmt.Sprint(missing), func(t *testing.T) {
			c := crowd{said: map[control.Word]int{}, wrong: map[control.Word]int{}}
			for seed := range uint64(*crowds) {
				c.mix(t, seed, missing)
			}
			certain := 1 - share(c.said[control.Certain]-c.wrong[control.Certain], c.said[control.Certain])
			believed := 1 - share(c.said[control.Believed]-c.wrong[control.Believed], c.said[control.Believed])
			sets := 1 - share(c.sets-c.false, c.sets)
			t.Logf("certain %d, wrong %.3f %%; believed %d, wrong %.2f %%; sets %d, false %.2f %%; not among %d",
				c.said[control.Certain], 100*certain, c.said[control.Believed], 100*believed, c.sets, 100*sets,
				c.notAmong)
			assert.Less(t, 1-share(c.timed-c.ranOut, c.timed), 0.05, "of %d powers with a timer", c.timed)
			if missing == 0 {
				assert.Zero(t, c.notAmong, "with nothing missed the true value is possible")
				assert.Zero(t, c.wrong[control.Certain]+c.wrong[control.Believed]+c.false)
				return
			}
			assert.Less(t, certain, 0.001)
			assert.Less(t, believed, 0.07)
			assert.Less(t, sets, 0.035,
				"one press in fifty is missed, and a toggle goes on from what was missed before")
		})
	}
}

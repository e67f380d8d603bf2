package control_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

var shutter = control.Forms{Controls: []control.Control{{Name: "shutter", Kind: control.Travel, Open: "open",
	Close: "close", Stop: "stop", OpenMS: 42_000}}}

// do is what is believed after a plan, at its end.
func do(t *testing.T, s *control.Spec, b control.Belief, at time.Time, want ...control.Want) (control.Plan,
	control.Belief,
	time.Time) {
	t.Helper()
	p, err := s.Plan(b, control.Request{Wants: want, Asked: true}, at)
	require.NoError(t, err)
	when := at
	for _, step := range p.Steps {
		when = when.Add(step.Wait)
		for n := range step.Times {
			if n > 0 {
				when = when.Add(step.Gap)
			}
			b = s.After(b, control.Press{Key: step.Key, At: when, Outcome: control.Sent, Source: control.BySending})
		}
	}
	end := at.Add(p.Takes)
	return p, s.At(b, end), end
}

func keysOf(p control.Plan) (out []string) {
	for _, s := range p.Steps {
		out = append(out, s.Key)
	}
	return out
}

func TestPlan_PressesTheKeysOfASequenceInTheirOrder(t *testing.T) {
	picture := control.Control{Name: "picture", Kind: control.Selector, Values: []string{"film", "talk"},
		Sequences: map[string][]string{"film": {"menu", "1"}, "talk": {"menu", "next", "2"}}}
	s, err := control.Compile([]string{"menu", "1", "2", "next"},
		control.Forms{Controls: []control.Control{picture}})
	require.NoError(t, err)
	p, b, at := do(t, s, s.Nothing(), epoch, control.Want{Control: "picture", Value: "talk"})
	assert.Equal(t, []string{"menu", "next", "2"}, keysOf(p))
	assert.True(t, p.Sure)
	assert.Equal(t, "talk", s.States(b, at)[0].Value)
}

func TestPlan_AfterThreePartsOfTheWayAnEndIsGoneToFirst(t *testing.T) {
	s, err := control.Compile([]string{"open", "close", "stop"}, shutter)
	require.NoError(t, err)
	told, _, err := s.Tell(s.Nothing(), "shutter", "closed", control.Told, epoch)
	require.NoError(t, err)
	p, _, _ := do(t, s, told, epoch, control.Want{Control: "shutter", Value: "10"})
	assert.Equal(t, []string{"open", "stop"}, keysOf(p), "where it stands was told")
	at := epoch
	p, b, at := do(t, s, s.Nothing(), at, control.Want{Control: "shutter", Value: "closed"})
	assert.Equal(t, []string{"close"}, keysOf(p))
	var places []string
	for _, want := range []string{"10", "20", "30", "40"} {
		p, b, at = do(t, s, b, at, control.Want{Control: "shutter", Value: want})
		require.True(t, p.Sure, want)
		places = append(places, p.Steps[0].Key)
	}
	assert.Equal(t, []string{"open", "open", "open", "close"}, places)
}

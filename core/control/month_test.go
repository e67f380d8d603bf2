package control_test

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

var (
	months    = flag.Int("months", 200, "how many months are simulated")
	monthFile = flag.String("month-table", "", "file to write the table of trust to")
)

// living is a device in a house where people live, for a month.
type living struct {
	name   string
	forms  control.Forms
	keys   []string
	sensor bool // something measures its power
	people bool // whoever sees that it is not as is believed says so, now and then
}

var livings = []living{
	{name: "one key that toggles, nobody tells", keys: []string{"power"}, forms: toggles},
	{name: "one key that toggles, people tell", keys: []string{"power"}, forms: toggles, people: true},
	{name: "one key that toggles, with a sensor", keys: []string{"power"}, forms: toggles, sensor: true},
	{name: "a key for on and one for off", keys: []string{"on", "off"}, forms: twoKeys},
	{name: "a key for on and one for off, with a sensor", keys: []string{"on", "off"}, forms: twoKeys, sensor: true},
	{name: "volume by steps, people tell", keys: []string{"up", "down"}, people: true, forms: control.Forms{
		Controls: []control.Control{{Name: "it", Kind: control.Dial, Most: number(20), Up: "up", Down: "down"}}}},
	{name: "inputs by keys of their own", keys: []string{"a", "b", "c"}, forms: control.Forms{
		Controls: []control.Control{{Name: "it", Kind: control.Selector, Values: []string{"a", "b", "c"},
			Keys: map[string]string{"a": "a", "b": "b", "c": "c"}}}}},
	{name: "inputs by one key that goes round, people tell", keys: []string{"round"}, people: true,
		forms: control.Forms{Controls: []control.Control{{Name: "it", Kind: control.Selector,
			Values: []string{"a", "b", "c"}, Round: "round"}}}},
}

var toggles = control.Forms{Controls: []control.Control{{Name: "it", Kind: control.Power, Round: "power"}}}

var twoKeys = control.Forms{Controls: []control.Control{{Name: "it", Kind: control.Power,
	Keys: map[string]string{"on": "on", "off": "off"}}}}

// tally counts samples by the word that was said, and how many of them were true.
type tally struct{ said, true map[control.Word]int }

// obey is the device, in a few lines of its own.
func (l living) obey(at int, key string) int {
	switch {
	case key == "power":
		return 1 - at
	case key == "on":
		return 1
	case key == "off":
		return 0
	case key == "up":
		return min(at+1, 20)
	case key == "down":
		return max(at-1, 0)
	case key == "round":
		return (at + 1) % 3
	}
	return int(key[0] - 'a')
}

func (l living) values() []string {
	switch c := l.forms.Controls[0]; c.Kind {
	case control.Power:
		return []string{"off", "on"}
	case control.Dial:
		var out []string
		for i := range 21 {
			out = append(out, fmt.Sprint(i))
		}
		return out
	default:
		return c.Values
	}
}

// month lives with a device for thirty days: a handset is used eight times a day and heard but for one press in fifty;
// Urbo is asked six times a day, and one of fifty presses that it sends is missed by the device.
func (l living) month(t *testing.T, seed uint64, into tally) (missed int) {
	r := rand.New(rand.NewPCG(seed, 30))
	spec, err := control.Compile(l.keys, l.forms)
	require.NoError(t, err)
	truth, values := 0, l.values()
	b, _, err := spec.Tell(spec.Nothing(), "it", values[0], control.Told, epoch)
	require.NoError(t, err)
	const miss = 0.02
	const look = 5 * time.Minute // how often something may happen, and is looked at
	const aDay = float64(24 * time.Hour / look)
	for n := range 30 * int(aDay) {
		now := epoch.Add(time.Duration(n) * look)
		if r.Float64() < 8/aDay {
			key := l.keys[r.IntN(len(l.keys))]
			truth = l.obey(truth, key)
			if r.Float64() >= miss {
				b = spec.After(b, control.Press{Key: key, At: now, Outcome: control.Sent, Source: control.ByHandset})
			}
		}
		if r.Float64() < 6/aDay {
			want := values[r.IntN(len(values))]
			p, err := spec.Plan(b, control.Request{Wants: []control.Want{{Control: "it", Value: want}}, Asked: true},
				now)
			require.NoError(t, err)
			for _, step := range p.Steps {
				for range step.Times {
					if r.Float64() >= miss {
						truth = l.obey(truth, step.Key)
					}
					b = spec.After(b, control.Press{Key: step.Key, At: now, Outcome: control.Sent,
						Source: control.BySending})
				}
			}
			if l.people && values[truth] != want && r.IntN(2) == 0 { // whoever asked sees that it is not so
				b, _, err = spec.Tell(b, "it", values[truth], control.Told, now)
				require.NoError(t, err)
			}
		}
		st := spec.States(b, now)[0]
		if l.sensor && n%2 == 0 {
			before := st
			var fits bool
			b, fits, err = spec.Tell(b, "it", values[truth], control.Sensed, now)
			require.NoError(t, err)
			if before.Word == control.Certain && before.Value != values[truth] {
				missed++
				assert.False(t, fits, "what was wrong while certain is said when it is sensed")
			}
			st = spec.States(b, now)[0]
		}
		into.said[st.Word]++
		if st.Value == values[truth] {
			into.true[st.Word]++
		}
	}
	return missed
}

// TestMonth_WordsMeanWhatTheySay holds the words to how often they are true, in months with misses.
func TestMonth_WordsMeanWhatTheySay(t *testing.T) {
	table := "| device | certain | of it true | believed | of it true | doubtful | of it true " +
		"|\n|---|---|---|---|---|---|---|\n"
	for _, l := range livings {
		one := tally{map[control.Word]int{}, map[control.Word]int{}}
		for m := range *months {
			l.month(t, uint64(m), one)
		}
		all := 0
		for _, n := range one.said {
			all += n
		}
		table += "| " + l.name
		for _, w := range []control.Word{control.Certain, control.Believed, control.Doubtful} {
			if one.said[w] == 0 {
				table += " | 0 % | –"
				continue
			}
			table += fmt.Sprintf(" | %.1f %% | %.2f %%", 100*share(one.said[w], all),
				100*share(one.true[w], one.said[w]))
		}
		table += " |\n"
		assert.GreaterOrEqual(t, share(one.true[control.Certain], one.said[control.Certain]), 0.999, l.name)
		assert.GreaterOrEqual(t, share(one.true[control.Believed], one.said[control.Believed]), 0.9, l.name)
	}
	t.Log("\n" + table)
	if *monthFile != "" {
		require.NoError(t, os.WriteFile(*monthFile, []byte(table), 0o644))
	}
}

// share of some; of none it is all.
func share(n, of int) float64 {
	if of == 0 {
		return 1
	}
	return float64(n) / float64(of)
}

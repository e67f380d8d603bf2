package control_test

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"sync"
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

	// of one that has a life of its own; else it is as obey says
	new func(r *rand.Rand) appliance
}

// appliance is a device that does more than its keys say at once.
type appliance interface {
	obey(p control.Press)
	at(now time.Time) string
	// used is what people do with it: presses of its handset, or of what it depends on.
	used(now time.Time) []control.Press
}

// simple is a device whose keys do at once what they say.
type simple struct {
	living
	value  int
	random *rand.Rand
}

func (s *simple) obey(p control.Press) { s.value = s.living.obey(s.value, p.Key) }
func (s *simple) at(time.Time) string  { return s.values()[s.value] }
func (s *simple) used(now time.Time) []control.Press {
	return []control.Press{{Key: s.keys[s.random.IntN(len(s.keys))], At: now}}
}

// menu is set through its menu.
type menu struct {
	pressed []string
	value   int
	random  *rand.Rand
}

var menus = control.Control{Name: "it", Kind: control.Selector, Values: []string{"a", "b"},
	Sequences: map[string][]string{"a": {"menu", "ok"}, "b": {"menu", "next", "ok"}}}

func (m *menu) obey(p control.Press) {
	if p.Key == "menu" {
		m.pressed = nil
	}
	if m.pressed = append(m.pressed, p.Key); p.Key == "ok" {
		m.value = min(len(m.pressed), 3) - 2
		if m.pressed[0] != "menu" {
			m.value = m.random.IntN(2) // whatever was marked
		}
		m.value, m.pressed = max(m.value, 0), nil
	}
}
func (m *menu) at(time.Time) string { return []string{"a", "b"}[m.value] }
func (m *menu) used(now time.Time) (out []control.Press) {
	for i, key := range menus.Sequences[pick(m.random, "a", "b")] {
		out = append(out, control.Press{Key: key, At: now.Add(time.Duration(i) * time.Second)})
	}
	return out
}

// whole is set by frames that carry everything.
type whole struct {
	on, display int
	random      *rand.Rand
}

func (w *whole) obey(p control.Press) { w.on = map[string]int{"off": 0, "on": 1}[p.Frame["it"]] }
func (w *whole) at(time.Time) string  { return []string{"off", "on"}[w.on] }
func (w *whole) used(now time.Time) []control.Press {
	w.display = 1 - w.display // it goes on from what its own display shows
	return []control.Press{{Frame: map[string]string{"it": []string{"off", "on"}[w.display]}, At: now}}
}

// timed switches itself off after two hours.
type timed struct {
	on     bool
	since  time.Time
	random *rand.Rand
}

func (d *timed) obey(p control.Press) {
	switch is := d.at(p.At) == "on"; {
	case p.Key == "off" || p.Key == "power" && is:
		d.on = false
	case !is:
		d.on, d.since = true, p.At
	}
}
func (d *timed) at(now time.Time) string {
	if d.on && now.Before(d.since.Add(2*time.Hour)) {
		return "on"
	}
	return "off"
}
func (d *timed) used(now time.Time) []control.Press {
	return []control.Press{{Key: pick(d.random, "on", "off"), At: now}}
}

// follower is switched by another device's cable, and by a key of its own. Half of the time people use the other one.
type follower struct {
	on, leader bool
	random     *rand.Rand
}

func (f *follower) obey(p control.Press) {
	if p.Source == control.ByLink {
		f.on = true
		return
	}
	f.on = !f.on
}
func (f *follower) at(time.Time) string {
	if f.on {
		return "on"
	}
	return "off"
}
func (f *follower) used(now time.Time) []control.Press {
	if f.random.IntN(2) == 0 {
		return []control.Press{{Key: "power", At: now}}
	}
	if f.leader = !f.leader; f.leader {
		return []control.Press{{Key: "@player power on", At: now, Source: control.ByLink}}
	}
	return nil
}

// turning passes over a frame whose bit it saw last, from whichever of its two handsets; Urbo sends the other one.
type turning struct {
	on     bool
	last   int // bit that it saw last
	heard  int // bit that Urbo heard or sent last
	bits   [2]int
	random *rand.Rand
}

func (d *turning) obey(p control.Press) {
	bit := 1 - d.heard
	if p.Cause != "" { // of a handset
		bit = int(p.Cause[0] - '0')
	}
	if d.heard = bit; bit != d.last {
		d.on = !d.on
	}
	d.last = bit
}
func (d *turning) at(time.Time) string {
	if d.on {
		return "on"
	}
	return "off"
}
func (d *turning) used(now time.Time) []control.Press {
	n := d.random.IntN(2)
	d.bits[n] = 1 - d.bits[n]
	p := control.Press{Key: "power", At: now, Cause: fmt.Sprint(d.bits[n])}
	if d.bits[n] == d.heard { // what is heard twice may have been passed over
		p.Outcome = control.Unknown
	}
	return []control.Press{p}
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
	{name: "an option through a menu", keys: []string{"menu", "next", "ok"},
		forms: control.Forms{Controls: []control.Control{menus}},
		new:   func(r *rand.Rand) appliance { return &menu{random: r} }},
	{name: "frames that carry everything", forms: control.Forms{Controls: []control.Control{{Name: "it",
		Kind: control.Power}}, Whole: &control.Whole{Sheet: "x", Settings: []control.Setting{{Control: "it", Field: "p",
		Values: map[string]int64{"off": 0, "on": 1}}}}},
		new: func(r *rand.Rand) appliance { return &whole{random: r} }},
	{name: "on and off, with a timer of its own", keys: []string{"on", "off"},
		forms: control.Forms{Controls: []control.Control{{Name: "it", Kind: control.Power, GoesOffS: 7200,
			Keys: map[string]string{"on": "on", "off": "off"}}}},
		new: func(r *rand.Rand) appliance { return &timed{random: r} }},
	{name: "one key that toggles, with a timer of its own, people tell", keys: []string{"power"}, people: true,
		forms: control.Forms{Controls: []control.Control{{Name: "it", Kind: control.Power, GoesOffS: 7200,
			Round: "power"}}},
		new: func(r *rand.Rand) appliance { return &timedToggle{timed{random: r}} }},
	{name: "one key that toggles, and a player that switches it on, people tell", keys: []string{"power"},
		people: true, forms: control.Forms{Controls: toggles.Controls, Links: []control.Link{{DeviceID: "player",
			Control: "power", Value: "on", Sets: "it", To: "on"}}},
		new: func(r *rand.Rand) appliance { return &follower{random: r} }},
	{name: "one key that two devices obey, people tell", keys: []string{"power"}, forms: toggles, people: true,
		new: func(r *rand.Rand) appliance { return &shared{simple{living: livingOf(toggles), random: r}} }},
	{name: "two handsets with bits that turn, people tell", keys: []string{"power"}, forms: toggles, people: true,
		new: func(r *rand.Rand) appliance { return &turning{random: r} }},
}

// timedToggle has one key.
type timedToggle struct{ timed }

func (d *timedToggle) used(now time.Time) []control.Press {
	return []control.Press{{Key: "power", At: now}}
}

// shared is pressed for another device now and then, too, and follows.
type shared struct{ simple }

func (s *shared) used(now time.Time) []control.Press {
	out := []control.Press{{Key: "power", At: now}}
	if s.random.IntN(2) == 0 {
		out = append(out, control.Press{Key: "power", At: now.Add(time.Minute), Source: control.BySending})
	}
	return out
}

func livingOf(forms control.Forms) living { return living{forms: forms, keys: []string{"power"}} }

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

var dialValues = strings.Fields("0 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20")

func (l living) values() []string {
	switch c := l.forms.Controls[0]; c.Kind {
	case control.Power:
		return []string{"off", "on"}
	case control.Dial:
		return dialValues
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
	values := l.values()
	var device appliance = &simple{living: l, random: r}
	if l.new != nil {
		device = l.new(r)
	}
	b, _, err := spec.Tell(spec.Nothing(), "it", values[0], control.Told, epoch)
	require.NoError(t, err)
	const miss = 0.02
	const look = 5 * time.Minute // how often something may happen, and is looked at
	const aDay = float64(24 * time.Hour / look)
	for n := range 30 * int(aDay) {
		now := epoch.Add(time.Duration(n) * look)
		if r.Float64() < 8/aDay {
			for _, p := range device.used(now) {
				if p.Source == control.Assumed {
					p.Source = control.ByHandset
				}
				if p.Outcome == "" {
					p.Outcome = control.Sent
				}
				device.obey(p)
				if r.Float64() >= miss {
					b = spec.After(b, p)
				}
			}
		}
		if r.Float64() < 6/aDay {
			want := values[r.IntN(len(values))]
			p, err := spec.Plan(b, control.Request{Wants: []control.Want{{Control: "it", Value: want}}, Asked: true},
				now)
			require.NoError(t, err)
			at := now
			for _, step := range p.Steps {
				at = at.Add(step.Wait)
				for range step.Times {
					sent := control.Press{Key: step.Key, Frame: step.Frame, At: at, Outcome: control.Sent,
						Source: control.BySending}
					if r.Float64() >= miss {
						device.obey(sent)
					}
					b = spec.After(b, sent)
				}
			}
			if is := device.at(now); l.people && is != want && r.IntN(2) == 0 { // whoever asked sees that it is not so
				b, _, err = spec.Tell(b, "it", is, control.Told, now)
				require.NoError(t, err)
			}
		}
		st := spec.States(b, now)[0]
		if l.sensor && n%2 == 0 {
			before := st
			var fits bool
			b, fits, err = spec.Tell(b, "it", device.at(now), control.Sensed, now)
			require.NoError(t, err)
			if before.Word == control.Certain && before.Value != device.at(now) {
				missed++
				assert.False(t, fits, "what was wrong while certain is said when it is sensed")
			}
			st = spec.States(b, now)[0]
		}
		into.said[st.Word]++
		if st.Value == device.at(now) {
			into.true[st.Word]++
		}
	}
	return missed
}

// TestMonth_WordsMeanWhatTheySay holds the words to how often they are true, in months with misses.
func TestMonth_WordsMeanWhatTheySay(t *testing.T) {
	table := "| device | certain | of it true | believed | of it true | doubtful | of it true " +
		"|\n|---|---|---|---|---|---|---|\n"
	rows := make([]string, len(livings))
	var all sync.WaitGroup
	for i, l := range livings {
		all.Go(func() {
			one := tally{map[control.Word]int{}, map[control.Word]int{}}
			for m := range *months {
				l.month(t, uint64(m), one)
			}
			rows[i] = one.row(l.name)
			assert.GreaterOrEqual(t, share(one.true[control.Certain], one.said[control.Certain]), 0.999, l.name)
			assert.GreaterOrEqual(t, share(one.true[control.Believed], one.said[control.Believed]), 0.9, l.name)
		})
	}
	all.Wait()
	table += strings.Join(rows, "")
	t.Log("\n" + table)
	if *monthFile != "" {
		require.NoError(t, os.WriteFile(*monthFile, []byte(table), 0o644))
	}
}

// row is a line of the table of trust.
func (c tally) row(name string) string {
	all := 0
	for _, n := range c.said {
		all += n
	}
	out := "| " + name
	for _, w := range []control.Word{control.Certain, control.Believed, control.Doubtful} {
		if c.said[w] == 0 {
			out += " | 0 % | –"
			continue
		}
		out += fmt.Sprintf(" | %.1f %% | %.2f %%", 100*share(c.said[w], all), 100*share(c.true[w], c.said[w]))
	}
	return out + " |\n"
}

// share of some; of none it is all.
func share(n, of int) float64 {
	if of == 0 {
		return 1
	}
	return float64(n) / float64(of)
}

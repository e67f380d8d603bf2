package control_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"time"

	"urbo/core/control"
)

// quirks are what some devices do by themselves, and what their keys do beside the usual: timers, rests, holds, a lamp
// beside the fan, what feeds them.
type quirks struct {
	goesOff     time.Duration // after so long on it switches itself off; 0 never
	goesFromKey bool
	onSince     time.Time
	ranOut      time.Time // when it switched itself off last

	naps    []time.Duration // of its sleep timer, by value; none for the first
	nap     int
	napFrom time.Time

	rest     time.Duration // after so long without a key its volume is only shown
	wokenAny bool
	woke     time.Time

	hasMenu bool // while it is open, keys of the volume do nothing to that
	menu    int
	menuAt  time.Time
	lapses  time.Duration

	skips map[string]bool // inputs that it may pass over

	hasLamp  bool
	lamp     int
	lampOff  time.Duration // after so long
	lampFrom time.Time

	glows    int // levels of what is dimmed by holding a key; 0: none
	glow     int
	falls    bool // at its next hold
	holdFor  time.Duration
	glowRate float64
	turns    bool // at its ends, while the key is held
	begins   string
	glowKey  string
	glowOn   bool // starts at the top

	later      float64 // rate after its key was held for a while
	laterAfter time.Duration

	turning time.Duration // of slats, 0 without
	tilt    float64

	isFed, unfed bool
	linked       bool // another device switches it on, with its input
}

// withQuirks adds some to a device.
func (d *thing) withQuirks(r *rand.Rand) {
	d.quirky = true
	some := func() bool { return r.IntN(3) == 0 }
	if d.hasPower {
		power := &d.forms.Controls[0]
		if some() {
			d.goesOff, d.goesFromKey = about(r, 150*time.Second, 0.09), r.IntN(2) == 0
			if power.GoesOffS = 150; d.goesFromKey {
				power.GoesOffFrom = control.FromKey
			}
		}
		if some() {
			d.naps = []time.Duration{0, about(r, 40*time.Second, 0.09), about(r, 120*time.Second, 0.09)}
			d.add(control.Control{Name: "nap", Kind: control.Selector, Values: []string{"off", "a", "b"},
				Round: d.key("nap"), AfterS: map[string]int{"a": 40, "b": 120}})
		}
		if some() {
			d.linked = true
			d.forms.Links = append(d.forms.Links, control.Link{DeviceID: "player", Control: "power", Value: "on",
				Sets: "power", To: d.powers()[1]})
			if d.options > 0 {
				d.forms.Links = append(d.forms.Links, control.Link{DeviceID: "player", Control: "power", Value: "on",
					Sets: "source", To: "s1"})
			}
		}
		if some() {
			d.isFed = true
			d.forms.Fed = &control.Feed{DeviceID: "strip", Control: "power"}
		}
	}
	if some() {
		d.withLamp(r)
	} else if d.hasPower && d.forms.Controls[0].Round != "" && r.IntN(2) == 0 {
		d.withGlow(r, d.forms.Controls[0].Round, "")
	}
	if volume := d.form("volume"); volume != nil && some() {
		d.rest, volume.RestMS = about(r, 5*time.Second, 0.09), 5000
		if d.wokenAny = r.IntN(2) == 0; d.wokenAny {
			volume.Woken = control.WokenAny
		}
	} else if volume != nil && r.IntN(2) == 0 {
		d.hasMenu, d.lapses = true, about(r, 20*time.Second, 0.09)
		menu := control.Control{Name: "menu", Kind: control.Selector, Values: []string{"off", "on"}, LapsesMS: 20_000}
		if r.IntN(2) == 0 {
			menu.Round = d.key("setup")
		} else {
			menu.Keys = map[string]string{"off": d.key("leave"), "on": d.key("setup")}
		}
		d.add(menu)
		d.form("volume").While = "menu off"
	}
	if volume := d.form("volume"); volume != nil && volume.Rate > 0 && r.IntN(2) == 0 {
		d.later, d.laterAfter = 2*volume.Rate, time.Second
		volume.RateLater, volume.RateMS = d.later, 1000
	}
	if source := d.form("source"); source != nil && source.Round != "" && r.IntN(2) == 0 {
		d.skips = map[string]bool{}
		for _, v := range source.Values {
			if r.IntN(2) == 0 {
				d.skips[v] = true
				source.Skips = append(source.Skips, v)
			}
		}
	}
	if shutter := d.form("shutter"); shutter != nil && r.IntN(2) == 0 {
		d.turning, d.tilt = about(r, 1500*time.Millisecond, 0.04), d.place
		d.add(control.Control{Name: "slats", Kind: control.Travel, SlatsOf: "shutter", OpenMS: 1500,
			While: shutter.While})
	}
}

func (d *thing) withLamp(r *rand.Rand) {
	d.hasLamp, d.lamp = true, r.IntN(2)
	c := control.Control{Name: "lamp", Kind: control.Power}
	if r.IntN(2) == 0 {
		c.Round = d.key("light")
	} else {
		c.Keys = map[string]string{"off": d.key("light-off"), "on": d.key("light-on")}
	}
	c.MainsFail = pick(r, "", control.StartKeeps, "off", "on")
	if r.IntN(3) == 0 {
		d.lampOff, c.GoesOffS = about(r, 100*time.Second, 0.09), 100
	}
	d.add(c)
	if !d.hasPower { // then it is the device's first one
		d.hasPower, d.hasLamp, d.mode = true, false, d.lamp
		d.forms.Controls = append(d.forms.Controls[len(d.forms.Controls)-1:],
			d.forms.Controls[:len(d.forms.Controls)-1]...)
		d.forms.Controls[0].Name = "power"
		d.goesOff, d.lampOff = d.lampOff, 0
		if c.Round != "" {
			d.withGlow(r, c.Round, "")
		}
		return
	}
	if c.Round != "" {
		d.withGlow(r, c.Round, "lamp on")
	} else {
		d.withGlow(r, d.key("dim"), "lamp on")
	}
}

func (d *thing) withGlow(r *rand.Rand, key, while string) {
	d.glows, d.glowRate, d.turns, d.glowKey = 5+r.IntN(20), 2+4*r.Float64(), r.IntN(3) == 0, key
	d.glow, d.falls, d.holdFor = r.IntN(d.glows), r.IntN(2) == 0, about(r, 500*time.Millisecond, 0.09)
	d.begins = pick(r, "", control.BeginsUp, control.BeginsDown)
	c := control.Control{Name: "glow", Kind: control.Dial, Least: number(0), Most: number(float64(d.glows - 1)),
		Hold: key, Rate: d.glowRate, HoldBegins: d.begins, While: while}
	if d.turns {
		c.Ends = control.EndsTurn
	}
	if d.glowOn = r.IntN(2) == 0; d.glowOn {
		c.OnStart = fmt.Sprint(d.glows - 1)
	}
	d.add(c)
	d.holds = append(d.holds, key)
}

// powers are the values of its power.
func (d *thing) powers() []string {
	if c := d.forms.Controls[0]; len(c.Values) > 0 {
		return c.Values
	}
	return []string{"off", "on"}
}

// byItself lets time pass in what runs by itself.
func (d *thing) byItself(now time.Time) {
	if d.hasMenu && d.menu > 0 && now.Sub(d.menuAt) > d.lapses {
		d.menu = 0
	}
	if d.hasLamp && d.lamp > 0 && d.lampOff > 0 && now.Sub(d.lampFrom) > d.lampOff {
		d.lamp = 0
	}
	if !d.hasPower || d.mode == 0 || d.unfed {
		return
	}
	var off time.Time
	if d.goesOff > 0 {
		off = d.onSince.Add(d.goesOff)
	}
	if d.nap > 0 {
		if at := d.napFrom.Add(d.naps[d.nap]); off.IsZero() || at.Before(off) {
			off = at
		}
	}
	if !off.IsZero() && !now.Before(off) {
		d.waited(off)
		d.ranOut = off
		d.mode, d.asked, d.ready, d.typed, d.way, d.lost = 0, time.Time{}, off.Add(d.cool), "", nil, false
		d.wentOff()
	}
}

// wentOff is what goes with its power.
func (d *thing) wentOff() {
	if d.nap = 0; d.random.IntN(2) == 0 {
		d.menu = 0
	}
}

// wentOn is what begins with its power.
func (d *thing) wentOn(at time.Time) {
	d.onSince = at
	if d.glows > 0 && !d.hasLamp {
		d.startGlow()
	}
	if d.random.IntN(2) == 0 { // its volume is shown then, or not
		d.woke = at
	}
}

func (d *thing) startGlow() {
	if d.glowOn {
		d.glow = d.glows - 1
	}
	switch d.begins {
	case control.BeginsUp:
		d.falls = false
	case control.BeginsDown:
		d.falls = true
	default:
		d.falls = d.random.IntN(2) == 0
	}
}

// shows says whether a press of the volume's keys only shows it. Any press that counts keeps it shown.
func (d *thing) shows(key string, at time.Time, held time.Duration) bool {
	if d.rest == 0 {
		return false
	}
	own := false
	if c := d.form("volume"); d.listens("volume") {
		own = key == c.Up || key == c.Down || key == c.Round
		for _, k := range c.Keys {
			own = own || k == key
		}
	}
	asleep := at.Sub(d.woke) > d.rest
	if own || d.wokenAny && (!d.hasPower || d.mode > 0) {
		d.woke = at
	}
	if asleep && held > 400*time.Millisecond {
		return d.random.IntN(2) == 0
	}
	return asleep
}

// pressQuirks is what a key does to what only some devices have.
func (d *thing) pressQuirks(key string, at time.Time, held time.Duration) {
	if d.hasMenu && d.listens("menu") {
		d.menu = switched(d.form("menu"), key, d.menu)
	}
	if len(d.naps) > 0 && key == "nap" && d.mode > 0 {
		d.nap, d.napFrom = (d.nap+1)%len(d.naps), at
	}
	long := d.glows > 0 && key == d.glowKey && held > d.holdFor
	if d.hasLamp && !long {
		was := d.lamp
		if d.lamp = switched(d.form("lamp"), key, was); was == 0 && d.lamp == 1 {
			d.lampFrom = at
			d.startGlow()
		}
	}
	if long && (d.hasLamp && d.lamp > 0 || !d.hasLamp && d.mode > 0) {
		d.dim(int(math.Round((held - d.holdFor).Seconds() * d.glowRate)))
	}
}

// switched is what a key does to something that is off or on.
func switched(c *control.Control, key string, was int) int {
	switch key {
	case c.Round:
		return 1 - was
	case c.Keys["off"]:
		return 0
	case c.Keys["on"]:
		return 1
	}
	return was
}

// dim holds its key for so many steps.
func (d *thing) dim(steps int) {
	falls := d.falls
	for range steps {
		if d.turns && (d.glow == 0 && falls || d.glow == d.glows-1 && !falls) {
			falls = !falls
		}
		if falls {
			d.glow = max(d.glow-1, 0)
		} else {
			d.glow = min(d.glow+1, d.glows-1)
		}
	}
	if d.turns && (d.glow == 0 || d.glow == d.glows-1) && d.random.IntN(2) == 0 {
		falls = !falls
	}
	d.falls = !falls
}

// link is the other device, which is switched on: it switches this one on, and sets its input.
func (d *thing) link(at time.Time) {
	d.tick(at)
	if d.unfed || d.mode == 0 && at.Before(d.ready) {
		return
	}
	warming := at.Before(d.ready)
	if d.mode != 1 {
		warming = d.mode == 0 && d.warm > 0
		d.turnTo(1, at)
	}
	if d.options > 0 && (!warming || d.random.IntN(2) == 0) {
		d.option = 1
	}
}

// feed switches what feeds it.
func (d *thing) feed(on bool, at time.Time) {
	d.tick(at)
	if on == !d.unfed {
		return
	}
	if d.unfed = !on; on {
		d.onSince, d.nap = at, 0
		d.fail(at)
	} else {
		d.dir = 0
		d.typed, d.way, d.lost, d.asked = "", nil, false, time.Time{}
	}
}

// holdable says whether stories hold a key.
func (d *thing) holdable(key string) bool {
	return d.rate > 0 && (key == "volume-up" || key == "volume-down") || d.glows > 0 && key == d.glowKey
}

// moveSlats lets slats turn before a blind moves: it tells how much of a time is left for that.
func (d *thing) moveSlats(passed time.Duration) time.Duration {
	if d.turning == 0 || passed <= 0 {
		return passed
	}
	toGo := 1 - d.tilt
	if d.dir < 0 {
		toGo = d.tilt
	}
	if need := time.Duration(toGo * float64(d.turning)); passed >= need {
		d.tilt = float64(max(d.dir, 0))
		return passed - need
	}
	d.tilt += float64(d.dir) * float64(passed) / float64(d.turning)
	return 0
}

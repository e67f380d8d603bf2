package control_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"time"

	"urbo/core/control"
)

// thing is a made-up device: it does what its handset says, with quirks, and tells its true state to the test alone. It
// shares no code with the package.
type thing struct {
	forms control.Forms
	keys  []string
	rate  float64 // steps in a second while held
	holds []string

	hasPower  bool
	modes     int // values of power
	mode      int
	ready     time.Time // it ignores keys until then
	warm      time.Duration
	cool      time.Duration
	again     time.Duration
	asked     time.Time // when it was asked to switch off once
	drops     bool      // another key ends the asking
	wakesOnly bool      // a key that also switches it on does nothing else then

	level   int // dial
	levels  int
	circle  bool
	start   int // level when switched on; −1 keeps, −2 anything
	mute    int
	hasMute bool
	unmutes bool // volume-up ends mute

	option  int
	options int
	way     []string // keys of a sequence that were pressed
	lost    bool     // they lead nowhere that is known
	wayAt   time.Time
	forgets time.Duration

	number  int
	typed   string
	typedAt time.Time
	atOnce  bool // a digit counts before the others come
	timeout time.Duration
	digits  int
	fewest  int
	enter   bool
	most    int

	place          float64 // 0 closed, 1 open
	dir            int
	next           int // of a key that goes round: 0 opens, 1 and 3 stop, 2 closes
	moved          time.Time
	opening, close time.Duration
	delay          time.Duration

	display map[string]string // of a handset whose frames carry everything; nil for others

	random *rand.Rand
	quirky bool
	quirks
}

// pick is one of some.
func pick[T any](r *rand.Rand, all ...T) T { return all[r.IntN(len(all))] }

func number(x float64) *float64 { return &x }

// about is a time that is off by up to a share.
func about(r *rand.Rand, d time.Duration, share float64) time.Duration {
	return time.Duration(float64(d) * (1 + share*(2*r.Float64()-1)))
}

func (d *thing) key(name string) string {
	for _, k := range d.keys {
		if k == name {
			return name
		}
	}
	d.keys = append(d.keys, name)
	return name
}

func (d *thing) add(c control.Control) { d.forms.Controls = append(d.forms.Controls, c) }

// newThing makes a random device.
func newThing(r *rand.Rand) *thing {
	d := &thing{random: r, modes: 2, mode: 1}
	if r.IntN(8) == 0 {
		d.withFrames(r)
		d.key("info")
		return d
	}
	if r.IntN(6) > 0 {
		d.withPower(r)
	}
	for range 1 + r.IntN(3) {
		switch r.IntN(4) {
		case 0:
			d.withDial(r)
		case 1:
			d.withSelector(r)
		case 2:
			d.withDigits(r)
		default:
			d.withTravel(r)
		}
	}
	d.key("info") // does nothing that is known
	if r.IntN(3) == 0 {
		d.withQuirks(r)
	}
	return d
}

// withFrames makes a device whose handset sends all that its display shows, and one thing by a key of its own.
func (d *thing) withFrames(r *rand.Rand) {
	d.hasPower, d.mode, d.start = true, r.IntN(2), -1
	d.levels, d.options = 3+r.IntN(12), 2+r.IntN(4)
	d.level, d.option = r.IntN(d.levels), r.IntN(d.options)
	source := control.Control{Name: "source", Kind: control.Selector}
	places := map[string]int64{}
	for i := range d.options {
		source.Values = append(source.Values, fmt.Sprint("s", i))
		places[fmt.Sprint("s", i)] = int64(7 * i)
	}
	d.add(control.Control{Name: "power", Kind: control.Power})
	d.add(source)
	d.add(control.Control{Name: "volume", Kind: control.Dial, Least: number(0), Most: number(float64(d.levels - 1))})
	d.forms.Whole = &control.Whole{Sheet: "frames", Settings: []control.Setting{
		{Control: "power", Field: "p", Values: map[string]int64{"off": 0, "on": 1}},
		{Control: "source", Field: "s", Values: places}, {Control: "volume", Field: "v", From: 16}}}
	d.display = map[string]string{"power": "off", "source": "s0", "volume": "1"}
	if r.IntN(2) == 0 {
		d.hasMute, d.mute = true, r.IntN(2)
		d.add(control.Control{Name: "mute", Kind: control.Selector, Values: []string{"off", "on"},
			Round: d.key("mute")})
	}
}

// shown is what the handset's frames say after one of its keys.
func (d *thing) shown() map[string]string {
	switch d.random.IntN(3) {
	case 0:
		d.display["power"] = pick(d.random, "off", "on")
	case 1:
		d.display["source"] = fmt.Sprint("s", d.random.IntN(d.options))
	default:
		d.display["volume"] = fmt.Sprint(d.random.IntN(d.levels))
	}
	return maps.Clone(d.display)
}

// fail is the mains, which fail and come back.
func (d *thing) fail(now time.Time) {
	d.tick(now)
	r := d.random
	if d.unfed {
		return
	}
	if d.hasLamp {
		switch d.form("lamp").MainsFail {
		case "":
			d.lamp = r.IntN(2)
		case "off":
			d.lamp = 0
		case "on":
			d.lamp = 1
		}
		d.lampFrom = now
	}
	if d.glows > 0 && r.IntN(2) == 0 {
		d.startGlow()
	}
	d.menu, d.nap, d.onSince = 0, 0, now
	if d.hasPower {
		switch d.forms.Controls[0].MainsFail {
		case "":
			d.mode = r.IntN(d.modes)
		case "off":
			d.mode = 0
		case "on":
			d.mode = 1
		}
		if d.ready = now; d.mode > 0 {
			d.ready = now.Add(d.warm)
		}
	}
	switch {
	case d.levels == 0 || r.IntN(2) == 0:
	case d.start == -2:
		d.level = r.IntN(d.levels)
	case d.start >= 0:
		d.level = d.start
	}
	d.asked, d.typed, d.way, d.lost, d.dir, d.next = time.Time{}, "", nil, false, 0, 2*r.IntN(2)
}

// take is a frame that reaches the device.
func (d *thing) take(frame map[string]string, at time.Time) {
	d.tick(at)
	d.mode = map[string]int{"off": 0, "on": 1}[frame["power"]]
	_, _ = fmt.Sscanf(frame["source"], "s%d", &d.option)
	_, _ = fmt.Sscan(frame["volume"], &d.level)
}

// obey is a press that reaches the device.
func (d *thing) obey(p control.Press) {
	if p.Frame != nil {
		d.take(p.Frame, p.At)
		return
	}
	d.press(p.Key, p.At, p.Held)
}

func (d *thing) withPower(r *rand.Rand) {
	c := control.Control{Name: "power", Kind: control.Power}
	d.hasPower, d.mode = true, r.IntN(2)
	switch r.IntN(5) {
	case 0:
		c.Round = d.key("power")
	case 1:
		c.Keys = map[string]string{"on": d.key("on"), "off": d.key("off")}
	case 2:
		c.Round, c.Keys = d.key("power"), map[string]string{"off": d.key("off")}
	case 3:
		c.Values, c.Round, d.modes = []string{"off", "low", "high"}, d.key("power"), 3
		if r.IntN(2) == 0 {
			c.Keys = map[string]string{"off": d.key("off")}
		}
	default:
		c.Values, d.modes = []string{"off", "low", "high"}, 3
		c.Keys = map[string]string{"off": d.key("off"), "low": d.key("low"), "high": d.key("high")}
	}
	if r.IntN(3) == 0 {
		c.AgainMS = 4000
		d.again, d.drops = about(r, 4*time.Second, 0.09), r.IntN(2) == 0
	}
	if r.IntN(3) == 0 {
		c.WarmUpMS = 20_000
		d.warm = about(r, 20*time.Second, 0.09)
	}
	if r.IntN(4) == 0 {
		c.CoolDownMS = 8000
		d.cool = about(r, 8*time.Second, 0.09)
	}
	c.MainsFail = pick(r, "", "", control.StartKeeps, "off")
	d.add(c)
	d.wakesOnly = r.IntN(2) == 0
}

func (d *thing) onStart(r *rand.Rand, size int) (string, int) {
	switch r.IntN(3) {
	case 0:
		return pick(r, "", control.StartKeeps), -1
	case 1:
		return control.StartUnknown, -2
	}
	n := r.IntN(size)
	return fmt.Sprint(n), n
}

func (d *thing) withDial(r *rand.Rand) {
	if d.levels > 0 {
		return
	}
	d.levels, d.circle = 3+r.IntN(20), r.IntN(4) == 0
	c := control.Control{Name: "volume", Kind: control.Dial, Least: number(0), Most: number(float64(d.levels - 1))}
	if d.circle {
		c.Ends = control.EndsRound
	}
	switch r.IntN(4) {
	case 0:
		c.Round, c.Ends, d.circle = d.key("brightness"), control.EndsRound, true
	case 1:
		c.Keys = map[string]string{}
		for _, n := range []int{0, d.levels / 2, d.levels - 1} {
			c.Keys[fmt.Sprint(n)] = d.key(fmt.Sprint("level-", n))
		}
		fallthrough
	default:
		c.Up, c.Down = d.key("volume-up"), d.key("volume-down")
		if r.IntN(2) == 0 {
			d.rate = 2 + 8*r.Float64()
			c.Rate = d.rate
			if r.IntN(2) == 0 {
				d.holds = []string{c.Up, c.Down}
			}
		}
	}
	c.OnStart, d.start = d.onStart(r, d.levels)
	d.level = r.IntN(d.levels)
	d.add(c)
	if r.IntN(2) == 0 {
		d.hasMute, d.mute = true, r.IntN(2)
		d.add(control.Control{Name: "mute", Kind: control.Selector, Values: []string{"off", "on"},
			Round: d.key("mute")})
		if c.Up != "" && r.IntN(2) == 0 {
			d.unmutes = true
			d.forms.Effects = append(d.forms.Effects, control.KeyEffects{Key: "volume-up", Effects: []control.Effect{
				{Control: "mute", Op: control.OpSet}}})
		}
	}
}

func (d *thing) withSelector(r *rand.Rand) {
	if d.options > 0 {
		return
	}
	d.options = 2 + r.IntN(4)
	c := control.Control{Name: "source", Kind: control.Selector}
	for i := range d.options {
		c.Values = append(c.Values, fmt.Sprint("s", i))
	}
	way := r.IntN(5)
	if way > 2 {
		d.withSequences(&c, way == 3)
		d.option = r.IntN(d.options)
		d.add(c)
		return
	}
	if way != 1 {
		c.Round = d.key("source")
	}
	if way != 0 {
		c.Keys = map[string]string{}
		for i, v := range c.Values {
			if way == 1 || i == 0 {
				c.Keys[v] = d.key(fmt.Sprint("source-", i))
			}
		}
	}
	if d.hasPower && r.IntN(3) == 0 && way == 1 { // its keys switch it on as well
		for i := range c.Values {
			d.forms.Controls[0].Also = append(d.forms.Controls[0].Also, fmt.Sprint("source-", i))
		}
	}
	d.option = r.IntN(d.options)
	d.add(c)
}

// withSequences sets a selector through a menu: so many steps down, and ok. Without ok each step counts at once.
func (d *thing) withSequences(c *control.Control, ok bool) {
	d.forgets = about(d.random, 6*time.Second, 0.09)
	c.TimeoutMS, c.Sequences = 6000, map[string][]string{}
	keys := []string{d.key("menu")}
	for _, v := range c.Values {
		c.Sequences[v] = slices.Clone(keys)
		if ok {
			c.Sequences[v] = append(c.Sequences[v], d.key("ok"))
		}
		keys = append(keys, d.key("next"))
	}
}

func (d *thing) withDigits(r *rand.Rand) {
	if d.digits > 0 {
		return
	}
	d.digits = 1 + r.IntN(3)
	d.most = 1
	for range d.digits {
		d.most *= 10
	}
	d.most--
	d.enter, d.atOnce = r.IntN(3) == 0, r.IntN(2) == 0
	d.timeout = about(r, 3*time.Second, 0.09)
	c := control.Control{Name: "channel", Kind: control.Digits, Least: number(0), Most: number(float64(d.most)),
		TimeoutMS: 3000}
	if d.enter {
		c.Enter = d.key("enter")
	}
	if r.IntN(2) == 0 {
		d.fewest = d.digits
		c.Fewest = d.digits
	}
	for i := range 10 {
		d.key(fmt.Sprint(i))
	}
	if r.IntN(2) == 0 {
		c.Up = d.key("channel-up")
	}
	d.number = r.IntN(d.most + 1)
	d.add(c)
}

func (d *thing) withTravel(r *rand.Rand) {
	if d.opening > 0 {
		return
	}
	c := control.Control{Name: "shutter", Kind: control.Travel, OpenMS: 18_000, CloseMS: 16_000,
		While: pick(r, "", control.WhileAny)}
	d.opening, d.close = about(r, 18*time.Second, 0.04), about(r, 16*time.Second, 0.04)
	if r.IntN(2) == 0 {
		c.DelayMS = 500
		d.delay = about(r, 500*time.Millisecond, 0.09)
	}
	if r.IntN(2) == 0 {
		c.Open, c.Close, c.Stop = d.key("open"), d.key("close"), d.key("stop")
	} else {
		c.Round = d.key("go")
	}
	d.place, d.next = float64(r.IntN(2)), 0
	if d.place == 1 {
		d.next = 2
	}
	d.add(c)
}

// form finds a form by name.
func (d *thing) form(name string) *control.Control {
	for i := range d.forms.Controls {
		if d.forms.Controls[i].Name == name {
			return &d.forms.Controls[i]
		}
	}
	return nil
}

// listens says whether a control's keys are obeyed now.
func (d *thing) listens(name string) bool {
	c := d.form(name)
	return c != nil && (!d.hasPower || d.mode > 0 || c.While == control.WhileAny) &&
		(c.While != "menu off" || d.menu == 0)
}

// tick lets time pass: what was typed counts, what moves arrives.
func (d *thing) tick(now time.Time) {
	d.byItself(now)
	d.waited(now)
	if (len(d.way) > 0 || d.lost) && now.Sub(d.wayAt) > d.forgets {
		d.way, d.lost = nil, false
	}
	if d.dir != 0 {
		full := d.opening
		if d.dir < 0 {
			full = d.close
		}
		d.place += float64(d.dir) * float64(d.moveSlats(max(now.Sub(d.moved), 0))) / float64(full)
		d.moved = later(d.moved, now)
		if d.turning > 0 && d.tilt != float64(max(d.dir, 0)) {
			return
		}
		if d.place >= 1 && d.dir > 0 {
			d.place, d.dir, d.next = 1, 0, 2
		} else if d.place <= 0 && d.dir < 0 {
			d.place, d.dir, d.next = 0, 0, 0
		}
	}
}

// waited lets what was typed count, where no other digit came.
func (d *thing) waited(now time.Time) {
	if d.typed != "" && now.Sub(d.typedAt) > d.timeout {
		if !d.enter {
			d.count()
		}
		d.typed = ""
	}
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// count makes what was typed the number, as far as there is such a one.
func (d *thing) count() {
	n := 0
	for _, c := range d.typed {
		n = 10*n + int(c-'0')
	}
	if n <= d.most && len(d.typed) >= d.fewest {
		d.number = n
	}
}

// press is a key of its handset, held for a while.
func (d *thing) press(key string, at time.Time, held time.Duration) {
	d.tick(at)
	if d.unfed {
		return
	}
	if d.goesFromKey && d.mode > 0 && (!at.Before(d.ready) || d.random.IntN(2) == 0) {
		d.onSince = at
	}
	if d.hasPower && at.Before(d.ready) {
		return
	}
	only := d.shows(key, at, held)
	if !d.hasPower || d.mode > 0 || d.random.IntN(2) == 0 {
		d.menuAt = at
	}
	if d.glows > 0 && key == d.glowKey && held > d.holdFor { // held it does nothing else
		d.pressQuirks(key, at, held)
		return
	}
	was := d.mode
	asked := d.asked
	if d.drops {
		d.asked = time.Time{}
	}
	turned := d.hasPower && d.pressPower(key, at, asked)
	if was != d.mode && (was == 0 || d.mode == 0) {
		d.way, d.lost = nil, false
	}
	if turned {
		if was != d.mode && d.mode == 0 {
			d.typed = ""
		}
		return
	}
	if d.typed != "" && !(len(key) == 1 && key >= "0" && key <= "9") && key != "enter" {
		if d.random.IntN(2) == 0 { // some count what stands there, and some drop it
			d.count()
		}
		d.typed = ""
	}
	before := d.level
	d.pressRest(key, at, held)
	if only {
		d.level = before
	}
	d.pressQuirks(key, at, held)
}

// pressPower does what a key does to power, and says whether that is all it does.
func (d *thing) pressPower(key string, at, asked time.Time) bool {
	c := &d.forms.Controls[0]
	to, acts := d.mode, false
	if key == c.Round {
		to, acts = (d.mode+1)%d.modes, true
	}
	names := c.Values
	if len(names) == 0 {
		names = []string{"off", "on"}
	}
	for i, v := range names {
		if key == c.Keys[v] {
			to, acts = i, true
		}
	}
	for _, k := range c.Also {
		if k == key && d.mode == 0 {
			to = 1
			acts = d.wakesOnly
		}
	}
	switch {
	case to == d.mode:
		return acts
	case to == 0:
		if d.again > 0 && (asked.IsZero() || at.Sub(asked) > d.again) {
			d.asked = at
			return true
		}
		d.turnTo(0, at)
	default:
		d.turnTo(to, at)
	}
	return acts
}

// turnTo switches its power.
func (d *thing) turnTo(to int, at time.Time) {
	was := d.mode
	d.mode, d.asked = to, time.Time{}
	switch {
	case to == 0:
		d.ready = at.Add(d.cool)
		d.wentOff()
	case was == 0:
		d.ready = at.Add(d.warm)
		switch {
		case d.start == -2 && d.levels > 0:
			d.level = d.random.IntN(d.levels)
		case d.start >= 0 && d.levels > 0:
			d.level = d.start
		}
		d.typed = ""
		d.wentOn(at)
	case d.random.IntN(2) == 0: // its time begins anew, or does not
		d.onSince = at
	}
}

func (d *thing) pressRest(key string, at time.Time, held time.Duration) {
	if c := d.form("volume"); c != nil && d.listens("volume") {
		steps := 1
		if held > 400*time.Millisecond && d.rate > 0 {
			steps = max(int(held.Seconds()*d.rate), 1)
			if d.later > 0 && held > d.laterAfter {
				steps = int(d.laterAfter.Seconds()*d.rate + (held-d.laterAfter).Seconds()*d.later)
			}
		}
		switch key {
		case c.Up:
			d.turn(steps)
		case c.Down:
			d.turn(-steps)
		case c.Round:
			d.turn(1)
		}
		for v, k := range c.Keys {
			if k == key {
				_, _ = fmt.Sscan(v, &d.level)
			}
		}
	}
	if key == "volume-up" && d.unmutes && d.listens("mute") {
		d.mute = 0
	}
	if key == "mute" && d.hasMute && d.listens("mute") {
		d.mute = 1 - d.mute
	}
	if c := d.form("source"); c != nil && d.listens("source") {
		if key == c.Round && key != "" {
			d.option = (d.option + 1) % d.options
			for n := 1; n < d.options && d.skips[c.Values[d.option]] && d.random.IntN(2) == 0; n++ {
				d.option = (d.option + 1) % d.options
			}
		}
		for i, v := range c.Values {
			if c.Keys[v] == key {
				d.option = i
			}
		}
		if len(c.Sequences) > 0 {
			d.pressMenu(key, c, at)
		}
	}
	if c := d.form("channel"); c != nil && d.listens("channel") {
		d.pressDigits(key, c, at)
	}
	if c := d.form("shutter"); c != nil && d.listens("shutter") {
		d.pressTravel(key, c, at)
	}
}

// pressMenu goes on in a menu. Where that leads nowhere that the forms know, what ends a way may choose anything.
func (d *thing) pressMenu(key string, c *control.Control, at time.Time) {
	if key != "menu" && key != "next" && key != "ok" {
		if len(d.way) > 0 && d.random.IntN(2) == 0 { // some leave the menu then, and some do not
			d.lost, d.wayAt = true, at
		}
		return
	}
	d.wayAt = at
	d.way = append(d.way, key)
	ends, goesOn := false, false
	for i, v := range c.Values {
		whole := c.Sequences[v]
		ends = ends || whole[len(whole)-1] == key
		if d.lost || len(whole) < len(d.way) || !slices.Equal(whole[:len(d.way)], d.way) {
			continue
		}
		goesOn = true
		if len(whole) == len(d.way) {
			d.option = i
		}
	}
	if !goesOn {
		d.lost = true
		if ends {
			d.option = d.random.IntN(d.options)
		}
		return
	}
	for _, whole := range c.Sequences {
		if len(whole) > len(d.way) && slices.Equal(whole[:len(d.way)], d.way) {
			return
		}
	}
	d.way = nil // the menu is left
}

// width is by how many steps its volume may be off and still count as there.
func (d *thing) width() float64 {
	if d.circle || d.levels < 9 {
		return 0
	}
	return max(float64(int(float64(d.levels-1)*0.05)), 1)
}

func (d *thing) turn(steps int) {
	d.level += steps
	if d.circle {
		d.level = (d.level%d.levels + d.levels) % d.levels
		return
	}
	d.level = min(max(d.level, 0), d.levels-1)
}

// stepped is where so many steps up lead from a level.
func (d *thing) stepped(from int, steps string) int {
	n := 0
	_, _ = fmt.Sscan(steps, &n)
	if d.circle {
		return (from + n) % d.levels
	}
	return min(from+n, d.levels-1)
}

func (d *thing) pressDigits(key string, c *control.Control, at time.Time) {
	switch {
	case key == c.Up && key != "":
		d.number = (d.number + 1) % (d.most + 1)
	case key == c.Enter && key != "":
		if d.typed != "" {
			d.count()
		}
		d.typed = ""
	case len(key) == 1 && key >= "0" && key <= "9":
		if len(d.typed) >= d.digits {
			d.typed = ""
		}
		d.typed += key
		d.typedAt = at
		if !d.enter && (d.atOnce || len(d.typed) == d.digits) {
			d.count()
		}
		if !d.enter && len(d.typed) == d.digits {
			d.typed = ""
		}
	}
}

func (d *thing) pressTravel(key string, c *control.Control, at time.Time) {
	goes := func(dir int) {
		if d.dir != dir {
			d.dir, d.moved = dir, at.Add(d.delay)
		}
		d.next = 1
		if dir < 0 {
			d.next = 3
		}
	}
	stop := func() {
		switch d.dir {
		case 1:
			d.next = 2
		case -1:
			d.next = 0
		}
		d.dir = 0
	}
	switch key {
	case "":
	case c.Open:
		goes(1)
	case c.Close:
		goes(-1)
	case c.Stop:
		stop()
	case c.Round:
		switch {
		case d.dir == 0 && d.place == 0 && d.tilt == 0: // its switch at the end says so
			goes(1)
			return
		case d.dir == 0 && d.place == 1 && (d.turning == 0 || d.tilt == 1):
			goes(-1)
			return
		}
		switch d.next {
		case 0:
			goes(1)
		case 2:
			goes(-1)
		default:
			stop()
		}
	}
}

// truth is the true value of a control, as a person would say it.
func (d *thing) truth(name string, now time.Time) string {
	d.tick(now)
	switch name {
	case "power":
		if d.unfed {
			return "off"
		}
		return d.powers()[d.mode]
	case "lamp":
		if d.unfed {
			return "off"
		}
		return []string{"off", "on"}[d.lamp]
	case "glow":
		return fmt.Sprint(d.glow)
	case "menu":
		return []string{"off", "on"}[d.menu]
	case "nap":
		return []string{"off", "a", "b"}[d.nap]
	case "volume":
		return fmt.Sprint(d.level)
	case "mute":
		return []string{"off", "on"}[d.mute]
	case "source":
		return fmt.Sprint("s", d.option)
	case "channel":
		return fmt.Sprint(d.number)
	}
	at := d.place
	if name == "slats" {
		at = d.tilt
	}
	if at == 0 || at == 1 {
		return []string{"closed", "open"}[int(at)]
	}
	return fmt.Sprint(min(max(int(at*100+0.5), 1), 99), "%")
}

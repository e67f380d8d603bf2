package control

import (
	"regexp"
	"slices"
	"strings"
)

// About is what else is known of a device whose controls are to be proposed.
type About struct {
	Kind     string // of device
	WarmUpMS int
}

// Propose makes controls from the keys of a device, as they are usually meant, with the questions that remain. Those
// that exist already are left out, by name and by keys.
func Propose(keys []string, about About, have []Control) (out []Control, questions []Question) {
	p := &proposal{keys: keys, about: about}
	for _, c := range have {
		p.used = append(p.used, c.keys()...)
		p.names = append(p.names, c.Name)
	}
	p.fan()
	p.power()
	p.lamp()
	p.travel()
	for _, d := range [][3]string{{"volume", "volume-up", "volume-down"}, {"brightness", "brighter", "dim"},
		{"temperature", "warmer", "cooler"}, {"bass", "bass-up", "bass-down"}, {"treble", "treble-up", "treble-down"}} {
		p.dial(d[0], d[1], d[2])
	}
	p.timer()
	for _, s := range []string{"mute", "sweep", "freeze", "blank", "breathe", "light", "swing", "sleep"} {
		p.flip(s)
	}
	p.inputs()
	p.numbered("speed")
	p.colours()
	p.digits()
	return p.out, askEach(p.out, hasPower(have), false)
}

type proposal struct {
	keys, used, names []string
	about             About
	out               []Control
}

// keys of a form.
func (c *Control) keys() []string {
	var out []string
	add := func(k string) {
		if k != "" && !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	for _, k := range []string{c.Round, c.Up, c.Down, c.Hold, c.Enter, c.Open, c.Close, c.Stop} {
		add(k)
	}
	for _, v := range sorted(c.Keys) {
		add(c.Keys[v])
	}
	for _, v := range sorted(c.Sequences) {
		for _, k := range c.Sequences[v] {
			add(k)
		}
	}
	for _, k := range c.Also {
		add(k)
	}
	return out
}

// free says whether a key is there, and no control uses it yet.
func (p *proposal) free(key string) bool {
	return slices.Contains(p.keys, key) && !slices.Contains(p.used, key)
}

// add proposes a control whose name is not taken.
func (p *proposal) add(c Control) {
	if slices.Contains(p.names, c.Name) {
		return
	}
	p.names, p.used = append(p.names, c.Name), append(p.used, c.keys()...)
	p.out = append(p.out, c)
}

func (p *proposal) power() {
	c := Control{Name: "power", Kind: Power, WarmUpMS: p.about.WarmUpMS}
	if p.free("on") && p.free("off") {
		c.Keys = map[string]string{"on": "on", "off": "off"}
	} else {
		for _, key := range []string{"power", "on-off", "on"} {
			if p.free(key) {
				c.Round = key
				break
			}
		}
		if c.Round != "" && p.free("off") {
			c.Keys = map[string]string{"off": "off"}
		}
	}
	if c.Round != "" || len(c.Keys) > 0 {
		p.add(c)
	}
}

// fan is a fan whose speeds have keys, and one for off: that is its power.
func (p *proposal) fan() {
	off := "off"
	if p.free("fan-off") {
		off = "fan-off"
	}
	if !p.free(off) || p.free("on") || p.free("power") || p.free("on-off") {
		return
	}
	c := Control{Name: "power", Kind: Power, Values: []string{"off"}, Keys: map[string]string{"off": off}}
	for _, names := range [][]string{{"speed-1", "speed-2", "speed-3", "speed-4", "speed-5", "speed-6"},
		{"low", "medium", "high"}} {
		for _, key := range names {
			if p.free(key) {
				value := strings.TrimPrefix(key, "speed-")
				c.Values = append(c.Values, value)
				c.Keys[value] = key
			}
		}
		if len(c.Values) > 2 {
			p.add(c)
			return
		}
		c.Values, c.Keys = []string{"off"}, map[string]string{"off": off}
	}
}

// lamp is one beside what the device is for, such as of a fan: it is switched by itself.
func (p *proposal) lamp() {
	if p.about.Kind != "fan" || !slices.Contains(p.names, "power") {
		return
	}
	for _, name := range []string{"lamp", "light"} {
		switch on, off := name+"-on", name+"-off"; {
		case p.free(on) && p.free(off):
			p.add(Control{Name: name, Kind: Power, Keys: map[string]string{"on": on, "off": off}})
		case p.free(name):
			p.add(Control{Name: name, Kind: Power, Round: name})
		}
	}
}

func (p *proposal) travel() {
	travels := []string{"screen", "shutter", "blind", "awning"}
	for _, ends := range [][2]string{{"open", "close"}, {"up", "down"}, {"out", "in"}} {
		moves := slices.Contains(travels, p.about.Kind) || ends[0] == "open"
		if !moves || !p.free(ends[0]) || !p.free(ends[1]) {
			continue
		}
		c := Control{Name: "position", Kind: Travel, Open: ends[0], Close: ends[1], OpenMS: 20_000,
			Guessed: []string{"open_ms"}}
		if p.about.Kind == "screen" { // one that is down is in use
			c.Open, c.Close, c.Values = ends[1], ends[0], []string{"up", "down"}
		}
		if p.free("stop") {
			c.Stop = "stop"
		}
		p.add(c)
		return
	}
}

func (p *proposal) dial(name, up, down string) {
	if !p.free(up) || !p.free(down) {
		return
	}
	least, most := 0.0, 60.0
	switch name {
	case "brightness":
		least, most = 1, 8
	case "temperature":
		least, most = 16, 30
	}
	c := Control{Name: name, Kind: Dial, Least: &least, Most: &most, Up: up, Down: down,
		Guessed: []string{"least", "most"}}
	if name == "temperature" {
		c.Unit = "°C"
	}
	p.add(c)
}

// timer is the device's own: after so many minutes it switches itself off.
func (p *proposal) timer() {
	if !slices.Contains(p.names, "power") {
		return
	}
	for _, name := range []string{"sleep", "timer"} {
		if p.free(name) {
			p.add(Control{Name: name, Kind: Selector, Values: []string{"off", "30", "60", "90"}, Round: name,
				AfterS: map[string]int{"30": 1800, "60": 3600, "90": 5400}, Guessed: []string{"values", "after_s"}})
		}
	}
}

func (p *proposal) flip(name string) {
	if p.free(name) {
		p.add(Control{Name: name, Kind: Selector, Values: []string{"off", "on"}, Round: name})
	}
}

// inputs are chosen by a key for each, or by one that goes round.
func (p *proposal) inputs() {
	if p.numbered("input") {
		return
	}
	for _, key := range []string{"source", "input"} {
		if p.free(key) {
			p.add(Control{Name: key, Kind: Selector, Values: []string{"a", "b"}, Round: key,
				Guessed: []string{"values"}})
			return
		}
	}
}

var numberedKey = regexp.MustCompile(`^(.+)-(\d{1,2})$`)

// numbered proposes a selector of keys like input-1, input-2.
func (p *proposal) numbered(name string) bool {
	c := Control{Name: name, Kind: Selector, Keys: map[string]string{}}
	for _, key := range p.keys {
		if m := numberedKey.FindStringSubmatch(key); m != nil && m[1] == name && p.free(key) {
			c.Values = append(c.Values, m[2])
			c.Keys[m[2]] = key
		}
	}
	if len(c.Values) < 2 {
		return false
	}
	p.add(c)
	return true
}

var colourNames = []string{"red", "orange", "amber", "yellow", "green", "cyan", "blue", "purple", "pink", "white",
	"warm", "cold"}

// colours are a selector where a light has several.
func (p *proposal) colours() {
	c := Control{Name: "colour", Kind: Selector, Keys: map[string]string{}}
	for _, key := range p.keys {
		if slices.Contains(colourNames, key) && p.free(key) {
			c.Values = append(c.Values, key)
			c.Keys[key] = key
		}
	}
	if p.about.Kind == "light" && len(c.Values) >= 2 {
		p.add(c)
	}
}

func (p *proposal) digits() {
	for _, d := range strings.Split("0123456789", "") {
		if !p.free(d) {
			return
		}
	}
	least, most := 1.0, 99.0
	c := Control{Name: "channel", Kind: Digits, Least: &least, Most: &most, Guessed: []string{"least", "most"}}
	for _, k := range []struct {
		key string
		to  *string
	}{{"channel-up", &c.Up}, {"channel-down", &c.Down}, {"enter", &c.Enter}} {
		if p.free(k.key) {
			*k.to = k.key
		}
	}
	p.add(c)
}

// RenameKey puts another name in a key's place in all forms. An empty one takes it out, and with it the controls that
// nothing sets any more; their names are told.
func (f *Forms) RenameKey(from, to string) (without []string) {
	controls := f.Controls
	f.Controls = nil
	for _, c := range controls {
		if !slices.Contains(c.keys(), from) && !(c.Kind == Digits && isDigit(from)) {
			f.Controls = append(f.Controls, c)
			continue
		}
		c = c.renamed(from, to)
		if c.check(f.Whole.has(c.Name)) != nil || to == "" && c.Kind == Digits && isDigit(from) {
			without = append(without, c.Name)
			continue
		}
		f.Controls = append(f.Controls, c)
	}
	effects := f.Effects
	f.Effects = nil
	for _, k := range effects {
		if k.Key == from {
			k.Key = to
		}
		k.Effects = slices.DeleteFunc(slices.Clone(k.Effects),
			func(e Effect) bool { return slices.Contains(without, e.Control) })
		if k.Key != "" && len(k.Effects) > 0 {
			f.Effects = append(f.Effects, k)
		}
	}
	return without
}

func isDigit(key string) bool { return len(key) == 1 && key >= "0" && key <= "9" }

// renamed is a form with another key in a key's place.
func (c Control) renamed(from, to string) Control {
	for _, k := range []*string{&c.Round, &c.Up, &c.Down, &c.Hold, &c.Enter, &c.Open, &c.Close, &c.Stop} {
		if *k == from {
			*k = to
		}
	}
	keys := map[string]string{}
	for v, k := range c.Keys {
		if k == from {
			k = to
		}
		if k != "" {
			keys[v] = k
		}
	}
	if c.Kind == Digits && isDigit(from) && c.Keys[from] == "" && to != "" {
		keys[from] = to
	}
	if c.Keys = keys; len(keys) == 0 {
		c.Keys = nil
	}
	sequences := map[string][]string{}
	for v, all := range c.Sequences {
		all = slices.Clone(all)
		for i := range all {
			if all[i] == from {
				all[i] = to
			}
		}
		if !slices.Contains(all, "") {
			sequences[v] = all
		}
	}
	if c.Sequences = sequences; len(sequences) == 0 {
		c.Sequences = nil
	}
	c.Also = slices.Clone(c.Also)
	for i := range c.Also {
		if c.Also[i] == from {
			c.Also[i] = to
		}
	}
	c.Also = slices.DeleteFunc(c.Also, func(k string) bool { return k == "" })
	return c
}

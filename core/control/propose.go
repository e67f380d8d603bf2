package control

import (
	"regexp"
	"slices"
	"strings"
)

// Question is something about a control that no key tells. Each is answered by trying it on the device.
type Question struct {
	Control string `json:"control"`
	Field   string `json:"field" doc:"Member of the form that the answer goes to"`
	Text    string `json:"text"`
	Try     string `json:"try,omitempty" doc:"Key to press to find out"`
}

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
	p.power()
	p.travel()
	for _, d := range [][3]string{{"volume", "volume-up", "volume-down"}, {"brightness", "brighter", "dim"},
		{"temperature", "warmer", "cooler"}, {"bass", "bass-up", "bass-down"}, {"treble", "treble-up", "treble-down"}} {
		p.dial(d[0], d[1], d[2])
	}
	for _, s := range []string{"mute", "sweep", "freeze", "blank", "breathe", "light", "swing", "sleep"} {
		p.flip(s)
	}
	p.inputs()
	p.numbered("speed")
	p.colours()
	p.digits()
	return p.out, p.questions
}

type proposal struct {
	keys, used, names []string
	about             About
	out               []Control
	questions         []Question
}

// keys of a form.
func (c *Control) keys() []string {
	var out []string
	add := func(k string) {
		if k != "" && !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	for _, k := range []string{c.Round, c.Up, c.Down, c.Enter, c.Open, c.Close, c.Stop} {
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
func (p *proposal) add(c Control, ask ...Question) {
	if slices.Contains(p.names, c.Name) {
		return
	}
	p.names, p.used = append(p.names, c.Name), append(p.used, c.keys()...)
	p.out = append(p.out, c)
	for _, q := range ask {
		q.Control = c.Name
		p.questions = append(p.questions, q)
	}
}

func (p *proposal) power() {
	c := Control{Name: "power", Kind: Power, WarmUpMS: p.about.WarmUpMS}
	var ask []Question
	if p.free("on") && p.free("off") {
		c.Keys = map[string]string{"on": "on", "off": "off"}
		ask = append(ask, Question{Field: "again_ms", Try: "off",
			Text: "Does off have to be pressed twice? Within how long?"})
	} else {
		for _, key := range []string{"power", "on-off", "on"} {
			if p.free(key) {
				c.Round = key
				ask = append(ask, Question{Field: "keys", Try: key,
					Text: "Does " + key + " switch it on and off in turn, or only on?"})
				break
			}
		}
	}
	if c.Round == "" && len(c.Keys) == 0 {
		return
	}
	if c.WarmUpMS == 0 {
		try := c.Round
		if try == "" {
			try = "on"
		}
		ask = append(ask, Question{Field: "warm_up_ms", Try: try,
			Text: "How long after switching on does it not obey yet?"})
	}
	p.add(c, ask...)
}

func (p *proposal) travel() {
	for _, ends := range [][2]string{{"open", "close"}, {"up", "down"}} {
		moves := p.about.Kind == "screen" || p.about.Kind == "shutter" || ends[0] == "open"
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
		p.add(c, Question{Field: "open_ms", Try: c.Open, Text: "How long does the full way take?"})
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
	p.add(c, Question{Field: "most", Try: up, Text: "How many steps are there from one end to the other?"})
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
				Guessed: []string{"values"}},
				Question{Field: "values", Try: key, Text: "What does it go through, in which order?"})
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
	p.add(c, Question{Field: "most", Text: "What is the highest number?"})
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
	for _, k := range []*string{&c.Round, &c.Up, &c.Down, &c.Enter, &c.Open, &c.Close, &c.Stop} {
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

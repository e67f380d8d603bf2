package phrase

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"urbo/core/control"
	"urbo/core/run"
)

// meaning is one way to take a part of a phrase.
type meaning struct {
	steps  []run.Step
	does   Does
	errand Named
	about  []thing // what it is about, for a part that names nothing
	cost   int
}

// Costs of what is not said. What costs less is meant.
const (
	costUnsaidControl = 2  // "radio 47"
	costUnsaidThing   = 4  // "volume 22"
	costKey           = 20 // "projector menu": a raw press
)

// means makes meanings of what the slots of a pattern took.
func (m *matcher) means(intent string, s slots, before []thing) []meaning {
	switch intent {
	case "on", "off":
		return m.power(s, intent)
	case "all off":
		return m.allOff(s)
	case "set":
		return m.set(s, before)
	case "set it":
		if len(before) == 0 {
			return nil
		}
		s.things = before
		return m.set(s, before)
	case "more", "less":
		return m.steps(s, before, intent == "less", s.control)
	case "compare", "dim", "brighten":
		said := map[string]string{"dim": "darker", "brighten": "brighter", "compare": s.compare}[intent]
		return m.compare(s, before, m.language.compares[said])
	case "open", "close", "up", "down", "stop":
		return m.way(s, intent)
	case "press", "key":
		return m.press(s, intent == "key")
	case "mute", "unmute":
		on := map[string]string{"mute": "on", "unmute": "off"}[intent]
		s.control, s.value = "mute", &value{name: on}
		return append(m.set(s, before), m.pressNamed(s, before, intent)...)
	case "begin":
		return []meaning{{steps: []run.Step{{Start: &run.Start{On: occasionOf(s.ref)}}}, cost: s.cost}}
	case "finish":
		on := occasionOf(s.ref)
		return []meaning{{steps: []run.Step{{End: &on}}, cost: s.cost}}
	case "run":
		on := run.Target{Kind: run.Sequence, ID: s.ref.ID, Was: s.ref.Slug}
		return []meaning{{steps: []run.Step{{Call: &on}}, cost: s.cost}}
	case "errand":
		return []meaning{{does: RunErrand, errand: s.ref, cost: s.cost + 1}}
	case "again":
		return []meaning{{does: Again}}
	case "undo":
		return []meaning{{does: Undo}}
	}
	return nil
}

func occasionOf(n Named) run.Target { return run.Target{Kind: run.Occasion, ID: n.ID, Was: n.Slug} }

// one is a step that sets controls, and what it is about.
func one(changes []run.Wanted, about []thing, cost int) []meaning {
	var steps []run.Step
	for all := range slices.Chunk(changes, run.MaxChanges) {
		steps = append(steps, run.Step{Set: &run.Set{Changes: all}})
	}
	return []meaning{{steps: steps, about: about, cost: cost}}
}

// power switches things.
func (m *matcher) power(s slots, to string) []meaning {
	var changes []run.Wanted
	for _, t := range s.things {
		switch {
		case t.device < 0:
			if !slices.ContainsFunc(t.members, func(i int) bool { return powerOf(m.house.Devices[i]) != nil }) {
				return nil
			}
			changes = append(changes, run.Wanted{On: t.Target, Control: m.powerName(t), Value: to})
			continue
		}
		c := powerOf(m.house.Devices[t.device])
		if c == nil && to == "off" {
			c = selectorWith(m.house.Devices[t.device], to)
		}
		if c == nil {
			out := m.pressPower(s, to)
			if len(out) == 0 {
				m.why = fmt.Errorf("nothing of %s switches it %s yet: learn it (urbo learn %s), or say how its keys "+
					"work "+
					"(urbo control propose %s)", t.name, to, t.Was, t.Was)
			}
			return out
		}
		v, is := switched(c, to)
		if !is {
			return nil
		}
		changes = append(changes, run.Wanted{On: t.Target, Control: c.Name, Value: v})
	}
	return one(changes, s.things, s.cost)
}

// pressPower presses on or off, of something that has keys of these names and no controls.
func (m *matcher) pressPower(s slots, to string) []meaning {
	var steps []run.Step
	for _, t := range s.things {
		if t.device < 0 || !slices.Contains(m.house.Devices[t.device].Keys, to) {
			return nil
		}
		steps = append(steps, run.Step{Press: &run.Press{On: t.Target, Key: to}})
	}
	return []meaning{{steps: steps, about: s.things, cost: s.cost + costKey}}
}

// powerName is the control that most of a group is switched by.
func (m *matcher) powerName(t thing) string {
	for _, i := range t.members {
		if c := powerOf(m.house.Devices[i]); c != nil {
			return c.Name
		}
	}
	return "power"
}

// powerOf is the control that a device is switched by, nil where there is none.
func powerOf(d Device) *control.Control {
	for i := range d.Controls {
		if d.Controls[i].Kind == control.Power {
			return &d.Controls[i]
		}
	}
	return nil
}

func selectorWith(d Device, value string) *control.Control {
	var out *control.Control
	for i := range d.Controls {
		if slices.Contains(d.Controls[i].Choices(), value) {
			if out != nil {
				return nil
			}
			out = &d.Controls[i]
		}
	}
	return out
}

// switched is the value of a power that is on or off. Of one with several modes, on is none where none is called so.
func switched(c *control.Control, to string) (string, bool) {
	all := c.Choices()
	switch {
	case slices.Contains(all, to):
		return to, true
	case to == "off" && len(all) > 0:
		return all[0], true
	case len(all) == 2:
		return all[1], true
	}
	return "", false
}

// allOff switches off all that has a power, in a place or in the house: but not what has rolling codes, and nothing
// that moves.
func (m *matcher) allOff(s slots) []meaning {
	spared := func(i int) bool {
		d := m.house.Devices[i]
		return d.Rolling || slices.ContainsFunc(s.but, func(t thing) bool {
			return t.device == i || slices.Contains(t.members, i)
		}) || m.sees != nil && !m.sees(run.Device, d.ID)
	}
	var changes []run.Wanted
	off := func(i int) {
		if c := powerOf(m.house.Devices[i]); c != nil && !spared(i) {
			v, _ := switched(c, "off")
			changes = append(changes, run.Wanted{On: run.Target{Kind: run.Device, ID: m.house.Devices[i].ID,
				Was: m.house.Devices[i].Slug}, Control: c.Name, Value: v})
		}
	}
	if s.place != nil {
		for _, i := range s.place.members {
			off(i)
		}
	} else {
		for i := range m.house.Devices {
			off(i)
		}
	}
	if len(changes) == 0 {
		return nil
	}
	return one(changes, nil, s.cost)
}

// isControl says whether a control is what somebody calls so.
func (m *matcher) isControl(c *control.Control, said string) bool {
	name := m.spoken[c.Name]
	if c.Name == said || name == said {
		return true
	}
	for _, o := range m.language.controls[c.Name] {
		if o == said {
			return true
		}
	}
	for _, o := range m.language.controls[said] {
		if o == name {
			return true
		}
	}
	return said == "target" && c.Unit == "°C"
}

// candidates are the devices that a part of a phrase is about: what it names, what the part before named, or any.
// cost is what is guessed.
func (m *matcher) candidates(s slots, before []thing) (all [][]thing, cost int) {
	if len(s.things) > 0 {
		return [][]thing{s.things}, 0
	}
	for i := range m.house.Devices {
		d := &m.house.Devices[i]
		if m.sees == nil || m.sees(run.Device, d.ID) {
			all = append(all, []thing{{run.Target{Kind: run.Device, ID: d.ID, Was: d.Slug}, i, nil, d.Name}})
		}
	}
	return all, costUnsaidThing
}

// each makes meanings of one control of each thing. fits says what it is to be at, "" where it cannot.
func (m *matcher) each(s slots, before []thing, fits func(c *control.Control) string) []meaning {
	lists, cost := m.candidates(s, before)
	if len(s.things) == 0 && len(before) > 0 { // "amplifier on, volume 22"
		var fit []thing
		for _, t := range before {
			if len(m.fitting(t, fits)) > 0 {
				fit = append(fit, t)
			}
		}
		if out := m.eachOf([][]thing{fit}, s.cost, fits); len(out) > 0 {
			return out
		}
	}
	return m.eachOf(lists, s.cost+cost, fits)
}

func (m *matcher) eachOf(lists [][]thing, cost int, fits func(c *control.Control) string) (out []meaning) {
	for _, things := range lists {
		ways := [][]run.Wanted{nil}
		for _, t := range things {
			var here [][]run.Wanted
			for _, found := range m.fitting(t, fits) {
				for _, w := range ways {
					here = append(here, append(slices.Clip(w), found...))
				}
			}
			if ways = here; len(ways) == 0 || len(ways) > mostChoices*mostChoices {
				break
			}
		}
		for _, w := range ways {
			if len(w) > 0 {
				out = append(out, one(w, things, cost)...)
			}
		}
	}
	return out
}

// fitting are the ways to set a thing. A group or room is set as a whole where several of its devices have the control,
// and else the one that has it.
func (m *matcher) fitting(t thing, fits func(c *control.Control) string) (out [][]run.Wanted) {
	of := func(i int) (all []run.Wanted) {
		d := &m.house.Devices[i]
		if m.sees != nil && !m.sees(run.Device, d.ID) {
			return nil
		}
		for k := range d.Controls {
			if v := fits(&d.Controls[k]); v != "" {
				all = append(all, run.Wanted{On: run.Target{Kind: run.Device, ID: d.ID, Was: d.Slug},
					Control: d.Controls[k].Name, Value: v})
			}
		}
		return all
	}
	if t.device >= 0 {
		for _, w := range of(t.device) {
			out = append(out, []run.Wanted{w})
		}
		return out
	}
	byControl := map[string][]run.Wanted{}
	var order []string
	for _, i := range t.members {
		for _, w := range of(i) {
			key := w.Control + "\x00" + w.Value
			if byControl[key] == nil {
				order = append(order, key)
			}
			byControl[key] = append(byControl[key], w)
		}
	}
	for _, key := range order {
		all := byControl[key]
		if len(all) > 1 {
			all = []run.Wanted{{On: t.Target, Control: all[0].Control, Value: all[0].Value}}
		}
		out = append(out, all)
	}
	return out
}

// set sets a control to a value.
func (m *matcher) set(s slots, before []thing) []meaning {
	v := s.value
	if v == nil { // "switch on mute of the amplifier"
		v = &value{name: "on"}
	}
	if s.control == "" {
		if len(s.things) == 0 && len(before) == 0 {
			return nil
		}
		s.cost += costUnsaidControl
	}
	return m.each(s, before, func(c *control.Control) string {
		if s.control != "" && !m.isControl(c, s.control) {
			return ""
		}
		to, err := at(c, *v, s.control != "")
		if err != nil {
			m.why = err
		}
		return to
	})
}

// at is a value as a control writes it, "" where it is no value for it. The error says that it is one, and out of
// bounds.
func at(c *control.Control, v value, named bool) (string, error) {
	number := func(n float64) (string, error) {
		text := number(n)
		if err := c.Check(text); err != nil {
			return "", err
		}
		return text, nil
	}
	switch {
	case v.name != "":
		return choice(c, v.name), nil
	case v.most || v.least:
		return extreme(c, v.most), nil
	case v.signed && c.Kind != control.Dial:
		return "", nil
	case v.signed && (v.number >= 0 || c.Least == nil || *c.Least >= 0): // "volume +3"
		n := math.Abs(v.number)
		if n != math.Trunc(n) || n < 1 || n > control.MaxSteps {
			return "", nil
		}
		if v.number < 0 {
			return fmt.Sprintf("down %.0f", n), nil
		}
		return fmt.Sprintf("up %.0f", n), nil
	}
	switch c.Kind {
	case control.Travel:
		if v.unit == "%" || named && v.unit == "" {
			return number(v.number)
		}
	case control.Dial:
		switch {
		case v.unit == "%" && c.Unit != "%":
			if c.Unit == "" && c.Most != nil && v.number >= 0 && v.number <= 100 { // of its scale
				return number(math.Round(*c.Most * v.number / 100))
			}
		case v.unit == "" || v.unit == c.Unit:
			return number(v.number)
		}
	case control.Digits:
		if v.unit == "" {
			return number(v.number)
		}
	case control.Selector, control.Power:
		if v.unit == "" {
			return choice(c, strconv.FormatFloat(v.number, 'f', -1, 64)), nil
		}
	}
	return "", nil
}

// extreme is the most or least that a control can be at.
func extreme(c *control.Control, most bool) string {
	switch {
	case c.Kind == control.Travel && most:
		return c.Choices()[1]
	case c.Kind == control.Travel:
		return c.Choices()[0]
	case c.Kind != control.Dial:
		return ""
	case most && c.Most != nil:
		return number(*c.Most)
	case most:
		return ""
	case c.Least != nil:
		return number(*c.Least)
	}
	return "0"
}

// choice is the value of a control that is called so.
func choice(c *control.Control, said string) string {
	for _, name := range c.Choices() {
		if strings.EqualFold(name, said) {
			return name
		}
	}
	for name := range c.Favourites {
		if strings.EqualFold(name, said) {
			return name
		}
	}
	for _, name := range c.Choices() { // "input 2" of input-2
		if words := plainWords(name); len(words) > 1 && words[len(words)-1] == said {
			return name
		}
	}
	return ""
}

// compare makes something louder or darker.
func (m *matcher) compare(s slots, before []thing, c compare) []meaning {
	if s.control != "" || len(c.controls) == 0 {
		if len(s.things) == 0 && s.control == "" {
			return nil
		}
		return m.steps(s, before, c.less, s.control)
	}
	all := m.steps(s, before, c.less, c.controls...)
	return all
}

// steps changes a dial by some steps. Without one that is named, it is the only one of what is named.
func (m *matcher) steps(s slots, before []thing, less bool, controls ...string) []meaning {
	controls = slices.DeleteFunc(controls, func(c string) bool { return c == "" })
	if len(controls) == 0 {
		if len(s.things) == 0 {
			return nil
		}
		if s.amount == 0 { // "screen down" is a way
			if ways := m.way(s, map[bool]string{true: "down", false: "up"}[less]); len(ways) > 0 {
				return ways
			}
		}
		s.cost += costUnsaidControl
	}
	n := cmp.Or(s.amount, 1)
	to := fmt.Sprintf("up %d", n)
	if less {
		to = fmt.Sprintf("down %d", n)
	}
	return m.each(s, before, func(c *control.Control) string {
		if c.Kind != control.Dial || len(controls) > 0 && !slices.ContainsFunc(controls, func(said string) bool {
			return m.isControl(c, said)
		}) {
			return ""
		}
		return to
	})
}

// way moves what moves: open, close, up, down, stop.
func (m *matcher) way(s slots, to string) []meaning {
	var changes []run.Wanted
	var steps []run.Step
	for _, t := range s.things {
		all := []int{t.device}
		if t.device < 0 {
			all = t.members
		}
		moved := false
		for _, i := range all {
			d := &m.house.Devices[i]
			for k := range d.Controls {
				c := &d.Controls[k]
				if c.Kind != control.Travel || c.SlatsOf != "" {
					continue
				}
				on := run.Target{Kind: run.Device, ID: d.ID, Was: d.Slug}
				if to == "stop" {
					if c.Stop != "" {
						steps, moved = append(steps, run.Step{Press: &run.Press{On: on, Key: c.Stop}}), true
					}
					continue
				}
				if v := end(c, to); v != "" {
					changes, moved = append(changes, run.Wanted{On: on, Control: c.Name, Value: v}), true
				}
			}
		}
		if !moved {
			return nil
		}
	}
	if to == "stop" {
		return []meaning{{steps: steps, about: s.things, cost: s.cost}}
	}
	return one(changes, s.things, s.cost)
}

// end is the end of a way that is called so, or that a key of this name leads to.
func end(c *control.Control, to string) string {
	ends := c.Choices()
	switch {
	case to == "open":
		return ends[1]
	case to == "close":
		return ends[0]
	case slices.Contains(ends, to):
		return to
	case c.Open == to:
		return ends[1]
	case c.Close == to:
		return ends[0]
	}
	return ""
}

// press presses a key. One that is not asked for as a key is only taken where nothing else is meant.
func (m *matcher) press(s slots, unasked bool) (out []meaning) {
	lists, cost := m.candidates(s, nil)
	if len(s.things) == 0 && len(s.key) < 3 { // "press a key"
		return nil
	}
	if unasked {
		cost += costKey
	}
	for _, things := range lists {
		var steps []run.Step
		for _, t := range things {
			if t.device < 0 || !slices.Contains(m.house.Devices[t.device].Keys, s.key) {
				steps = nil
				break
			}
			p := &run.Press{On: t.Target, Key: s.key}
			if s.times > 1 {
				p.Times = s.times
			}
			steps = append(steps, run.Step{Press: p})
		}
		if len(steps) > 0 {
			out = append(out, meaning{steps: steps, about: things, cost: s.cost + cost})
		}
	}
	return out
}

// pressNamed presses a key of a name, of what has no such control.
func (m *matcher) pressNamed(s slots, before []thing, key string) []meaning {
	if s.key = key; len(s.things) == 0 {
		s.things = before
	}
	return m.press(s, true)
}

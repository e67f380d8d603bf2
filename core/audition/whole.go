package audition

import (
	"slices"
	"strconv"
	"strings"

	"urbo/core/control"
	"urbo/core/device"
)

// Climate is the function of an audition for devices whose handset sends its whole state: each set says cooling at 24°
// with the fan low, and whoever sits in front of the device says whether it shows that.
const Climate = "climate"

// Shown is a code set whose frames carry everything as keys that each send one state, and are called what the device
// shows then: the first is cooling (or heating) at 24° with the fan low, the others have one thing changed. false is
// for a set without such frames.
func Shown(set device.Device) (device.Device, bool) {
	if set.Whole == nil {
		return set, false
	}
	spec, err := set.Compile()
	if err != nil {
		return set, false
	}
	s := states{forms: set.Forms, power: set.Controls[0].Name}
	base, ok := s.base()
	if !ok {
		return set, false
	}
	set.Keys, set.Kind = nil, "" // no key of it is unusual
	add := func(name string, frame map[string]string) {
		c := device.FrameCode(spec, frame)
		c.Source = "set"
		set.Keys = append(set.Keys, device.Key{Name: name, Codes: []device.Code{c}})
	}
	add(s.name(base), base)
	for _, changed := range s.others(base) {
		add(s.name(changed), changed)
	}
	if off := s.with(base, s.power, "off"); spec.Check(s.power, "off") == nil {
		add("off", off)
	}
	return set, true
}

// states makes states of a set's frames.
type states struct {
	forms             control.Forms
	power             string
	mode, target, fan *control.Control
}

// base is cooling, or else heating, at 24° with the fan low; false where the frames carry no temperature.
func (s *states) base() (map[string]string, bool) {
	out := map[string]string{}
	for _, set := range s.forms.Whole.Settings {
		i := slices.IndexFunc(s.forms.Controls, func(c control.Control) bool { return c.Name == set.Control })
		c := &s.forms.Controls[i]
		switch {
		case c.Kind == control.Power:
			s.power = c.Name
			out[c.Name] = "on"
			if len(c.Values) > 1 {
				out[c.Name] = c.Values[1]
			}
		case c.Kind == control.Dial:
			out[c.Name] = number(*c.Least)
			if s.target == nil && strings.HasPrefix(c.Unit, "°") {
				s.target = c
				out[c.Name] = s.degrees(0)
			}
		default:
			out[c.Name] = c.Values[0]
			switch {
			case s.mode == nil && beginning(c, "cool", "heat") != "":
				s.mode = c
				out[c.Name] = beginning(c, "cool", "heat")
			case s.fan == nil && beginning(c, "low") != "":
				s.fan = c
				out[c.Name] = beginning(c, "low")
			}
		}
	}
	return out, s.target != nil
}

// degrees is 24 °C, or what is nearest, and so many degrees more.
func (s *states) degrees(more float64) string {
	at := 24.0
	if strings.HasSuffix(s.target.Unit, "F") {
		at = 75
	}
	return number(min(max(at+more, *s.target.Least), *s.target.Most))
}

// others are states with one thing changed.
func (s *states) others(base map[string]string) (out []map[string]string) {
	out = append(out, s.with(base, s.target.Name, s.degrees(2)))
	if s.mode != nil {
		if v := beginning(s.mode, "heat", "dry", "fan", "auto"); v != "" && v != base[s.mode.Name] {
			out = append(out, s.with(base, s.mode.Name, v))
		}
	}
	if s.fan != nil {
		if v := beginning(s.fan, "high", "max"); v != "" {
			out = append(out, s.with(base, s.fan.Name, v))
		}
	}
	return out
}

func (s *states) with(base map[string]string, control, value string) map[string]string {
	out := make(map[string]string, len(base))
	for name, v := range base {
		out[name] = v
	}
	out[control] = value
	return out
}

// name is what a device shows in a state.
func (s *states) name(state map[string]string) string {
	var parts []string
	for _, c := range []*control.Control{s.mode, s.target, s.fan} {
		if c != nil {
			parts = append(parts, state[c.Name])
		}
	}
	return strings.ReplaceAll(strings.Join(parts, "-"), ".", "-")
}

// beginning is the first value of a selector that begins with one of some words, "" where none does.
func beginning(c *control.Control, words ...string) string {
	for _, w := range words {
		for _, v := range c.Values {
			if strings.HasPrefix(v, w) {
				return v
			}
		}
	}
	return ""
}

func number(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

// FramesOf is the code set of an audition of whole states that is worth keeping: the one that fits, or else the best,
// without what the device did not show. false is where single keys are kept, or nothing was confirmed.
func (a *Audition) FramesOf() (device.Device, bool) {
	if a.Function != Climate {
		return device.Device{}, false
	}
	n := a.Winner
	if a.Phase != Found {
		n, _ = a.best()
	}
	if n < 0 {
		return device.Device{}, false
	}
	return a.without(n), true
}

// without is a set without the mode and the fan that the device did not show.
func (a *Audition) without(n int) device.Device {
	set := a.Sets[n]
	set.Keys = nil
	set.Controls = slices.Clone(set.Controls)
	s := states{forms: set.Forms}
	base, _ := s.base()
	for _, changed := range s.others(base) {
		if a.Answers[n][s.name(changed)] != No {
			continue
		}
		for i := range set.Controls {
			c := &set.Controls[i]
			if v := changed[c.Name]; v != base[c.Name] && c.Kind == control.Selector && len(c.Values) > 2 {
				c.Values = slices.DeleteFunc(slices.Clone(c.Values), func(o string) bool { return o == v })
			}
		}
	}
	return set
}

package control

import (
	"regexp"
	"strings"
)

// unit is what people write after a number: 24 °C, 24c, 50 %.
var unit = regexp.MustCompile(`^([+-]?\d+(?:[.,]\d+)?)\s*(?:°\s*[a-zA-Z]?|[cCfF]|%|degrees)$`)

// leastBegin is how many letters of a value are enough where it is the only one that begins so.
const leastBegin = 3

// Meant is a want as the control writes it, where it can be told what somebody meant: "Power ON" is power on, 24 °C
// is 24, half a shutter is 50, and cool is cooling where nothing else begins so. Others stay as they are.
func (s *Spec) Meant(w Want) Want {
	i, err := s.find(w.Control)
	for n, c := range s.controls {
		if err != nil && strings.EqualFold(c.Name, strings.TrimSpace(w.Control)) {
			i, err = n, nil
		}
	}
	if err != nil {
		return w
	}
	c := &s.controls[i]
	w.Control = c.Name
	if _, err := c.index(w.Value); err == nil {
		return w
	}
	for _, value := range c.meant(strings.TrimSpace(w.Value)) {
		if _, err := c.index(value); err == nil {
			w.Value = value
			return w
		}
	}
	return w
}

// AllMeant is Meant of several wants.
func (s *Spec) AllMeant(wants []Want) []Want {
	out := make([]Want, len(wants))
	for i, w := range wants {
		out[i] = s.Meant(w)
	}
	return out
}

// meant are the values that somebody may have meant, the most likely first.
func (c *Control) meant(text string) (out []string) {
	names := c.Choices()
	for name := range c.Favourites {
		names = append(names[:len(names):len(names)], name)
	}
	var begin []string
	for _, name := range names {
		switch {
		case strings.EqualFold(name, text):
			out = append(out, name)
		case len(text) >= leastBegin && len(text) < len(name) && strings.EqualFold(name[:len(text)], text):
			begin = append(begin, name)
		}
	}
	if len(begin) == 1 {
		out = append(out, begin[0])
	}
	if c.Kind == Travel && strings.EqualFold(text, "half") {
		out = append(out, "50")
	}
	if c.Kind == Dial || c.Kind == Travel {
		if m := unit.FindStringSubmatch(text); m != nil {
			text = m[1]
		}
		out = append(out, strings.Replace(text, ",", ".", 1))
	}
	return out
}

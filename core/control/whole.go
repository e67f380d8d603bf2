package control

import (
	"fmt"
	"math/bits"
	"slices"
)

// Whole is a line code whose every frame carries the whole state of a device: setting one thing sends all of it.
type Whole struct {
	Sheet    string           `json:"sheet" maxLength:"40" doc:"Line sheet"`
	Fixed    map[string]int64 `json:"fixed,omitempty" doc:"Fields that never change, such as an address"`
	Settings []Setting        `json:"settings" maxItems:"24"`
}

// Setting ties a control to a field of the frames.
type Setting struct {
	Control string           `json:"control" maxLength:"40"`
	Field   string           `json:"field" maxLength:"40"`
	Values  map[string]int64 `json:"values,omitempty" doc:"What stands in the field, by value of a power or selector"`
	From    int64            `json:"from,omitempty" doc:"What stands in the field at the lowest value of a dial; it goes up by one for each step"`
}

// has says whether frames carry a control.
func (w *Whole) has(control string) bool {
	return w != nil && slices.ContainsFunc(w.Settings, func(s Setting) bool { return s.Control == control })
}

// compileWhole looks at what frames carry.
func (s *Spec) compileWhole(w *Whole) error {
	if w == nil {
		return nil
	}
	if w.Sheet == "" || len(w.Settings) == 0 {
		return fmt.Errorf("%w: name the line sheet of its frames, and what they carry", ErrForm)
	}
	for _, set := range w.Settings {
		i, err := s.find(set.Control)
		if err != nil {
			return err
		}
		c := &s.controls[i]
		switch {
		case slices.Contains(s.framed, i):
			return fmt.Errorf("%w %s stands in the frames twice: leave one out", ErrForm, c.Name)
		case c.Kind == Travel || c.Kind == Digits:
			return fmt.Errorf("%w %s: frames carry powers, dials and selectors, not a %s", ErrForm, c.Name, c.Kind)
		case c.Kind == Dial && len(set.Values) > 0:
			return fmt.Errorf("%w %s: of a dial say from, not values", ErrForm, c.Name)
		}
		if c.Kind != Dial {
			for _, v := range c.values() {
				if _, ok := set.Values[v]; !ok {
					return fmt.Errorf("%w %s: say what stands in the field %.40s for %s", ErrForm, c.Name, set.Field, v)
				}
			}
		}
		s.framed = append(s.framed, i)
	}
	s.whole = w
	return nil
}

// Whole is what the device's frames carry; nil where none carry several controls.
func (s *Spec) Whole() *Whole { return s.whole }

// Corners are frames that between them carry every value of powers and selectors, and both ends of dials.
func (s *Spec) Corners() (out []map[string]string) {
	most := 2
	for _, i := range s.framed {
		if c := &s.controls[i]; c.Kind != Dial {
			most = max(most, c.size())
		}
	}
	for n := range most {
		frame := map[string]string{}
		for _, i := range s.framed {
			c := &s.controls[i]
			at := min(n, c.size()-1)
			if c.Kind == Dial && n > 0 {
				at = c.size() - 1
			}
			frame[c.Name] = c.text(at)
		}
		out = append(out, frame)
	}
	return out
}

// Fields are what a frame has to say, by field, for values by control.
func (s *Spec) Fields(frame map[string]string) map[string]int64 {
	out := map[string]int64{}
	for f, v := range s.whole.Fixed {
		out[f] = v
	}
	for k, set := range s.whole.Settings {
		c := &s.controls[s.framed[k]]
		n, err := c.index(frame[c.Name])
		switch {
		case err != nil:
		case c.Kind == Dial:
			out[set.Field] = set.From + int64(n)
		default:
			out[set.Field] = set.Values[c.text(n)]
		}
	}
	return out
}

// Frame is what a frame of these fields says, by control; false where it is another device's. What the controls do not
// have is left out.
func (s *Spec) Frame(sheet string, fields map[string]int64) (map[string]string, bool) {
	if s.whole == nil || s.whole.Sheet != sheet {
		return nil, false
	}
	for f, v := range s.whole.Fixed {
		if fields[f] != v {
			return nil, false
		}
	}
	out := map[string]string{}
	for k, set := range s.whole.Settings {
		c := &s.controls[s.framed[k]]
		v, given := fields[set.Field]
		if !given {
			continue
		}
		if n := v - set.From; c.Kind == Dial && n >= 0 && n < int64(c.size()) {
			out[c.Name] = c.text(int(n))
		}
		for name, stands := range set.Values {
			if stands == v {
				out[c.Name] = name
			}
		}
	}
	return out, true
}

// framedPress is where a frame leads: everything that it carries is as it says, whatever it was.
func (s *Spec) framedPress(c *Case, p Press) Case {
	next := c.clone()
	for _, i := range s.framed {
		form := &s.controls[i]
		n, err := form.index(p.Frame[form.Name])
		switch {
		case err != nil:
			next.Possible[i] = s.anything(i)
		case i == s.power:
			next.Phase, next.Mode, next.Until, next.Armed = On, n, Span{}, Span{}
			if n == 0 {
				next.Phase = Off
			}
		default:
			next.Possible[i] = Possible{Ranges: only(n)}
		}
	}
	return next
}

// sendWhole plans one frame for all wants that frames carry, with everything else as it is believed to be. What is not
// known is sent at its first value. Where frames carry power, it is one of what is needed.
func (p *planner) sendWhole(power *powerWish) {
	s := p.spec
	frame, wanted, needed := map[string]string{}, false, p.ask.Asked
	for _, i := range s.framed {
		c := &s.controls[i]
		n, known := p.single(i)
		switch {
		case i == s.power && power != nil && power.want == nil && !p.always(power.mask):
			n, wanted, needed = bits.TrailingZeros64(power.mask), true, true
		case i == s.power && !known:
			n = 1 // whoever sets something wants it to run
		}
		for _, w := range p.wants {
			if w.control != i {
				continue
			}
			wanted = true
			if w.relative != 0 && !known {
				p.help(i, "", "steps lead from where it is, and that is not known")
				return
			}
			if n += w.relative; w.relative == 0 {
				n = w.value
			}
			n = min(max(n, 0), c.size()-1)
			needed = needed || w.relative != 0 || !p.certainly(w)
		}
		frame[c.Name] = c.text(n)
	}
	switch {
	case !wanted:
	case !needed:
		for _, w := range p.wants {
			if slices.Contains(s.framed, w.control) {
				p.leave(w.control)
			}
		}
	default:
		p.press(Step{Frame: frame})
	}
}

// single is the place of the one value that a control can be at; false where it may be at several.
func (p *planner) single(control int) (int, bool) {
	may := p.spec.may(p.cur, control, p.now)
	if len(may) != 1 || may[0].From != may[0].To {
		return 0, false
	}
	return may[0].From, true
}

// always says whether power has one of some values in every case.
func (p *planner) always(mask uint64) bool {
	return !slices.ContainsFunc(p.cur.Cases, func(c Case) bool { return c.bit()&mask == 0 })
}

package control

import (
	"fmt"
	"slices"
	"time"
)

// Link is what another device does to this one over their cable: where a control of it comes to a value, a control of
// this one is set.
type Link struct {
	DeviceID string `json:"device_id,omitempty" maxLength:"40" doc:"Of the other device"`
	Device   string `json:"device,omitempty" maxLength:"60" doc:"Its name in addresses"`
	Control  string `json:"control" maxLength:"40" doc:"Control of the other device; a power or selector"`
	Value    string `json:"value" maxLength:"40" doc:"To which that comes; on is any but off, where there is no such value"`
	Sets     string `json:"sets" maxLength:"40" doc:"Control of this device"`
	To       string `json:"to" maxLength:"40" doc:"Value to which that is set then"`
}

// Feed is the power of another device that feeds this one.
type Feed struct {
	DeviceID string `json:"device_id,omitempty" maxLength:"40" doc:"Of the other device"`
	Device   string `json:"device,omitempty" maxLength:"60" doc:"Its name in addresses"`
	Control  string `json:"control" maxLength:"40" doc:"Its power: while that is off, this device has none"`
}

// MaxLinks is the most links of a device.
const MaxLinks = 16

// What comes of links in the place of a key. They hold no names of keys.
const (
	keyFed   = "@fed"
	keyUnfed = "@unfed"
)

// Lead is something of another device that a device follows.
type Lead struct {
	DeviceID, Control string
	Value             string // "" where it is what feeds the device
	Key               string // of the press that this is for the device
}

// Leads are what a device follows. One that is fed has a lead without a value.
func (s *Spec) Leads() []Lead { return s.leads }

// compileLinks adds what other devices do. What those are at is checked where all devices are known.
func (s *Spec) compileLinks(forms Forms) error {
	if len(forms.Links) > MaxLinks {
		return fmt.Errorf("%w: %d links, the most is %d", ErrForm, len(forms.Links), MaxLinks)
	}
	for _, l := range forms.Links {
		i, err := s.find(l.Sets)
		if err != nil {
			return err
		}
		c := &s.controls[i]
		if c.Kind == Travel {
			return s.wrong(c, "a link sets a power, selector, dial or digits, not a %s", c.Kind)
		}
		n, err := c.index(l.To)
		if err != nil {
			return err
		}
		lead := Lead{DeviceID: l.DeviceID, Control: l.Control, Value: l.Value,
			Key: "@" + l.DeviceID + " " + l.Control + " " + l.Value}
		for _, e := range s.linksOf[lead.Key] {
			if e.control == i {
				return s.wrong(c, "%s %s of one device would set it twice: leave one out", l.Control, l.Value)
			}
		}
		s.linksOf[lead.Key] = append(s.linksOf[lead.Key], effect{control: i, op: OpSet, arg: n, while: anyPower})
		if !slices.Contains(s.leads, lead) {
			s.leads = append(s.leads, lead)
		}
	}
	if f := forms.Fed; f != nil {
		if f.Control == "" {
			return fmt.Errorf("%w: name the power of the device that feeds it", ErrForm)
		}
		s.fed = true
		s.leads = append(s.leads, Lead{DeviceID: f.DeviceID, Control: f.Control})
	}
	return nil
}

// FedKey is the key of the press that a device which is fed gets when that has power, or has none.
func FedKey(has bool) string {
	if has {
		return keyFed
	}
	return keyUnfed
}

// effectsOf are the effects of a key, or of a link in its place.
func (s *Spec) effectsOf(p Press) []effect {
	switch {
	case p.Frame != nil:
		return s.frameEffects(p.Frame)
	case p.Source == ByLink:
		return s.linksOf[p.Key]
	}
	return s.effects[p.Key]
}

// linked is where a link leads from a case. A device that ignores keys, or has no power, does not follow.
func (s *Spec) linked(c *Case, p Press) []Case {
	switch {
	case p.Key == keyFed && c.Phase == Unfed:
		return s.fedAgain(c, p.At)
	case p.Key == keyUnfed && c.Phase != Unfed:
		return []Case{s.unfed(c, p.At)}
	case p.Key == keyFed, p.Key == keyUnfed, c.Phase == Unfed, c.Phase == Cooling:
		return []Case{*c}
	}
	cases := []Case{c.clone()}
	was := c.Mode
	if c.Phase == Off {
		was = 0
	}
	for _, e := range s.linksOf[p.Key] {
		if e.control == s.power && e.arg == 0 { // over a cable it needs no second press
			if was != 0 {
				cases = []Case{s.off(c, Span{p.At, p.At})}
			}
		} else if e.control == s.power {
			cases = s.switched(nil, c, was, e.arg, p.At)
		}
	}
	for k := range cases {
		to := &cases[k]
		for i := range to.Possible { // what was begun by keys may go on, or is dropped
			if t := to.Possible[i].Part; t != nil {
				to.Possible[i].Part = &Part{Lost: true, At: p.At}
			}
			if to.Possible[i].Typed != nil {
				to.Possible[i] = interrupted(to.Possible[i])
			}
		}
		for _, e := range s.linksOf[p.Key] {
			if e.control == s.power || to.Phase == Off || to.Phase == Cooling {
				continue
			}
			was := to.Possible[e.control]
			to.Possible[e.control] = s.effect(e, was, p)
			if to.Possible[e.control].Part = was.Part; was.Typed != nil {
				to.Possible[e.control] = s.anything(e.control)
			}
			if to.Phase == Warming { // it may not be heeded yet
				to.Possible[e.control] = to.Possible[e.control].or(was)
			}
			if s.controls[e.control].Kind == Power {
				s.startTied(to, e.control, was, p)
			}
		}
	}
	return cases
}

// unfed is a case whose device has no power any more.
func (s *Spec) unfed(c *Case, at time.Time) Case {
	out := c.clone()
	if c.Phase == Off || c.Phase == Cooling {
		out.Mode = 0
	}
	out.Phase, out.Until, out.Armed = Unfed, Span{}, Span{}
	for i := range out.Possible {
		out.Possible[i] = s.cutOff(i, out.Possible[i], at)
	}
	return out
}

// fedAgain are the cases of a device that gets power again: as after a mains failure.
func (s *Spec) fedAgain(c *Case, at time.Time) []Case {
	before := c.clone()
	if before.Phase = On; s.power >= 0 && before.Mode == 0 {
		before.Phase = Off
	}
	return s.poweredUp(before, at)
}

// FedNow is what is believed of a device of which it becomes known that another one feeds it, and whether that one has
// power now.
func (s *Spec) FedNow(b Belief, has bool) Belief {
	out := b
	out.Cases = nil
	for _, c := range b.Cases {
		if c = c.clone(); !has {
			c.Phase = Unfed
		}
		if has == (c.Phase != Unfed) {
			out.Cases = append(out.Cases, c)
		}
	}
	if len(out.Cases) == 0 {
		return b
	}
	out.Cases = joined(out.Cases)
	return out
}

// perhapsUnfed adds the cases in which a device has no power, where another one feeds it.
func (s *Spec) perhapsUnfed(cases []Case) []Case {
	if !s.fed {
		return cases
	}
	for _, c := range slices.Clone(cases) {
		c = c.clone()
		c.Phase = Unfed
		cases = append(cases, c)
	}
	return cases
}

// Reach is how surely a control is at a value.
type Reach int

// The ways.
const (
	Never   Reach = iota // it is at something else
	Perhaps              // it may be
	Always               // it is
)

// Reaches says how surely a control is at a value. on is any value of a power but off, where it has none of that name.
func (s *Spec) Reaches(b Belief, name, value string, now time.Time) Reach {
	i, err := s.find(name)
	if err != nil {
		return Never
	}
	now = clean(now)
	b = s.at(b, now)
	may := s.may(b, i, now)
	c := &s.controls[i]
	n, err := c.index(value)
	if err != nil && c.Kind == Power && value == "on" {
		switch off := may.Has(0); {
		case !off:
			return Always
		case may.Is(0):
			return Never
		}
		return Perhaps
	}
	switch {
	case err != nil || !may.Has(n):
		return Never
	case may.Is(n):
		return Always
	}
	return Perhaps
}

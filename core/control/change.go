package control

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Put gives a device a control in the place of the one that was called name, with all that refers to it, or adds it
// where there is none.
func (f *Forms) Put(name string, c Control) {
	f.Controls = slices.Clone(f.Controls)
	i := slices.IndexFunc(f.Controls, func(o Control) bool { return o.Name == name })
	if i < 0 {
		f.Controls = append(f.Controls, c)
		return
	}
	f.Controls[i] = c
	if c.Name == name {
		return
	}
	f.Links = slices.Clone(f.Links)
	for j := range f.Links {
		if f.Links[j].Sets == name {
			f.Links[j].Sets = c.Name
		}
	}
	for j := range f.Controls {
		f.Controls[j] = f.Controls[j].withOther(name, c.Name)
	}
	effects := f.Effects
	f.Effects = nil
	for _, k := range effects {
		k.Effects = slices.Clone(k.Effects)
		for j := range k.Effects {
			if k.Effects[j].Control == name {
				k.Effects[j].Control = c.Name
			}
		}
		f.Effects = append(f.Effects, k)
	}
	if f.Whole == nil {
		return
	}
	w := *f.Whole
	w.Settings = slices.Clone(w.Settings)
	for j := range w.Settings {
		if w.Settings[j].Control == name {
			w.Settings[j].Control = c.Name
		}
	}
	f.Whole = &w
}

// withOther is a form that refers to another control by its new name: what its keys work with, or whose slats it is.
func (c Control) withOther(name, now string) Control {
	if other, value, is := strings.Cut(c.While, " "); is && other == name {
		c.While = now + " " + value
	}
	if c.SlatsOf == name {
		c.SlatsOf = now
	}
	return c
}

// PutLink lets another device set a control, in the place of what was said of the same value of it and that control.
func (f *Forms) PutLink(l Link) {
	f.DropLink(l)
	f.Links = append(f.Links, l)
}

// Portable are forms without what they say of other devices of the house.
func (f Forms) Portable() Forms {
	f.Links, f.Fed = nil, nil
	return f
}

// Keeping are forms with what others said of other devices of the house, as far as it is about controls that are there.
func (f Forms) Keeping(was Forms) Forms {
	f.Fed, f.Links = was.Fed, nil
	for _, l := range was.Links {
		if slices.ContainsFunc(f.Controls, func(c Control) bool { return c.Name == l.Sets && c.Check(l.To) == nil }) {
			f.Links = append(f.Links, l)
		}
	}
	return f
}

// DropLink takes a link back; false where there is none.
func (f *Forms) DropLink(l Link) bool {
	had := len(f.Links)
	f.Links = slices.DeleteFunc(slices.Clone(f.Links), func(o Link) bool {
		return o.DeviceID == l.DeviceID && o.Control == l.Control && o.Value == l.Value && o.Sets == l.Sets
	})
	return len(f.Links) < had
}

// Drop takes a control away, with all that refers to it. The error wraps ErrForm.
func (f *Forms) Drop(name string) error {
	i := slices.IndexFunc(f.Controls, func(o Control) bool { return o.Name == name })
	if i < 0 {
		return fmt.Errorf("%w: there is no %.40q to take away", ErrForm, name)
	}
	f.Controls = slices.Delete(slices.Clone(f.Controls), i, i+1)
	f.Links = slices.DeleteFunc(slices.Clone(f.Links), func(l Link) bool { return l.Sets == name })
	effects := f.Effects
	f.Effects = nil
	for _, k := range effects {
		k.Effects = slices.DeleteFunc(slices.Clone(k.Effects), func(e Effect) bool { return e.Control == name })
		if len(k.Effects) > 0 {
			f.Effects = append(f.Effects, k)
		}
	}
	if f.Whole == nil {
		return nil
	}
	w := *f.Whole
	w.Settings = slices.DeleteFunc(slices.Clone(w.Settings), func(s Setting) bool { return s.Control == name })
	if f.Whole = &w; len(w.Settings) == 0 {
		f.Whole = nil
	}
	return nil
}

// Carry says what a field of a frame carries, as people write it.
type Carry struct {
	Control string `json:"control" minLength:"1" maxLength:"40" doc:"Name of the control; power is what switches the device"`
	Field   string `json:"field" minLength:"1" maxLength:"40" doc:"Of the line sheet"`
	Values  string `json:"values" minLength:"1" maxLength:"2000" doc:"Values with what stands in the field, off=0, on=1; or numbers from least to most, 16 to 30, with what stands for the least where that is not the same, 16 to 30 = 0; with another step, 16 to 30 by 0.5 = 32"`
	Unit    string `json:"unit,omitempty" maxLength:"12" doc:"Of numbers"`
}

// Read is the control and its place in the frames. The error wraps ErrForm and says how to write it.
func (c Carry) Read() (Control, Setting, error) {
	out, set := Control{Name: c.Control, Kind: Selector}, Setting{Control: c.Control, Field: c.Field}
	wrong := func(says string) (Control, Setting, error) {
		return out, set, fmt.Errorf("%w %.40s: %.60q: %s", ErrForm, c.Control, c.Values, says)
	}
	if strings.Contains(c.Values, " to ") {
		numbers, first, shifted := strings.Cut(c.Values, "=")
		numbers, step, stepped := strings.Cut(numbers, " by ")
		from, to, _ := strings.Cut(numbers, " to ")
		least, e1 := strconv.ParseFloat(strings.TrimSpace(from), 64)
		most, e2 := strconv.ParseFloat(strings.TrimSpace(to), 64)
		if e1 != nil || e2 != nil {
			return wrong("write numbers, such as 16 to 30, or 16 to 30 by 0.5")
		}
		out.Kind, out.Least, out.Most, out.Unit, set.From = Dial, &least, &most, c.Unit, int64(least)
		if stepped {
			var err error
			if out.Step, err = strconv.ParseFloat(strings.TrimSpace(step), 64); err != nil {
				return wrong("write how far it is from one to the next, such as 16 to 30 by 0.5")
			}
		}
		if !shifted && (stepped || least != float64(set.From)) {
			return wrong("say what stands in the field for the least, such as 16 to 30 by 0.5 = 32")
		}
		if shifted {
			n, err := strconv.ParseInt(strings.TrimSpace(first), 0, 64)
			if err != nil {
				return wrong("write what stands in the field for the least, such as 16 to 30 = 0")
			}
			set.From = n
		}
		return out, set, nil
	}
	set.Values = map[string]int64{}
	for _, pair := range strings.Split(c.Values, ",") {
		value, stands, ok := strings.Cut(pair, "=")
		n, err := strconv.ParseInt(strings.TrimSpace(stands), 0, 64)
		if value = strings.TrimSpace(value); !ok || err != nil || value == "" {
			return wrong("write each value with what stands in the field: off=0, on=1")
		}
		if _, twice := set.Values[value]; twice {
			return wrong(value + " is there twice")
		}
		out.Values = append(out.Values, value)
		set.Values[value] = n
	}
	if c.Control == "power" {
		out.Kind = Power
	}
	return out, set, nil
}

// CarryWhole lets the frames of a line sheet carry controls, which are made where there are none of their names. It
// tells which went: those that frames carried before, and nothing sets now. The error wraps ErrForm.
func (f *Forms) CarryWhole(sheet string, fixed map[string]int64, carries []Carry) (gone []string, err error) {
	w := Whole{Sheet: sheet, Fixed: fixed}
	for _, c := range carries {
		form, set, err := c.Read()
		if err != nil {
			return nil, err
		}
		if i := slices.IndexFunc(f.Controls, func(o Control) bool { return o.Name == c.Control }); i >= 0 {
			form = f.Controls[i].carried(form)
		}
		if form.Kind == Power && slices.Equal(form.Values, []string{"off", "on"}) {
			form.Values = nil
		}
		f.Put(c.Control, form)
		w.Settings = append(w.Settings, set)
	}
	was := f.Whole
	f.Whole = &w
	return f.forsaken(was)
}

// carried is a control that has another form now, in frames. What its own keys do stays where its kind does; a power
// stays one, whatever it is called.
func (c Control) carried(form Control) Control {
	if c.Kind == Power && form.Kind == Selector {
		form.Kind = Power
	}
	if c.Kind != form.Kind {
		return form
	}
	c.Values, c.Least, c.Most, c.Step, c.Unit = form.Values, form.Least, form.Most, form.Step, form.Unit
	return c
}

// DropWhole lets no frames carry controls any more, and tells which went: those that nothing else sets. The error wraps
// ErrForm.
func (f *Forms) DropWhole() (gone []string, err error) {
	if f.Whole == nil {
		return nil, fmt.Errorf("%w: no frames carry its controls", ErrForm)
	}
	was := f.Whole
	f.Whole = nil
	return f.forsaken(was)
}

// forsaken takes away what frames carried before, do not carry now, and nothing else sets.
func (f *Forms) forsaken(was *Whole) (gone []string, err error) {
	if was == nil {
		return nil, nil
	}
	for _, set := range was.Settings {
		i := slices.IndexFunc(f.Controls, func(c Control) bool { return c.Name == set.Control })
		if i < 0 || f.Whole.has(set.Control) || f.Controls[i].check(false) == nil {
			continue
		}
		if err := f.Drop(set.Control); err != nil {
			return gone, err
		}
		gone = append(gone, set.Control)
	}
	return gone, nil
}

// KeyAlso says what a key does to a control beside what the forms say: a value that it sets, +1 or -2 for steps, next,
// or any where nobody knows; nothing takes it away. The error wraps ErrForm.
func (f *Forms) KeyAlso(key, name, does string) error {
	i := slices.IndexFunc(f.Controls, func(c Control) bool { return c.Name == name })
	if i < 0 {
		return fmt.Errorf("%w %.40q: there is no such control", ErrForm, name)
	}
	c := &f.Controls[i]
	e := Effect{Control: name, Op: OpSet}
	steps, isSteps := relative(does)
	n, err := c.index(does)
	switch {
	case does == "":
	case err == nil:
		e.Arg = n
	case isSteps:
		e.Op, e.Arg = OpStep, steps
	case does == "next":
		if e.Op = OpRound; c.size() == 2 {
			e.Op = OpFlip
		}
	case does == "any":
		e.Op = OpVague
	default:
		return fmt.Errorf("%w; or write +1, -1, next or any", err)
	}
	effects := f.Effects
	f.Effects = nil
	found := false
	for _, k := range effects {
		if k.Key == key {
			k.Effects = slices.DeleteFunc(slices.Clone(k.Effects), func(o Effect) bool { return o.Control == name })
			if found = true; does != "" {
				k.Effects = append(k.Effects, e)
			}
		}
		if len(k.Effects) > 0 {
			f.Effects = append(f.Effects, k)
		}
	}
	if !found && does != "" {
		f.Effects = append(f.Effects, KeyEffects{Key: key, Effects: []Effect{e}})
	}
	return nil
}

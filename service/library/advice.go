package library

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"urbo/core/device"
	"urbo/core/line"
)

// Reaches says why no transmitter can send on a channel; nil where one can. preferred is STATION/PORT or empty.
type Reaches func(on device.Channel, preferred device.Place) error

// Advice is something odd about a device.
type Advice struct {
	Key  string // that it is about, or ""
	Text string // what is odd, and what to do
}

// mostRepeats is how often a toggle may be sent: each frame more could be taken as another press.
const mostRepeats = 3

// nearPlate is how far in Hz a code may be sent from the frequency on the type plate.
const nearPlate = 150_000

// Advice lists what is odd about a device. Errors wrap ErrUnknownDevice.
func (l *Library) Advice(slug string, reaches Reaches) ([]Advice, error) {
	d, err := l.Device(slug)
	if err != nil {
		return nil, err
	}
	a := &adviser{library: l, device: d, reaches: reaches, said: map[string]bool{}, out: []Advice{}}
	for _, k := range d.Keys {
		for _, c := range k.Codes {
			a.code(k, c)
		}
	}
	a.plate()
	a.power()
	a.keys()
	a.fold()
	return a.out, nil
}

// adviser gathers advice on one device.
type adviser struct {
	library *Library
	device  device.Device
	reaches Reaches
	said    map[string]bool
	out     []Advice
	alike   []alike
}

// alike is advice that is the same for several keys.
type alike struct {
	about string
	keys  []string
	at    int    // among all advice
	text  string // for several keys, in place of the %s
}

func (a *adviser) say(key, format string, args ...any) {
	a.out = append(a.out, Advice{Key: key, Text: fmt.Sprintf(format, args...)})
}

// once says something only where it was not said of another key.
func (a *adviser) once(about, key, format string, args ...any) {
	if !a.said[about] {
		a.said[about] = true
		a.say(key, format, args...)
	}
}

// each says something of a key, and of all keys of which it is the same in one sentence: many has a %s for their names.
func (a *adviser) each(about, key, one, many string) {
	for i := range a.alike {
		if s := &a.alike[i]; s.about == about {
			if !slices.Contains(s.keys, key) {
				s.keys = append(s.keys, key)
			}
			return
		}
	}
	a.alike = append(a.alike, alike{about, []string{key}, len(a.out), many})
	a.out = append(a.out, Advice{Key: key, Text: one})
}

// fold puts the names of several keys into what is the same for them.
func (a *adviser) fold() {
	for _, s := range a.alike {
		if len(s.keys) > 1 {
			a.out[s.at] = Advice{Text: fmt.Sprintf(s.text, strings.Join(s.keys, ", "))}
		}
	}
}

func (a *adviser) code(k device.Key, c device.Code) {
	if c.Takes > c.Agreed {
		again := "once more, with a fresh battery and from close by."
		a.each("takes", k.Name, fmt.Sprintf("%s was learned from %d of %d takes, and the others differed: learn it %s",
			k.Name, c.Agreed, c.Takes, again),
			"These were learned from takes of which some differed: %s. Learn them "+again)
	}
	for _, m := range a.library.sendersOf(c) {
		switch {
		case m.DeviceID != a.device.ID:
			other := m.Ref.Device
			a.each("sends "+other, k.Name, fmt.Sprintf("%s sends what %s sends: one press moves both devices.", k.Name,
				m.Ref), "These send what keys of "+other+" send: %s. One press moves both devices.")
		case m.Key != k.Name:
			pair := strings.Join(slices.Sorted(slices.Values([]string{m.Key, k.Name})), "/")
			a.once(pair, k.Name, "%s and %s send the same: learn one of them again, or undo its last change.", k.Name,
				m.Key)
		}
	}
	if c.Repeats != nil && *c.Repeats > mostRepeats && a.device.TogglesKey(k.Name) {
		one := fmt.Sprintf("%s is sent %d times: a key that switches back and forth may end where it began.", k.Name,
			*c.Repeats)
		a.each("repeats", k.Name, one, "These switch back and forth and are sent several times, so they may end where "+
			"they began: %s.")
	}
	if on, err := c.On(a.library.book); err == nil {
		if err := a.reaches(on, cmp.Or(k.Transmitter, a.device.Transmitter)); err != nil {
			a.each(err.Error(), k.Name, fmt.Sprintf("%s cannot be sent now: %v.", k.Name, err),
				"These cannot be sent now: %s: "+strings.ReplaceAll(err.Error(), "%", "%%")+".")
		}
	}
}

// plate compares a radio device's keys with what its type plate says.
func (a *adviser) plate() {
	if a.device.PlateHz == 0 {
		return
	}
	for _, k := range a.device.Keys {
		for _, c := range k.Codes {
			on, err := c.On(a.library.book)
			if off := a.device.PlateHz - on.Hz; err == nil && on.Medium == line.Radio &&
				(off > nearPlate || off < -nearPlate) {
				a.once("plate", "", "Its type plate says %.2f MHz, and %s is sent on %.2f MHz.",
					float64(a.device.PlateHz)/1e6, k.Name, float64(on.Hz)/1e6)
			}
		}
	}
}

// power compares what is said of its power keys with the keys that it has.
func (a *adviser) power() {
	both := a.device.Has("on") && a.device.Has("off")
	switch {
	case a.device.Power == device.PowerToggles && both:
		a.say("", "It has keys for on and off, and is said to have one that does both: look at its settings.")
	case a.device.Power == device.PowerTwoKeys && !both:
		a.say("", "It is said to have a key for on and one for off: learn both, or look at its settings.")
	}
}

// keys lists those that are not learned, and those that its kind usually has.
func (a *adviser) keys() {
	var unlearned, missing []string
	rolling := false
	for _, k := range a.device.Keys {
		for _, c := range k.Follows {
			s, err := a.library.book.Sheet(c.Sheet)
			rolling = rolling || !k.Learned() && err == nil && s.Rolls()
		}
		if !k.Learned() && !k.Followed() {
			unlearned = append(unlearned, k.Name)
		}
	}
	for _, name := range device.UsualKeys(a.device.Kind) {
		if !a.device.Has(name) {
			missing = append(missing, name)
		}
	}
	if w := a.device.Whole; w != nil {
		if _, err := a.library.book.Sheet(w.Sheet); err != nil {
			a.say("", "Its frames are of the line code %s, which is not known here: put its line sheet into the "+
				"directory sheets of the data directory, and start Urbo anew.", w.Sheet)
		}
	}
	if rolling {
		a.say("", "Its handset has rolling codes, which are followed and cannot be sent: pair a handset of Urbo's own.")
	}
	if len(unlearned) > 0 && len(unlearned) < len(a.device.Keys) {
		a.say("", "Not learned yet: %s.", strings.Join(unlearned, ", "))
	}
	if len(missing) > 0 && len(a.device.Keys) > 0 {
		a.say("", "A %s usually has these keys too: %s.", strings.ReplaceAll(a.device.Kind, "-", " "),
			strings.Join(missing, ", "))
	}
}

package library

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/store"
	"urbo/wire"
)

// Reaches says why no transmitter can send on a medium at so many Hz; nil where one can. preferred is STATION/PORT or
// empty.
type Reaches func(medium string, hz int, preferred string) error

// mostRepeats is how often a toggle may be sent: each frame more could be taken as another press.
const mostRepeats = 3

// nearPlate is how far in Hz a code may be sent from the frequency on the type plate.
const nearPlate = 150_000

// toggling are names of keys that usually switch back and forth.
var toggling = []string{"power", "mute", "sweep"}

// Advice lists what is odd about a device. Errors wrap ErrUnknownDevice.
func (l *Library) Advice(slug string, reaches Reaches) ([]wire.Advice, error) {
	l.mu.RLock()
	defer l.mu.RUnlock()
	d, err := l.find(slug)
	if err != nil {
		return nil, err
	}
	out := []wire.Advice{}
	say := func(key, format string, args ...any) {
		out = append(out, wire.Advice{Key: key, Text: fmt.Sprintf(format, args...)})
	}
	said := map[string]bool{}
	var missing, unlearned []string
	for i := range d.Keys {
		k := &d.Keys[i]
		codes := InForce(k)
		if len(codes) == 0 {
			unlearned = append(unlearned, k.Name)
		}
		for _, c := range codes {
			if c.Takes > c.Agreed {
				say(k.Name, "%s was learned from %d of %d takes, and the others differed: learn it once more, with a fresh battery and from close by.", k.Name, c.Agreed, c.Takes)
			}
			for _, ref := range l.senders(c) {
				pair := strings.Join(slices.Sorted(slices.Values([]string{ref.Key, k.Name})), "/")
				switch {
				case ref.Device == d.Slug && ref.Key != k.Name && !said[pair]:
					said[pair] = true
					say(k.Name, "%s and %s send the same: learn one of them again, or undo its last change.", k.Name, ref.Key)
				case ref.Device != d.Slug:
					say(k.Name, "%s sends what %s sends: one press moves both devices.", k.Name, ref)
				}
			}
			if c.Repeats > mostRepeats && toggles(d, k.Name) {
				say(k.Name, "%s is sent %d times: a key that switches back and forth may end where it began.", k.Name, c.Repeats)
			}
			if medium, hz := l.carries(c); hz > 0 {
				if err := reaches(medium, hz, d.Transmitter); err != nil && !said[err.Error()] {
					said[err.Error()] = true
					say(k.Name, "%s cannot be sent now: %v.", k.Name, err)
				}
			}
		}
	}
	if d.PlateHz > 0 {
		if odd := l.offPlate(d); odd != "" {
			say("", "%s", odd)
		}
	}
	if p := d.Power; p == device.Toggles && hasKey(d, "on") && hasKey(d, "off") {
		say("", "It has keys for on and off, and is said to have one that does both: look at its settings.")
	} else if p == device.TwoKeys && !(hasKey(d, "on") && hasKey(d, "off")) {
		say("", "It is said to have a key for on and one for off: learn both, or look at its settings.")
	}
	for _, name := range UsualKeys(d.Kind) {
		if !hasKey(d, name) {
			missing = append(missing, name)
		}
	}
	if len(unlearned) > 0 && len(unlearned) < len(d.Keys) {
		say("", "Not learned yet: %s.", strings.Join(unlearned, ", "))
	}
	if len(missing) > 0 && len(d.Keys) > 0 {
		say("", "A %s usually has these keys too: %s.", strings.ReplaceAll(d.Kind, "-", " "), strings.Join(missing, ", "))
	}
	return out, nil
}

func hasKey(d *store.Device, name string) bool {
	return slices.ContainsFunc(d.Keys, func(k store.Key) bool { return k.Name == name })
}

// toggles says whether a key switches back and forth.
func toggles(d *store.Device, key string) bool {
	if key == "power" && d.Power != "" {
		return d.Power == device.Toggles
	}
	return slices.Contains(toggling, key)
}

// offPlate says whether a radio device's keys are sent far from what its type plate says.
func (l *Library) offPlate(d *store.Device) string {
	for i := range d.Keys {
		for _, c := range InForce(&d.Keys[i]) {
			medium, hz := l.carries(c)
			if off := d.PlateHz - hz; medium == string(line.Radio) && (off > nearPlate || off < -nearPlate) {
				return fmt.Sprintf("Its type plate says %.2f MHz, and %s is sent on %.2f MHz.", float64(d.PlateHz)/1e6, d.Keys[i].Name, float64(hz)/1e6)
			}
		}
	}
	return ""
}

// senders lists the keys that send what a code sends.
func (l *Library) senders(c store.Code) []wire.KeyRef {
	if s, err := l.book.Sheet(c.Sheet); err == nil && c.Sheet != "" {
		return l.keysOf(s.Identity(c.Fields), nil)
	}
	return l.keysOf(printed(c.Print), c.Train)
}

// carries is the medium of a code, and its carrier or channel in Hz.
func (l *Library) carries(c store.Code) (medium string, hz int) {
	medium, hz = string(line.Infrared), c.CarrierHz+c.FrequencyHz
	if c.FrequencyHz > 0 {
		medium = string(line.Radio)
	}
	if s, err := l.book.Sheet(c.Sheet); err == nil && c.Sheet != "" {
		medium = string(s.Medium)
		if hz == 0 {
			hz = s.CarrierHz + s.FrequencyHz
		}
	}
	return medium, hz
}

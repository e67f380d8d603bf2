package device

// Role is what a key is for, told from its usual name.
type Role int

// The roles of keys.
const (
	SwitchesOn  Role = 1 << iota // it may switch the device on
	SwitchesOff                  // it may switch the device off
	Toggles                      // each press switches back and forth: an even number of them does nothing
	Steps                        // each press goes on by one: louder, brighter, the next channel
	Sets                         // pressed again, it changes nothing more
)

// roles are the keys that have any, by their usual names. What a device's person says of it (Power) goes before them.
var roles = map[string]Role{
	"on": SwitchesOn | Sets, "off": SwitchesOff | Sets, "stop": Sets,
	"input-1": Sets, "input-2": Sets, "input-3": Sets, "input-4": Sets, "input-5": Sets, "input-6": Sets,
	"speed-1": Sets, "speed-2": Sets, "speed-3": Sets, "speed-4": Sets,
	"power": SwitchesOn | SwitchesOff | Toggles, "on-off": SwitchesOn | SwitchesOff | Toggles,
	"mute": Toggles, "sweep": Toggles, "freeze": Toggles, "blank": Toggles,
	"volume-up": Steps, "volume-down": Steps, "channel-up": Steps, "channel-down": Steps, "brighter": Steps,
	"dim":    Steps,
	"warmer": Steps, "cooler": Steps,
}

// Plays says whether a key of a name has all of some roles.
func Plays(key string, r Role) bool { return roles[key]&r == r }

// TogglesKey says whether a key of the device switches back and forth.
func (d *Device) TogglesKey(key string) bool {
	if Plays(key, SwitchesOn) && d.Power != "" {
		return d.Power == PowerToggles && Plays(key, Toggles)
	}
	return Plays(key, Toggles)
}

// SetsKey says whether pressing a key of the device again changes nothing more. Nothing is known of keys with unusual
// names.
func (d *Device) SetsKey(key string) bool {
	if spec, err := d.Compile(); err == nil && spec.Does(key) { // its controls say so
		return spec.Sets(key)
	}
	return Plays(key, Sets) && !d.TogglesKey(key)
}

// SameRole lists the names of keys that do what one of a name does, the likeliest first: a code set may call it another
// way.
func SameRole(key string) []string {
	want := roles[key] & (SwitchesOn | SwitchesOff)
	names := []string{key}
	if want == 0 {
		return names
	}
	for _, other := range []string{"power", "on-off", "on", "off"} {
		if other != key && roles[other]&want != 0 && !(want == SwitchesOn|SwitchesOff && other == "off") {
			names = append(names, other)
		}
	}
	return names
}

// MainKey is the key that is pressed most, as far as names tell: one that switches, or the first; of those that have
// codes, "" where there is none.
func (d *Device) MainKey() string {
	first := ""
	for _, name := range []string{"power", "on-off", "on"} {
		for _, k := range d.Keys {
			if k.Learned() && k.Name == name {
				return name
			}
		}
	}
	for _, k := range d.Keys {
		if k.Learned() && first == "" {
			first = k.Name
		}
	}
	return first
}

// Followed counts the keys that have no codes, and are followed when another handset's are heard.
func (d *Device) Followed() int {
	n := 0
	for _, k := range d.Keys {
		if !k.Learned() && k.Followed() {
			n++
		}
	}
	return n
}

// Fixed says whether nothing sets a device's controls: it has no keys that can be sent.
func (d *Device) Fixed() bool { return d.Learned() == 0 && d.Whole == nil }

// Learned counts the keys that have codes.
func (d *Device) Learned() int {
	n := 0
	for _, k := range d.Keys {
		if k.Learned() {
			n++
		}
	}
	return n
}

package happening

import (
	"fmt"
	"strings"

	"urbo/core/plain"
)

// DeviceChanged says that a device was added or changed. What it is now is asked of the library.
type DeviceChanged struct {
	DeviceID string   `json:"device_id"`
	Device   string   `json:"device"`          // slug now
	Was      string   `json:"was,omitempty"`   // slug before, where it changed
	Title    string   `json:"title"`           // the device's name
	Added    bool     `json:"added,omitempty"` // it is new
	Back     bool     `json:"back,omitempty"`  // it was removed, and is there again
	Changes  []string `json:"changes,omitempty"`
	Quiet    bool     `json:"quiet,omitempty"` // something else tells it
}

// Name of the type.
func (DeviceChanged) Name() string { return "device-changed" }

// Tell lists what changed.
func (d DeviceChanged) Tell() (Line, bool) {
	l := Line{Kind: "device", DeviceID: d.DeviceID, Device: d.Device, Text: fmt.Sprintf("Changed %s: %s", d.Title,
		strings.Join(d.Changes, ", "))}
	if d.Added {
		l.Text = "Added " + d.Title
	}
	if d.Back {
		l.Text = "Brought back " + d.Title
	}
	return l, !d.Quiet && (d.Added || d.Back || len(d.Changes) > 0)
}

// DeviceRemoved says that a device is gone, with its keys.
type DeviceRemoved struct {
	DeviceID string `json:"device_id"`
	Device   string `json:"device"`
	Title    string `json:"title"`
	Keys     int    `json:"keys"`
}

// Name of the type.
func (DeviceRemoved) Name() string { return "device-removed" }

// Tell says what went with it.
func (d DeviceRemoved) Tell() (Line, bool) {
	return Line{Kind: "device", DeviceID: d.DeviceID, Device: d.Device, Text: fmt.Sprintf("Removed %s with %s", d.Title,
		plain.Count(d.Keys, "key", "keys"))}, true
}

// KeyLearned says that a key got its code in a lesson, or from a capture.
type KeyLearned struct {
	DeviceID string `json:"device_id,omitempty"`
	Device   string `json:"device"`
	Key      string `json:"key"`
	As       string `json:"as,omitempty"` // what it sends, in words; "" where a capture was made the key
	// Rolling says that the key is only followed.
	Rolling bool `json:"rolling,omitempty"`
}

// Name of the type.
func (KeyLearned) Name() string { return "key-learned" }

// Tell says what it sends.
func (k KeyLearned) Tell() (Line, bool) {
	l := Line{Kind: "settled", DeviceID: k.DeviceID, Device: k.Device, Key: k.Key,
		Text: fmt.Sprintf("Learned %s/%s as %s", k.Device, k.Key,
			k.As)}
	if k.As == "" {
		l.Text = fmt.Sprintf("Made a capture the key %s/%s", k.Device, k.Key)
	}
	if k.Rolling {
		l.Text = fmt.Sprintf("Follow %s/%s where a handset sends %s", k.Device, k.Key, k.As)
	}
	return l, true
}

// GroupChanged says that a group was added, changed or removed.
type GroupChanged struct {
	GroupID string `json:"group_id"`
	Group   string `json:"group"` // slug
	Text    string `json:"text"`
}

// Name of the type.
func (GroupChanged) Name() string { return "group-changed" }

// Tell repeats it.
func (g GroupChanged) Tell() (Line, bool) { return Line{Kind: "device", Text: g.Text}, true }

// CounterBack says that a followed handset counted less than before.
type CounterBack struct {
	DeviceID string `json:"device_id,omitempty"`
	Device   string `json:"device"`
	Key      string `json:"key"`
	Before   int64  `json:"before"`
	Now      int64  `json:"now"`
}

// Name of the type.
func (CounterBack) Name() string { return "counter-back" }

// Tell says what may have happened.
func (c CounterBack) Tell() (Line, bool) {
	return Line{Kind: "device", DeviceID: c.DeviceID, Device: c.Device, Key: c.Key, Outcome: "warning",
			Text: fmt.Sprintf("A handset of %s counts %d after %d: its battery was changed, or somebody sends a copy",
				c.Device, c.Now, c.Before)},
		true
}

// SetChanged says that a code set was put on the shelf, or taken off it.
type SetChanged struct {
	Set     string `json:"set"`
	Title   string `json:"title"`
	Removed bool   `json:"removed,omitempty"`
}

// Name of the type.
func (SetChanged) Name() string { return "set-changed" }

// Tell says which way.
func (s SetChanged) Tell() (Line, bool) {
	text := "Put the code set %s on the shelf"
	if s.Removed {
		text = "Took the code set %s off the shelf"
	}
	return Line{Kind: "device", Text: fmt.Sprintf(text, s.Title)}, true
}

// PackImported says that devices and code sets came from a file.
type PackImported struct {
	Devices int `json:"devices"`
	Sets    int `json:"sets"`
}

// Name of the type.
func (PackImported) Name() string { return "pack-imported" }

// Tell counts them.
func (p PackImported) Tell() (Line, bool) {
	return Line{Kind: "device",
		Text: fmt.Sprintf("Imported a pack: %s, %s", plain.Count(p.Devices, "device", "devices"),
			plain.Count(p.Sets, "code set", "code sets"))}, true
}

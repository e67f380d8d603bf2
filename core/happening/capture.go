package happening

import (
	"fmt"
	"strings"
	"time"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/plain"
	"urbo/core/signal"
)

// Capture is one press as heard.
type Capture struct {
	ID        string
	At        time.Time
	StationID string // "" for a recording
	Station   string // its name, or "recording"
	RoomID    string // of the station; "" where it is in none
	Port      string // or the recording's name
	Medium    line.Medium
	Hz        int      // measured carrier or channel; 0 where the receiver does not tell it
	Strength  *float64 // 0 to 1, where the receiver measures it
	Count     int      // equal presses of a recording that this stands for
	Trains    []signal.Reception
	line.Decoded
	Structure *bench.Structure // where no line code was read clearly, and there is enough to describe
	Keys      []KeyMatch       // keys of the library that send this
	Sets      []SetMatch       // keys of code sets, where no key of the library sends this
	PressID   string           // Urbo's own press, where this is an echo
	Disturbed bool             // that was not heard as it was sent: the device may not have understood it
	Stored    bool             // it is safe on disk
	Maybe     bool             // it may be the press before that went on: a key held, or pushed again
	Late      bool             // its station kept it while it was away: it is long past
}

// KeyMatch is a key of the library that sends what was heard.
type KeyMatch struct {
	DeviceID string
	device.Ref
	// Again says that the device saw this very frame last, of a line code that changes with each push: it may have
	// passed over it.
	Again bool
}

// SetMatch is a key of a code set that sends what was heard.
type SetMatch struct {
	Set  string // slug
	Name string
	Key  string
}

// Place is STATION/PORT.
func (c Capture) Place() string { return c.Station + "/" + c.Port }

// Unclear says that no line code reads it clearly: what it is made of can be described.
func (c Capture) Unclear() bool {
	return (len(c.Readings) == 0 || c.Readings[0].Confidence < line.Clear) && c.Held == ""
}

// Describe finds the structure of what has no clear reading.
func (c *Capture) Describe() {
	if !c.Unclear() {
		return
	}
	if s, err := bench.Describe(c.Trains); err == nil {
		c.Structure = &s
	}
}

// Words says in short what was heard: the line code with its fields, or the bits.
func (c Capture) Words() string {
	switch {
	case len(c.Readings) > 0:
		text := c.Readings[0].Sheet + " " + c.Readings[0].Fields.String()
		for i, m := range c.Readings[0].Measured {
			text += []string{": ", ", "}[min(i, 1)] + m.String()
		}
		return text
	case c.Held != "":
		return "only repeat frames of " + c.Held
	case c.Structure != nil && len(c.Structure.Bits) > 0:
		return "a signal without a known line code: " + strings.Join(c.Structure.Bits, " ")
	}
	return "a signal without a known line code"
}

// Length is how long the press lasted.
func (c Capture) Length() time.Duration {
	us := 0
	for i, t := range c.Trains {
		us += t.Train.Length()
		if i+1 < len(c.Trains) {
			us += t.Gap
		}
	}
	return time.Duration(us) * time.Microsecond
}

// KeyDown says that a handset's key was surely read while it is still being pressed, where an errand is to be quick
// with it. Heard tells of the whole press when it is over.
type KeyDown struct {
	DeviceID string `json:"device_id"`
	Device   string `json:"device"` // slug
	Key      string `json:"key"`
	Place    string `json:"place"` // STATION-ID/PORT
}

// Name of the type.
func (KeyDown) Name() string { return "key-down" }

// Tell leaves it out: the press is told.
func (k KeyDown) Tell() (Line, bool) {
	return Line{Kind: "heard", DeviceID: k.DeviceID, Device: k.Device, Key: k.Key, Place: k.Place}, false
}

// Heard says that a press came in. The capture itself is kept beside the journal.
type Heard struct {
	Capture   Capture `json:"-"`
	Signal    string  `json:"signal"`
	StationID string  `json:"station_id,omitempty"`
	RoomID    string  `json:"room_id,omitempty"`
	Place     string  `json:"place"`
	DeviceID  string  `json:"device_id,omitempty"`
	Device    string  `json:"device,omitempty"`
	Key       string  `json:"key,omitempty"`
	Set       string  `json:"set,omitempty"`
	Echo      bool    `json:"echo,omitempty"`
	Quiet     bool    `json:"quiet,omitempty"` // of a recording, which has an entry of its own
}

// HeardOf makes the happening of a capture.
func HeardOf(c Capture) Heard {
	h := Heard{Capture: c, Signal: c.Words(), StationID: c.StationID, RoomID: c.RoomID, Place: c.Place(),
		Echo: c.PressID != ""}
	if len(c.Keys) > 0 {
		h.DeviceID, h.Device, h.Key = c.Keys[0].DeviceID, c.Keys[0].Device, c.Keys[0].Key
	} else if len(c.Sets) > 0 {
		h.Key, h.Set = c.Sets[0].Key, c.Sets[0].Name
	}
	return h
}

// Name of the type.
func (Heard) Name() string { return "heard" }

// Tell says what came in.
func (h Heard) Tell() (Line, bool) {
	l := Line{Kind: "heard", DeviceID: h.DeviceID, Device: h.Device, StationID: h.StationID, RoomID: h.RoomID,
		Place: h.Place, Text: "Heard " + h.Signal}
	switch {
	case h.Device != "":
		l.Key = h.Key
		l.Text = fmt.Sprintf("Heard %s/%s: %s", h.Device, h.Key, h.Signal)
	case h.Set != "":
		l.Text = fmt.Sprintf("Heard %s of the code set %s: %s", h.Key, h.Set, h.Signal)
	}
	if h.Echo {
		l.Kind = "echo"
		l.Text += ", Urbo's own sending"
	}
	return l, !h.Quiet
}

// Stored says which captures are safe on disk now, by their ids.
type Stored struct{ Captures []string }

// Name of the type.
func (Stored) Name() string { return "stored" }

// Tell has nothing to say.
func (Stored) Tell() (Line, bool) { return Line{}, false }

// RecordingOpened says that the signals of a recording became captures.
type RecordingOpened struct {
	Recording string `json:"recording"`
	Presses   int    `json:"presses"`
	Different int    `json:"different"`
}

// Name of the type.
func (RecordingOpened) Name() string { return "recording-opened" }

// Tell says how much was in it.
func (r RecordingOpened) Tell() (Line, bool) {
	return Line{Kind: "heard", Place: "recording/" + r.Recording,
		Text: fmt.Sprintf("Opened the recording %s: %s, %d different", r.Recording,
			plain.Count(r.Presses, "press", "presses"), r.Different)}, true
}

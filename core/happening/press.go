package happening

import (
	"fmt"
	"time"

	"urbo/core/grant"
)

// Outcome of a press.
type Outcome string

// The outcomes. Unknown means that the station did not answer: it may or may not have gone out, and is never sent
// again by itself.
const (
	Sent    Outcome = "sent"
	Failed  Outcome = "failed"
	Unknown Outcome = "unknown"
)

// Receipt is what became of a press that Urbo was asked for.
type Receipt struct {
	ID       string    `json:"-"`
	At       time.Time `json:"-"` // when it began
	By       grant.By  `json:"-"`
	DeviceID string    `json:"device_id,omitempty"`
	Device   string    `json:"device,omitempty"` // slug; "" where the code belongs to no key
	Key      string    `json:"key,omitempty"`
	What     string    `json:"what,omitempty"` // where it is no key: "what is on the bench"
	// Obey are keys of the library that send the same, where it is no key of a device.
	Obey  []KeyMatch `json:"-"`
	Times int        `json:"times"` // presses that were asked for
	// Frame is what was sent, by control, where it carries several controls of the device.
	Frame     map[string]string `json:"frame,omitempty"`
	Pressed   int               `json:"pressed,omitempty"` // presses that went out, where fewer than were asked for
	Held      bool              `json:"held,omitempty"`    // it was held down for as long as it took
	StationID string            `json:"station_id,omitempty"`
	RoomID    string            `json:"room_id,omitempty"` // of the station
	Station   string            `json:"station,omitempty"` // its name
	Port      string            `json:"port,omitempty"`
	Outcome   Outcome           `json:"outcome"`
	Reason    string            `json:"reason,omitempty"`
	Took      time.Duration     `json:"took,omitempty"`  // on the air
	Note      string            `json:"note,omitempty"`  // what to mind
	Heard     *bool             `json:"heard,omitempty"` // whether a receiver heard it, where that is verified
}

// Subject is what was pressed, in words.
func (r Receipt) Subject() string {
	if r.Device == "" {
		return r.What
	}
	return r.Device + "/" + r.Key
}

// Pressed says that a press went out, failed, or is unknown.
type Pressed struct{ Receipt }

// Name of the type.
func (Pressed) Name() string { return "pressed" }

// Tell says what became of it.
func (p Pressed) Tell() (Line, bool) {
	verb := "Pressed "
	if p.Device == "" {
		verb = "Sent "
	}
	l := Line{Kind: "press", DeviceID: p.DeviceID, Device: p.Device, StationID: p.StationID, Key: p.Key,
		Place: p.Station + "/" + p.Port, Outcome: string(p.Outcome),
		Text: verb + p.Subject()}
	if p.Times > 1 {
		l.Text += fmt.Sprintf(" %d times", p.Times)
	}
	if p.Reason != "" {
		l.Text += ": " + p.Reason
	}
	return l, true
}

// PressRefused says that a press was asked for of which nothing went out.
type PressRefused struct {
	DeviceID string `json:"device_id,omitempty"`
	Device   string `json:"device,omitempty"`
	Key      string `json:"key,omitempty"`
	What     string `json:"what,omitempty"`
	Reason   string `json:"reason"`
}

// Name of the type.
func (PressRefused) Name() string { return "press-refused" }

// Tell says why.
func (p PressRefused) Tell() (Line, bool) {
	what := p.What
	if p.Device != "" {
		what = p.Device + "/" + p.Key
	}
	return Line{Kind: "press", DeviceID: p.DeviceID, Device: p.Device, Key: p.Key, Outcome: "refused",
		Text: "Did not press " + what + ": " +
			p.Reason}, true
}

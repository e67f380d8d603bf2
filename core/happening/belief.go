package happening

import (
	"fmt"
	"strings"
	"time"
)

// Believed says that what is believed of a control changed. What it is now is asked of the beliefs.
type Believed struct {
	DeviceID string `json:"device_id"`
	Device   string `json:"device"` // slug
	Control  string `json:"control"`
	Value    string `json:"value,omitempty"`  // "" where it may be at several
	Source   string `json:"source,omitempty"` // where that comes from: sent, heard, told or sensed; "" is assumed
	// May is what it may be at where it has no value: values, or ranges like "3 to 12". None is nothing known.
	May []string `json:"may,omitempty"`
}

// Name of the type.
func (Believed) Name() string { return "believed" }

// Tell has nothing to say: the press that it comes from is told.
func (Believed) Tell() (Line, bool) { return Line{}, false }

// Contradicted says that a sensor or person said otherwise than was believed.
type Contradicted struct {
	DeviceID string    `json:"device_id,omitempty"`
	Device   string    `json:"device"`
	Control  string    `json:"control"`
	Was      string    `json:"was"` // in words
	Word     string    `json:"word"`
	Since    time.Time `json:"since,omitzero"`
	Value    string    `json:"value"`
	By       string    `json:"by"` // sensed or told
}

// Name of the type.
func (Contradicted) Name() string { return "contradicted" }

// Tell says what was believed, since when, and what is so.
func (c Contradicted) Tell() (Line, bool) {
	since := ""
	if !c.Since.IsZero() {
		since = " since " + c.Since.Local().Format("15:04")
	}
	return Line{Kind: "belief", DeviceID: c.DeviceID, Device: c.Device, Outcome: "wrong",
			Text: fmt.Sprintf("%s %s was %s to be %s%s, %s %s", c.Device, c.Control, c.Word, c.Was, since, c.By,
				c.Value)},
		true
}

// ToldBelief says that a person said what a control is at.
type ToldBelief struct {
	DeviceID string `json:"device_id,omitempty"`
	Device   string `json:"device"`
	Control  string `json:"control"`
	Value    string `json:"value"`
}

// Name of the type.
func (ToldBelief) Name() string { return "told-belief" }

// Tell repeats it.
func (t ToldBelief) Tell() (Line, bool) {
	return Line{Kind: "belief", DeviceID: t.DeviceID, Device: t.Device,
			Text: fmt.Sprintf("Told that %s %s is %s", t.Device, t.Control, t.Value)},
		true
}

// MainsFailed says that the mains failed, and are back.
type MainsFailed struct {
	RoomID string `json:"room_id,omitempty"`
	Room   string `json:"room,omitempty"` // "" is all of them
}

// Name of the type.
func (MainsFailed) Name() string { return "mains-failed" }

// Tell repeats it.
func (m MainsFailed) Tell() (Line, bool) {
	text := "Told that the mains failed"
	if m.Room != "" {
		text += " in " + m.Room
	}
	return Line{Kind: "belief", RoomID: m.RoomID, Text: text}, true
}

// WasSet says what came of a wish.
type WasSet struct {
	DeviceID string   `json:"device_id,omitempty"`
	Device   string   `json:"device"`
	Wants    []string `json:"wants"` // CONTROL VALUE
	Presses  int      `json:"presses"`
	Outcome  Outcome  `json:"outcome"`
	Reason   string   `json:"reason,omitempty"`
	// Asked is the number of the last happening before it was asked for; 0 where that is not known any more.
	Asked int64 `json:"-"`
}

// Name of the type.
func (WasSet) Name() string { return "was-set" }

// Tell says what was wanted, and what came of it.
func (w WasSet) Tell() (Line, bool) {
	l := Line{Kind: "belief", DeviceID: w.DeviceID, Device: w.Device, Outcome: string(w.Outcome),
		Text: fmt.Sprintf("Set %s: %s", w.Device, strings.Join(w.Wants, ", "))}
	if w.Reason != "" {
		l.Text += ": " + w.Reason
	}
	return l, true
}

// Measured says that a measurement came in. The journal does not tell it: there are many.
type Measured struct {
	Measurement string  `json:"measurement"`
	Value       float64 `json:"value"`
	Unit        string  `json:"unit,omitempty"`
	Battery     string  `json:"battery,omitempty"` // low or good, where that was told
}

// Name of the type.
func (Measured) Name() string { return "measured" }

// Tell has nothing to say.
func (Measured) Tell() (Line, bool) { return Line{}, false }

// FellSilent says that a measurement was not told for so long that nobody knows it any more.
type FellSilent struct {
	Measurement string `json:"measurement"`
	For         string `json:"for"` // in words
}

// Name of the type.
func (FellSilent) Name() string { return "fell-silent" }

// Tell says so.
func (f FellSilent) Tell() (Line, bool) {
	return Line{Kind: "belief", Text: f.Measurement + " is silent: it was not told for " + f.For}, true
}

// MeasurementChanged says that a measurement was described, or removed.
type MeasurementChanged struct {
	Measurement string `json:"measurement"`
	Text        string `json:"text"`
}

// Name of the type.
func (MeasurementChanged) Name() string { return "measurement-changed" }

// Tell repeats it.
func (m MeasurementChanged) Tell() (Line, bool) { return Line{Kind: "belief", Text: m.Text}, true }

package happening

import (
	"fmt"
	"time"

	"urbo/core/run"
)

// RunChanged says how far a run is. The journal tells its beginning, what it asks, and its end.
type RunChanged struct {
	RunID   string    `json:"run_id"`
	Run     string    `json:"run"`               // what runs, as it was called then
	Of      string    `json:"of"`                // its id, of a sequence
	Phase   run.Phase `json:"phase"`             // where it is
	Step    int       `json:"step"`              // from 1
	Steps   int       `json:"steps"`             // how many there are
	Began   bool      `json:"began"`             // it is new
	Follows bool      `json:"follows,omitempty"` // it waits for one of the same
	Says    string    `json:"says"`              // the step, as it was written
	Until   time.Time `json:"until,omitzero"`
	Asks    string    `json:"asks,omitempty"`
	End     run.End   `json:"end,omitempty"`
	Reason  string    `json:"reason,omitempty"`
	Devices []string  `json:"device_ids,omitempty"` // that it is about
}

// Name of the type.
func (RunChanged) Name() string { return "run-changed" }

// Tell says how it began and ended, and what it asks.
func (r RunChanged) Tell() (Line, bool) {
	l := Line{Kind: "run", Outcome: string(r.End)}
	switch {
	case r.Phase == run.Ended && r.End == run.Done:
		l.Text = "Ran " + r.Run
	case r.Phase == run.Ended:
		l.Text = fmt.Sprintf("%s is %s: %s", r.Run, r.End, r.Reason)
	case r.Phase == run.Asking:
		l.Text = fmt.Sprintf("%s waits in step %d: it is not known what %s is at", r.Run, r.Step, r.Asks)
	case r.Follows && r.Began:
		l.Text = r.Run + " waits for its turn"
	case r.Began:
		l.Text = fmt.Sprintf("Began %s", r.Run)
	}
	return l, l.Text != ""
}

// RunStep says what came of a step of a run.
type RunStep struct {
	RunID    string  `json:"run_id"`
	Run      string  `json:"run"`
	Step     int     `json:"step"`
	Says     string  `json:"says"`
	DeviceID string  `json:"device_id,omitempty"` // where it is about one
	Device   string  `json:"device,omitempty"`
	Outcome  Outcome `json:"outcome,omitempty"` // "" where it only waited or judged
	Reason   string  `json:"reason,omitempty"`
}

// Name of the type.
func (RunStep) Name() string { return "run-step" }

// Tell says what came of it.
func (r RunStep) Tell() (Line, bool) {
	l := Line{Kind: "run", DeviceID: r.DeviceID, Device: r.Device, Outcome: string(r.Outcome),
		Text: fmt.Sprintf("%s, step %d: %s", r.Run, r.Step, r.Says)}
	if r.Reason != "" {
		l.Text += ": " + r.Reason
	}
	return l, true
}

// Notice is a text for people that a run was to tell.
type Notice struct {
	RunID string `json:"run_id"`
	Run   string `json:"run"`
	Text  string `json:"text"`
}

// Name of the type.
func (Notice) Name() string { return "notice" }

// Tell repeats it.
func (n Notice) Tell() (Line, bool) {
	return Line{Kind: "run", Outcome: "notice", Text: n.Run + " says: " + n.Text}, true
}

// HoldChanged says that a control is set for a time, or no longer is.
type HoldChanged struct {
	HoldID   string        `json:"hold_id"`
	DeviceID string        `json:"device_id"`
	Device   string        `json:"device"`
	Control  string        `json:"control"`
	Value    string        `json:"value"`
	Until    time.Time     `json:"until,omitzero"`
	Phase    run.HoldPhase `json:"phase"`
	Began    bool          `json:"began,omitempty"`
	Back     string        `json:"back,omitempty"` // what it went back to, where it did
	Reason   string        `json:"reason,omitempty"`
}

// Name of the type.
func (HoldChanged) Name() string { return "hold-changed" }

// Tell says how it began and ended, and that going back is owed.
func (h HoldChanged) Tell() (Line, bool) {
	l := Line{Kind: "belief", DeviceID: h.DeviceID, Device: h.Device}
	name := h.Device + " " + h.Control
	switch {
	case h.Began:
		l.Text = fmt.Sprintf("Hold %s at %s until %s", name, h.Value, h.Until.Local().Format("15:04:05"))
	case h.Phase == run.Owed:
		l.Text, l.Outcome = fmt.Sprintf("%s is not back yet: %s", name, h.Reason), "failed"
	case h.Phase == run.HoldEnded && h.Back != "" && h.Reason == "":
		l.Text = fmt.Sprintf("%s is back at %s", name, h.Back)
	case h.Phase == run.HoldEnded:
		l.Text = fmt.Sprintf("%s is not held any more: %s", name, h.Reason)
	}
	return l, l.Text != ""
}

// SequenceChanged says that a sequence was added, changed or removed.
type SequenceChanged struct {
	SequenceID string `json:"sequence_id"`
	Sequence   string `json:"sequence"` // slug
	Text       string `json:"text"`
}

// Name of the type.
func (SequenceChanged) Name() string { return "sequence-changed" }

// Tell repeats it.
func (s SequenceChanged) Tell() (Line, bool) { return Line{Kind: "run", Text: s.Text}, true }

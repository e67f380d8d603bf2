package wire

import (
	"time"

	"urbo/core/happening"
	"urbo/core/run"
)

// Sequence is named steps.
type Sequence struct {
	Slug  string   `json:"slug"`
	Name  string   `json:"name"`
	Steps string   `json:"steps" doc:"As people write them, one in a line; left out for those who do not see all that it is about"`
	Count int      `json:"count" doc:"Steps, with those of the sequences that it runs"`
	Gone  []string `json:"gone" doc:"What it is about and is not there any more"`
	Error string   `json:"error,omitempty" doc:"Why it cannot run"`
}

// NewSequence adds a sequence.
type NewSequence struct {
	Slug  string `json:"slug,omitempty" maxLength:"40" doc:"Without one it is made from the name"`
	Name  string `json:"name" minLength:"1" maxLength:"80"`
	Steps string `json:"steps" maxLength:"32768" doc:"press DEVICE/KEY, set DEVICE/CONTROL to VALUE, wait 3 s …, with then between them, or each in a line of its own"`
}

// SequenceChange changes what is given of a sequence.
type SequenceChange struct {
	Slug  *string `json:"slug,omitempty" maxLength:"40"`
	Name  *string `json:"name,omitempty" maxLength:"80"`
	Steps *string `json:"steps,omitempty" maxLength:"32768"`
}

// RunRequest asks for a sequence to be run.
type RunRequest struct {
	Follow bool `json:"follow,omitempty" doc:"Where it is under way already, wait for its turn"`
}

// Run is steps under way, or over lately.
type Run struct {
	ID     string     `json:"id"`
	Name   string     `json:"name"`
	By     string     `json:"by"`
	Began  time.Time  `json:"began"`
	Over   *time.Time `json:"over,omitempty"`
	Phase  run.Phase  `json:"phase" enum:"queued,step,waiting,asking,ended"`
	Step   int        `json:"step" doc:"That it is in, from 1"`
	Steps  int        `json:"steps"`
	Says   string     `json:"says,omitempty" doc:"The step, as it was written"`
	Until  *time.Time `json:"until,omitempty" doc:"When its waiting is over, or given up"`
	Asks   string     `json:"asks,omitempty" doc:"DEVICE/CONTROL of which it has to know what it is at"`
	End    run.End    `json:"end,omitempty" enum:"done,failed,stopped,dropped,interrupted"`
	Reason string     `json:"reason,omitempty" doc:"Why it ended, where it is not done"`
	Log    []RunStep  `json:"log" doc:"What came of its last steps, since the service is there"`
	Logged int        `json:"logged" doc:"How many there were in all"`
}

// RunStep is what came of a step.
type RunStep struct {
	Step    int               `json:"step"`
	Says    string            `json:"says"`
	Outcome happening.Outcome `json:"outcome,omitempty" doc:"Left out where nothing was sent"`
	Reason  string            `json:"reason,omitempty"`
}

// Hold is a control that is set for a time.
type Hold struct {
	ID      string        `json:"id"`
	Device  string        `json:"device"`
	Control string        `json:"control"`
	Value   string        `json:"value"`
	Back    string        `json:"back,omitempty" doc:"What it goes back to; left out where the device goes back to off"`
	Since   time.Time     `json:"since"`
	Until   time.Time     `json:"until"`
	By      string        `json:"by"`
	Phase   run.HoldPhase `json:"phase" enum:"setting,held,going back,owed,ended"`
	Reason  string        `json:"reason,omitempty" doc:"Why it is not back yet"`
	Frozen  bool          `json:"frozen,omitempty" doc:"Its device is removed: it stands still until that is back"`
}

// EndHold says how a hold ends.
type EndHold struct {
	Stay bool `json:"stay,omitempty" doc:"Leave it as it is, instead of setting it back now"`
}

// SequencesChanged says that sequences are to be asked for again.
type SequencesChanged struct{}

// RunEvent says how far a run is. Runs are to be asked for again.
type RunEvent struct {
	ID    string    `json:"id"`
	Phase run.Phase `json:"phase"`
}

// HoldEvent says that a hold is another. Holds are to be asked for again.
type HoldEvent struct {
	Device  string        `json:"device"`
	Control string        `json:"control"`
	Phase   run.HoldPhase `json:"phase"`
}

// NoticeEvent is a text for people.
type NoticeEvent struct {
	Run  string `json:"run"`
	Text string `json:"text"`
}

package happening

import (
	"strings"
	"time"
)

// ErrandChanged says that an errand was added, changed, switched or removed.
type ErrandChanged struct {
	ErrandID string `json:"errand_id"`
	Errand   string `json:"errand"` // slug
	Text     string `json:"text"`
}

// Name of the type.
func (ErrandChanged) Name() string { return "errand-changed" }

// Tell repeats it.
func (e ErrandChanged) Tell() (Line, bool) { return Line{Kind: "run", Text: e.Text}, true }

// ErrandCame says that something came at which an errand begins or ends, and what was made of that.
type ErrandCame struct {
	ErrandID string   `json:"errand_id"`
	Errand   string   `json:"errand"` // slug
	Cue      string   `json:"cue"`    // as it is written
	Did      string   `json:"did"`    // ran, ended, or why not: skipped, unknown, busy, missed, failed
	Answers  []Answer `json:"answers,omitempty"`
	Reason   string   `json:"reason,omitempty"`
	Run      string   `json:"run,omitempty"` // id of the run that began
}

// Answer is one question of a condition.
type Answer struct {
	Asked string `json:"asked"`           // as it is written
	Is    string `json:"is"`              // yes, no or unknown
	About string `json:"about,omitempty"` // id of the device that was asked about, where it is one
}

// Name of the type.
func (ErrandCame) Name() string { return "errand-came" }

// Tell says what was made of it, and why not.
func (e ErrandCame) Tell() (Line, bool) {
	text := "Errand " + e.Errand + ": " + e.Cue
	l := Line{Kind: "run"}
	switch e.Did {
	case "ran":
		return Line{Kind: "run", Text: text}, true
	case "failed":
		l.Outcome = "failed"
	}
	why := []string{}
	for _, a := range e.Answers {
		why = append(why, a.Asked+": "+a.Is)
	}
	if e.Reason != "" {
		why = append(why, e.Reason)
	}
	l.Text = strings.TrimSuffix(text+", "+e.Did+": "+strings.Join(why, "; "), ": ")
	return l, true
}

// Marked says that a marker was set or taken away.
type Marked struct {
	Marker string `json:"marker"`
	On     bool   `json:"on,omitempty"`
}

// Name of the type.
func (Marked) Name() string { return "marked" }

// Tell says so.
func (m Marked) Tell() (Line, bool) {
	return Line{Kind: "run", Text: map[bool]string{true: "Marked ", false: "Unmarked "}[m.On] + m.Marker}, true
}

// Brought is what somebody brings into the house for errands to come with: a phrase that was said, a hook that was
// called, a message, or an event of a calendar.
type Brought struct {
	Kind  string `json:"kind"`            // phrase, hook, message or calendar
	Of    string `json:"of"`              // the phrase itself, or the name of the hook, topic or calendar
	Value string `json:"value,omitempty"` // the message; or begins or ends, of an event
	Title string `json:"title,omitempty"` // of an event
	// At is when an event begins or ends; zero is now.
	At time.Time `json:"at,omitzero"`
}

// Name of the type.
func (Brought) Name() string { return "brought" }

// Tell says what came; of a message only under which topic, and of one that nobody waits for nothing.
func (b Brought) Tell() (Line, bool) {
	switch b.Kind {
	case "phrase":
		return Line{Kind: "run", Text: "Said: " + b.Of}, true
	case "hook":
		return Line{Kind: "run", Text: "The hook " + b.Of + " was called"}, true
	case "calendar":
		return Line{Kind: "run", Text: strings.TrimSpace("The calendar " + b.Of + ": " + b.Title + " " + b.Value)}, true
	}
	return Line{}, false
}

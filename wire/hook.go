package wire

import "time"

// Hook is a secret address that lets one thing happen, or be read.
type Hook struct {
	Name    string     `json:"name"`
	Kind    string     `json:"kind" enum:"cue,errand,sequence,calendar" doc:"cue: errands come with it (when hook NAME); errand and sequence are run; calendar: the coming times of errands are read"`
	Of      string     `json:"of,omitempty" doc:"The errand or sequence"`
	Gone    bool       `json:"gone,omitempty" doc:"That is not there any more"`
	Made    time.Time  `json:"made"`
	Used    *time.Time `json:"used,omitempty"`
	From    string     `json:"from,omitempty" doc:"Address that it was last used from"`
	Address string     `json:"address,omitempty" doc:"Shown once, when it is made"`
}

// NewHook makes a hook.
type NewHook struct {
	Name string `json:"name" minLength:"1" maxLength:"40" doc:"a-z, 0-9 and -"`
	Kind string `json:"kind" enum:"cue,errand,sequence,calendar"`
	Of   string `json:"of,omitempty" maxLength:"60" doc:"Of an errand or sequence: its name"`
}

// Hooked is the answer of a hook.
type Hooked struct {
	Outcome string `json:"outcome" doc:"told, under way, or why an errand did not run"`
	Again   bool   `json:"again,omitempty" doc:"It was called with this key before: nothing more is done"`
}

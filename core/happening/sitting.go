package happening

import (
	"time"

	"urbo/core/audition"
	"urbo/core/grant"
	"urbo/core/lesson"
)

// Stage of a sitting that is worth an entry.
type Stage string

// The stages of a sitting. The zero value is any change between them.
const (
	Started Stage = "started"
	Waits   Stage = "waits"
	Over    Stage = "over"
)

// Sitting is what lessons and auditions have in common.
type Sitting struct {
	ID       string    `json:"id"`
	DeviceID string    `json:"device_id"`
	Device   string    `json:"device"` // slug, as it is now
	By       grant.By  `json:"-"`
	Began    time.Time `json:"-"`
	Stage    Stage     `json:"stage,omitempty"`
	Said     string    `json:"said,omitempty"` // of the stage, in words
}

func (s Sitting) tell(kind string) (Line, bool) {
	return Line{Kind: kind, DeviceID: s.DeviceID, Device: s.Device, Text: s.Said}, s.Stage != ""
}

// LessonChanged says that something happened in a lesson.
type LessonChanged struct {
	Sitting
	Hint   string         `json:"-"` // why nothing may be heard
	Lesson *lesson.Lesson `json:"-"` // as it is now; not to be changed
}

// Name of the type.
func (LessonChanged) Name() string { return "lesson-changed" }

// Tell says how it began and ended.
func (l LessonChanged) Tell() (Line, bool) { return l.tell("lesson") }

// AuditionChanged says that something happened in an audition.
type AuditionChanged struct {
	Sitting
	Trouble  string             `json:"-"` // why the last code did not go out
	Pause    time.Duration      `json:"-"` // between two codes
	Audition *audition.Audition `json:"-"` // as it is now; not to be changed
}

// Name of the type.
func (AuditionChanged) Name() string { return "audition-changed" }

// Tell says how it began and ended.
func (a AuditionChanged) Tell() (Line, bool) { return a.tell("audition") }

package happening

import "strings"

// StationHere says that a station said hello.
type StationHere struct {
	StationID string `json:"station_id,omitempty"`
	Station   string `json:"station"`
	// Quiet is one of many in a short time: it is no entry of the journal.
	Quiet bool `json:"quiet,omitempty"`
}

// Name of the type.
func (StationHere) Name() string { return "station-here" }

// Tell names it.
func (s StationHere) Tell() (Line, bool) {
	return Line{Kind: "station", StationID: s.StationID, Place: s.Station, Text: "Station " + s.Station + " is here"},
		!s.Quiet
}

// StationAway says that a station cannot be reached any more.
type StationAway struct {
	StationID string `json:"station_id,omitempty"`
	Station   string `json:"station"`
	Why       string `json:"why,omitempty"`
	Quiet     bool   `json:"quiet,omitempty"` // as of StationHere
}

// Name of the type.
func (StationAway) Name() string { return "station-away" }

// Tell names it.
func (s StationAway) Tell() (Line, bool) {
	l := Line{Kind: "station", StationID: s.StationID, Place: s.Station, Text: "Station " + s.Station + " is away"}
	if s.Why != "" {
		l.Text += ": " + s.Why
	}
	return l, !s.Quiet
}

// StationChanged says that the owner added, changed or removed a station.
type StationChanged struct {
	StationID string `json:"station_id,omitempty"`
	Station   string `json:"station"` // its name now, or the one it had
	Text      string `json:"text"`
}

// Name of the type.
func (StationChanged) Name() string { return "station-changed" }

// Tell repeats it.
func (s StationChanged) Tell() (Line, bool) {
	return Line{Kind: "station", StationID: s.StationID, Place: s.Station, Text: s.Text}, true
}

// StationUsed says that a port heard or sent something.
type StationUsed struct {
	StationID string `json:"station_id"`
	Station   string `json:"station"`
}

// Name of the type.
func (StationUsed) Name() string { return "station-used" }

// Tell has nothing to say.
func (StationUsed) Tell() (Line, bool) { return Line{}, false }

// StationNote is what a station wants in the journal, or what is wrong with what it said.
type StationNote struct {
	StationID string `json:"station_id,omitempty"`
	Place     string `json:"place"`
	Severity  string `json:"severity"` // info, warning, error or refused
	Text      string `json:"text"`
}

// Name of the type.
func (StationNote) Name() string { return "station-note" }

// Tell repeats it.
func (s StationNote) Tell() (Line, bool) {
	return Line{Kind: "station", StationID: s.StationID, Place: s.Place, Outcome: s.Severity, Text: s.Text}, true
}

// HouseChanged says that what the house says of itself is another.
type HouseChanged struct {
	Changes []string `json:"changes"`
}

// Name of the type.
func (HouseChanged) Name() string { return "house-changed" }

// Tell lists what changed.
func (h HouseChanged) Tell() (Line, bool) {
	return Line{Kind: "house", Text: "Changed the house: " + strings.Join(h.Changes, ", ")}, true
}

// RoomChanged says that a room was made, renamed or removed.
type RoomChanged struct {
	RoomID  string `json:"room_id"`
	Room    string `json:"room"`          // its name now, or the one it had
	Was     string `json:"was,omitempty"` // its name before, where it was renamed
	Removed bool   `json:"removed,omitempty"`
	Quiet   bool   `json:"quiet,omitempty"` // something was put into it, which is told
}

// Name of the type.
func (RoomChanged) Name() string { return "room-changed" }

// Tell says what became of it.
func (r RoomChanged) Tell() (Line, bool) {
	l := Line{Kind: "device", RoomID: r.RoomID, Text: "Added the room " + r.Room}
	switch {
	case r.Removed:
		l.Text = "Removed the room " + r.Room
	case r.Was != "":
		l.Text = "The room " + r.Was + " is called " + r.Room + " now"
	}
	return l, !r.Quiet
}

// AccessChanged says that a token or session was made or ended.
type AccessChanged struct {
	Text string `json:"text"`
}

// Name of the type.
func (AccessChanged) Name() string { return "access-changed" }

// Tell repeats it.
func (a AccessChanged) Tell() (Line, bool) { return Line{Kind: "access", Text: a.Text}, true }

// HouseNote says that the house began, ended, or met trouble of its own.
type HouseNote struct {
	Severity string `json:"severity,omitempty"`
	Text     string `json:"text"`
}

// Name of the type.
func (HouseNote) Name() string { return "house-note" }

// Tell repeats it.
func (h HouseNote) Tell() (Line, bool) {
	return Line{Kind: "house", Outcome: h.Severity, Text: h.Text}, true
}

// HouseStarted says that the house is there.
type HouseStarted struct {
	Version string `json:"version"`
}

// Name of the type.
func (HouseStarted) Name() string { return "house-started" }

// Tell says so.
func (h HouseStarted) Tell() (Line, bool) {
	return Line{Kind: "house", Text: "Urbo " + h.Version + " started"}, true
}

// StageChanged says that the true state of an appliance on the stage may have changed.
type StageChanged struct{}

// Name of the type.
func (StageChanged) Name() string { return "stage-changed" }

// Tell has nothing to say.
func (StageChanged) Tell() (Line, bool) { return Line{}, false }

// Recorded is an entry that was kept in words only, by a version before this one.
type Recorded struct{ Line }

// Name of the type.
func (Recorded) Name() string { return "told" }

// Tell repeats it.
func (t Recorded) Tell() (Line, bool) { return t.Line, true }

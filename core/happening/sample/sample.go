// Package sample has one happening of each type, for tests that send them through the house and over the network.
package sample

import (
	"time"

	"urbo/core/audition"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/lesson"
	"urbo/core/line"
	"urbo/core/run"
	"urbo/core/signal"
)

// At is when all of them happen.
var At = time.Date(2026, 3, 1, 21, 4, 0, 0, time.UTC)

// By is who asked for all of them.
var By = grant.By{Actor: grant.Actor{ID: "p1", Kind: grant.Person, Name: "Night watch"}, Via: "Chrome on Android"}

// capture is a press of the boardwalk's handset.
var capture = happening.Capture{ID: "c1", At: At, StationID: "s1", Station: "lecture", RoomID: "r1", Port: "ir-in",
	Medium: line.Infrared, Count: 1, Trains: []signal.Reception{{Train: signal.Train{9024, 4512, 564}, Gap: 30_000}},
	Decoded: line.Decoded{Readings: []line.Reading{{Sheet: "nec", Confidence: 1,
		Fields: line.Fields{"address": line.Number(57), "command": line.Number(2)}}}},
	Keys: []happening.KeyMatch{{DeviceID: "d1", Ref: device.Ref{Device: "boardwalk", Key: "power"}}}}

// All is one happening of each type.
func All() []happening.Happening {
	sitting := happening.Sitting{ID: "l1", DeviceID: "d1", Device: "boardwalk", By: By, Began: At,
		Stage: happening.Started, Said: "Lesson for Boardwalk lights: 1 key"}
	guided := lesson.New([]string{"power"}, 2)
	search := audition.NewSweep("power", audition.Sweep{})
	whats := []happening.What{
		happening.HeardOf(capture),
		happening.KeyDown{DeviceID: "d1", Device: "boardwalk", Key: "power", Place: "s1/ir-in"},
		happening.Stored{Captures: []string{"c1"}},
		happening.RecordingOpened{Recording: "keys.wav", Presses: 3, Different: 2},
		happening.Pressed{Receipt: happening.Receipt{ID: "p1", At: At, DeviceID: "d1", Device: "boardwalk",
			Key:   "power",
			Times: 1, StationID: "s1", RoomID: "r1", Station: "lecture", Port: "ir-out", Outcome: happening.Sent,
			Took: 108 * time.Millisecond}},
		happening.PressRefused{DeviceID: "d1", Device: "boardwalk", Key: "dim", Reason: "not learned yet"},
		happening.Believed{DeviceID: "d1", Device: "boardwalk", Control: "power", Value: "on", Source: "sent"},
		happening.Contradicted{DeviceID: "d1", Device: "boardwalk", Control: "power", Was: "on", Word: "believed",
			Since: At, Value: "off", By: "sensed"},
		happening.ToldBelief{DeviceID: "d1", Device: "boardwalk", Control: "power", Value: "off"},
		happening.MainsFailed{RoomID: "r1", Room: "Lecture room"},
		happening.WasSet{DeviceID: "d1", Device: "boardwalk", Wants: []string{"power on"}, Presses: 1,
			Outcome: happening.Sent},
		happening.Measured{Measurement: "dome/humidity", Value: 71, Unit: "%", Battery: "low"},
		happening.FellSilent{Measurement: "dome/humidity", For: "1 h"},
		happening.MeasurementChanged{Measurement: "dome/humidity", Text: "Described dome/humidity"},
		happening.HouseStarted{Version: "1.0"},
		happening.Marked{Marker: "guests-stay", On: true},
		happening.Brought{Kind: "phrase", Of: "talk in ten minutes", Value: "v", Title: "t",
			At: time.UnixMilli(1_800_000_000_000).UTC()},
		happening.DeviceChanged{DeviceID: "d1", Device: "boardwalk", Title: "Boardwalk lights",
			Changes: []string{"room"}},
		happening.DeviceRemoved{DeviceID: "d1", Device: "boardwalk", Title: "Boardwalk lights", Keys: 7},
		happening.KeyLearned{DeviceID: "d1", Device: "boardwalk", Key: "power", As: "nec address=57 command=2"},
		happening.CounterBack{DeviceID: "d1", Device: "shutter", Key: "up", Before: 7, Now: 3},
		happening.SetChanged{Set: "corvane-strand", Title: "Corvane Strand"},
		happening.PackImported{Devices: 2, Sets: 30},
		happening.LessonChanged{Sitting: sitting, Lesson: guided},
		happening.AuditionChanged{Sitting: sitting, Audition: search},
		happening.StationHere{StationID: "s1", Station: "lecture"},
		happening.StationAway{StationID: "s1", Station: "lecture", Why: "no answer"},
		happening.StationChanged{StationID: "s1", Station: "lecture", Text: "Changed the station lecture"},
		happening.StationUsed{StationID: "s1", Station: "lecture"},
		happening.StationNote{StationID: "s1", Place: "lecture", Severity: "warning", Text: "too hot"},
		happening.RoomChanged{RoomID: "r1", Room: "Lecture hall", Was: "Lecture room"},
		happening.GroupChanged{GroupID: "g1", Group: "dew", Text: "Added the group Dew heaters"},
		happening.HouseChanged{Changes: []string{"name"}},
		happening.AccessChanged{Text: "Let Night watch in as resident"},
		happening.HouseNote{Severity: "warning", Text: "the clock went back"},
		happening.RunChanged{RunID: "u1", Run: "fanfare", Of: "q1", Phase: run.InStep, Step: 1, Steps: 3, Began: true,
			Says: "press amplifier/power", Devices: []string{"d1"}},
		happening.RunStep{RunID: "u1", Run: "fanfare", Step: 1, Says: "press amplifier/power", DeviceID: "d1",
			Device: "amplifier", Outcome: happening.Sent},
		happening.Notice{RunID: "u1", Run: "fanfare", Text: "the dome is open"},
		happening.HoldChanged{HoldID: "k1", DeviceID: "d1", Device: "boardwalk", Control: "power", Value: "on",
			Until: At, Phase: run.Held, Began: true},
		happening.BoardChanged{BoardID: "b1", Board: "public-night", Text: "Added the board Public night"},
		happening.QuestionChanged{QuestionID: "q1", Question: "Air mixer: on or off now?", For: "public-talk",
			Devices: []string{"d1"}},
		happening.ErrandChanged{ErrandID: "e1", Errand: "dusk", Text: "Added the errand dusk"},
		happening.ErrandCame{ErrandID: "e1", Errand: "dusk", Cue: "at 2026-12-05 16:27", Did: "skipped",
			Answers: []happening.Answer{{Asked: "sun down", Is: "no"}}},
		happening.OccasionChanged{OccasionID: "o1", Occasion: "public-talk", Text: "Added the occasion Public talk"},
		happening.OccasionInForce{OccasionID: "o1", Occasion: "public-talk", Rooms: []string{"r1"},
			Devices: []string{"d1"}, Text: "Public talk is in force in Lecture room"},
		happening.OccasionDiffers{OccasionID: "o1", Occasion: "public-talk", Differs: 2, Devices: []string{"d1"}},
		happening.SequenceChanged{SequenceID: "q1", Sequence: "fanfare", Text: "Added the sequence Fanfare"},
		happening.StageChanged{},
		happening.Recorded{Line: happening.Line{Kind: "house", Text: "of an earlier version"}},
	}
	out := make([]happening.Happening, len(whats))
	for i, what := range whats {
		out[i] = happening.Happening{Seq: int64(i + 1), ID: "h-" + what.Name(), At: At, By: By, What: what}
	}
	return out
}

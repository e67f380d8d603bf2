// Package happening is everything that the house can notice or do, as types. One stream carries them in order; the
// journal keeps them and tells them in words, and screens, lessons and beliefs follow them.
package happening

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"urbo/core/grant"
)

// Happening is one thing that happened.
type Happening struct {
	Seq   int64  // its place in the order; it only grows
	ID    string // opaque; a capture's or press's own where it is one
	Cause string // id of what led to it, or ""
	At    time.Time
	By    grant.By // who asked, or ""
	What  What

	// Of an entry that is read back: the device and the room that it was laid to when it was written. A version of
	// before may have known less than its document says now.
	DeviceID, RoomID string
}

// About is the device and the room that it is about, or was seen from; "" where it is about none.
func (h Happening) About() (deviceID, roomID string) {
	l, _ := h.What.Tell()
	return cmp.Or(h.DeviceID, l.DeviceID), cmp.Or(h.RoomID, l.RoomID)
}

// What happened. Its concrete type is one of this package.
type What interface {
	// Name of the type, in documents.
	Name() string
	// Tell is it as the journal tells it; ok is false where it is no news for the journal.
	Tell() (l Line, ok bool)
}

// Line is a happening in words, with what it is about.
type Line struct {
	Kind      string // heard, echo, press, settled, lesson, audition, device, station, access, belief, run or house
	DeviceID  string // "" where it is about none
	Device    string // slug then, or ""
	Key       string
	StationID string
	RoomID    string // where it is about a room, or was seen from one
	Place     string // STATION/PORT, or the station, as they were called then
	Outcome   string
	Text      string
}

// Marshal writes what happened as a document; Unmarshal reads it.
func Marshal(w What) ([]byte, error) { return json.Marshal(w) }

// Unmarshal reads the document of a type. The error says that this version does not know it.
func Unmarshal(name string, document []byte) (What, error) {
	read, known := types[name]
	if !known {
		return nil, fmt.Errorf("what happened is a %.40q, which this version does not know", name)
	}
	return read(document)
}

// types is the one register of what can happen. A type that is not in it does not happen; each has a sample in package
// sample, which tests send through the journal, the feed and the network.
var types = register(
	read[Heard], read[KeyDown], read[Stored], read[RecordingOpened],
	read[Pressed], read[PressRefused],
	read[Believed], read[Contradicted], read[ToldBelief], read[MainsFailed], read[WasSet], read[Measured],
	read[FellSilent], read[MeasurementChanged],
	read[DeviceChanged], read[DeviceRemoved], read[KeyLearned], read[CounterBack], read[SetChanged], read[PackImported],
	read[LessonChanged], read[AuditionChanged],
	read[StationHere], read[StationAway], read[StationChanged], read[StationUsed], read[StationNote],
	read[RoomChanged], read[GroupChanged], read[HouseChanged], read[AccessChanged], read[HouseNote], read[HouseStarted],
	read[RunChanged], read[RunStep], read[Notice], read[HoldChanged], read[SequenceChanged],
	read[OccasionChanged], read[OccasionInForce], read[OccasionDiffers], read[ErrandChanged], read[ErrandCame],
	read[Marked], read[Brought],
	read[BoardChanged], read[QuestionChanged],
	read[StageChanged], read[Recorded],
)

type reader func([]byte) (What, error)

// register lists readers by the names of their types.
func register(all ...reader) map[string]reader {
	out := map[string]reader{}
	for _, r := range all {
		zero, err := r([]byte("{}"))
		if err != nil {
			panic(err) // a type of this package whose zero value is no document
		}
		out[zero.Name()] = r
	}
	return out
}

// Names lists the types of what can happen, sorted.
func Names() []string { return slices.Sorted(maps.Keys(types)) }

func read[T What](data []byte) (What, error) {
	var w T
	if err := json.Unmarshal(data, &w); err != nil {
		return nil, fmt.Errorf("read what happened: %w", err)
	}
	return w, nil
}

// Size is about how many bytes of memory a happening takes.
func (h Happening) Size() int {
	n := 500
	switch what := h.What.(type) {
	case Heard:
		n += what.Capture.size()
	case Stored:
		n += 40 * len(what.Captures)
	case LessonChanged:
		for _, t := range what.Lesson.Takes {
			n += Capture{Trains: t.Press.Trains}.size()
		}
		for _, k := range what.Lesson.Keys {
			for _, t := range k.Takes {
				n += 200 + Capture{Trains: t.Press.Trains}.size()
			}
		}
	case AuditionChanged:
		n += 200 * (len(what.Audition.Refused) + 1)
	}
	return n
}

func (c Capture) size() int {
	n := 1000
	for _, h := range c.Trains {
		n += 8*len(h.Train) + 50
	}
	return n
}

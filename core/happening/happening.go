// Package happening is everything that the house can notice or do, as types. One stream carries them in order; the
// journal keeps them and tells them in words, and screens, lessons and beliefs follow them.
package happening

import (
	"encoding/json"
	"fmt"
	"time"
)

// Happening is one thing that happened.
type Happening struct {
	Seq   int64  // its place in the order; it only grows
	ID    string // opaque; a capture's or press's own where it is one
	Cause string // id of what led to it, or ""
	At    time.Time
	By    string // who asked, or ""
	What  What
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
	Kind    string // heard, echo, press, settled, lesson, audition, device, station, access, belief or house
	Device  string // slug, or ""
	Key     string
	Place   string // STATION/PORT, or the station
	Outcome string
	Text    string
}

// Marshal writes what happened as a document; Unmarshal reads it.
func Marshal(w What) ([]byte, error) { return json.Marshal(w) }

// Unmarshal reads the document of a type. The error says that this version does not know it.
func Unmarshal(name string, document []byte) (What, error) {
	read, known := readers[name]
	if !known {
		return nil, fmt.Errorf("what happened is a %.40q, which this version does not know", name)
	}
	return read(document)
}

// readers are the types that the journal keeps, by name.
var readers = map[string]func([]byte) (What, error){
	Heard{}.Name():           read[Heard],
	RecordingOpened{}.Name(): read[RecordingOpened],
	Pressed{}.Name():         read[Pressed],
	PressRefused{}.Name():    read[PressRefused],
	DeviceChanged{}.Name():   read[DeviceChanged],
	DeviceRemoved{}.Name():   read[DeviceRemoved],
	KeyLearned{}.Name():      read[KeyLearned],
	SetChanged{}.Name():      read[SetChanged],
	PackImported{}.Name():    read[PackImported],
	LessonChanged{}.Name():   read[LessonChanged],
	AuditionChanged{}.Name(): read[AuditionChanged],
	StationHere{}.Name():     read[StationHere],
	StationAway{}.Name():     read[StationAway],
	StationNote{}.Name():     read[StationNote],
	StationChanged{}.Name():  read[StationChanged],
	AccessChanged{}.Name():   read[AccessChanged],
	HouseNote{}.Name():       read[HouseNote],
	Told{}.Name():            read[Told],
	Contradicted{}.Name():    read[Contradicted],
	ToldBelief{}.Name():      read[ToldBelief],
	WasSet{}.Name():          read[WasSet],
	CounterBack{}.Name():     read[CounterBack],
	MainsFailed{}.Name():     read[MainsFailed],
}

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
		for _, c := range what.Captures {
			n += c.size()
		}
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

package wire

import (
	"fmt"
	"time"

	"urbo/core/bench"
	"urbo/core/happening"
	"urbo/core/lesson"
	"urbo/core/line"
	"urbo/core/signal"
)

// Readings translates what a decoder found.
func Readings(in []line.Reading) []Reading {
	out := make([]Reading, len(in))
	for i, r := range in {
		out[i] = Reading{Sheet: r.Sheet, Fields: Fields(r.Fields), Frames: r.Frames, Repeats: r.Repeats, Unit: r.Unit,
			Stretch: r.Stretch, Deviation: r.Deviation, Confidence: r.Confidence, Measured: r.Measured,
			FromUS: r.From, ToUS: r.To, Rolling: r.Rolling}
	}
	return out
}

// CaptureOf translates a capture.
func CaptureOf(c happening.Capture) Capture {
	out := Capture{ID: c.ID, At: c.At, Station: c.Station, Port: c.Port, Medium: string(c.Medium), Strength: c.Strength,
		Carrier: c.Hz, Count: c.Count,
		Trains: c.Trains, Readings: Readings(c.Readings), Held: c.Held, Keys: []KeyRef{}, Echo: c.PressID != "",
		PressID: c.PressID, Stored: c.Stored}
	for _, k := range c.Keys {
		out.Keys = append(out.Keys, KeyRef{Device: k.Device, Key: k.Key})
	}
	for _, s := range c.Sets {
		out.Sets = append(out.Sets, SetKey{Set: s.Set, Name: s.Name, Key: s.Key})
	}
	return out
}

// CapturesOf translates captures.
func CapturesOf(in []happening.Capture) []Capture {
	out := make([]Capture, len(in))
	for i, c := range in {
		out[i] = CaptureOf(c)
	}
	return out
}

// DetailOf translates a capture with what can be made of it: code, or the trouble why it cannot be sent again.
func DetailOf(c happening.Capture, code *Code, trouble error) CaptureDetail {
	out := CaptureDetail{Capture: CaptureOf(c), Code: code}
	if s, err := bench.Describe(c.Trains); err == nil {
		w := StructureOf(s)
		out.Structure = &w
	}
	if trouble != nil {
		out.Trouble = trouble.Error()
	}
	return out
}

// PressOf translates a receipt.
func PressOf(r happening.Receipt) Press {
	return Press{ID: r.ID, At: r.At, Device: r.Device, Key: r.Key, Times: r.Times, By: r.By.String(),
		Station: r.Station,
		Port:    r.Port,
		Outcome: r.Outcome, Reason: r.Reason, TookMS: float64(r.Took) / float64(time.Millisecond), Note: r.Note,
		Heard: r.Heard}
}

// EntryOf is a happening as the journal tells it.
func EntryOf(h happening.Happening) Entry {
	l, _ := h.What.Tell()
	return Entry{ID: h.ID, At: h.At, Kind: l.Kind, CauseID: h.Cause, By: h.By.Name, ByKind: string(h.By.Kind),
		Via:    h.By.Via,
		Device: l.Device, Key: l.Key,
		Place: l.Place, Outcome: l.Outcome, Text: l.Text}
}

// LessonOf translates a lesson.
func LessonOf(l happening.LessonChanged) Lesson {
	core := l.Lesson
	w := Lesson{ID: l.ID, Device: l.Device, State: "running", Key: core.Asked(), Prompt: core.Prompt(), Hint: l.Hint,
		Needed: core.Needed, Free: core.Free,
		Keys: []LessonKey{}, Takes: []Take{}, Started: l.Began}
	switch {
	case core.Ended:
		w.State = "ended"
	case core.Over():
		w.State = "done"
	case core.Paused:
		w.State = "paused"
	}
	for _, k := range core.Keys {
		lk := LessonKey{Name: k.Name, State: string(k.State), Takes: len(k.Takes)}
		if k.Code != nil && k.State == lesson.Settled {
			c := CodeOf(*k.Code)
			lk.Code, lk.Rolling = &c, k.Rolling
		}
		w.Keys = append(w.Keys, lk)
	}
	for _, t := range core.Takes {
		w.Takes = append(w.Takes, takeOf(t))
	}
	if core.Last != nil {
		last := takeOf(*core.Last)
		w.Last = &last
	}
	return w
}

// takeOf translates a take; its drawing is the longest train of the press.
func takeOf(t lesson.Take) Take {
	w := Take{CaptureID: t.Press.ID, Key: t.Key, Verdict: string(t.Verdict), Accepted: t.Verdict.Accepts(),
		Allowable: t.Verdict.Allowable(), Text: t.Text,
		Train: signal.Train{}}
	if len(t.Press.Readings) > 0 {
		r := Readings(t.Press.Readings[:1])[0]
		w.Reading = &r
	}
	for _, h := range t.Press.Trains {
		if len(h.Train) > len(w.Train) {
			w.Train = h.Train
		}
	}
	return w
}

// AuditionOf translates an audition; left is how long it takes until all were played.
func AuditionOf(a happening.AuditionChanged, left time.Duration) Audition {
	c := a.Audition
	w := Audition{ID: a.ID, Device: a.Device, Function: c.Function, Phase: string(c.Phase), Paused: c.Paused,
		Played: c.Next, Codes: c.Len(),
		Asks: c.Asks(), Prompt: c.Prompt(),
		Trouble: a.Trouble,
		Answers: []KeyAnswer{}, Refused: []RefusedSet{}, Kept: []string{}, LeftMS: left.Milliseconds(),
		Started: a.Began}
	w.Set, w.Key = c.Now()
	for _, said := range c.Asking() {
		w.Answers = append(w.Answers, KeyAnswer{Key: said.Key, Answer: string(said.Answer)})
	}
	for _, v := range c.Verdicts() {
		w.Refused = append(w.Refused, RefusedSet{Name: v.Set.Name, Confirmed: v.Confirmed, Tried: v.Tried,
			Text: fmt.Sprintf("%s does not fit: only %d of %d keys that were tried did what they should. None of it "+
				"was kept.", v.Set.Name, v.Confirmed, v.Tried)})
	}
	for _, k := range c.Kept() {
		w.Kept = append(w.Kept, k.Name)
	}
	if set, _, ok := c.Best(); ok {
		w.Best = set.Name
	}
	return w
}

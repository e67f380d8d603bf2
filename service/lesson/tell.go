package lesson

import (
	"urbo/core/lesson"
	"urbo/core/signal"
	"urbo/wire"
)

func (s *session) wire() wire.Lesson {
	w := wire.Lesson{ID: s.id, Device: s.device, State: "running", Key: s.core.Asked(), Prompt: s.core.Prompt(), Hint: s.hint, Needed: s.core.Needed, Free: s.core.Free,
		Keys: []wire.LessonKey{}, Takes: []wire.Take{}, Started: s.started}
	switch {
	case s.core.Ended:
		w.State = "ended"
	case s.core.Over():
		w.State = "done"
	case s.core.Paused:
		w.State = "paused"
	}
	for _, k := range s.core.Keys {
		lk := wire.LessonKey{Name: k.Name, State: string(k.State), Takes: len(k.Takes)}
		if c, settled := s.codes[k.Name]; settled && k.State == lesson.Settled {
			lk.Code = &c
		}
		w.Keys = append(w.Keys, lk)
	}
	for _, t := range s.core.Takes {
		w.Takes = append(w.Takes, take(t))
	}
	if s.core.Last != nil {
		last := take(*s.core.Last)
		w.Last = &last
	}
	return w
}

// take translates a take; its drawing is the longest train of the press.
func take(t lesson.Take) wire.Take {
	w := wire.Take{CaptureID: t.Press.ID, Key: t.Key, Verdict: string(t.Verdict), Accepted: t.Verdict.Accepts(), Allowable: t.Verdict.Allowable(), Text: t.Text, Train: signal.Train{}}
	if len(t.Press.Readings) > 0 {
		r := wire.Readings(t.Press.Readings[:1])[0]
		w.Reading = &r
	}
	for _, h := range t.Press.Trains {
		if len(h.Train) > len(w.Train) {
			w.Train = h.Train
		}
	}
	return w
}

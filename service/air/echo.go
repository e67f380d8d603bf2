package air

import (
	"slices"
	"time"

	"urbo/core/line"
	"urbo/core/signal"
)

// late is how long after a send its echo may still come in: a receiver ends a train after 20 ms of silence, and the
// link takes its time.
const late = 200 * time.Millisecond

// echo is a send that receivers may hear.
type echo struct {
	pressID  string
	medium   string
	identity string
	train    signal.Train
	from     time.Time
	until    time.Time // zero while it is on the air
	latest   time.Time // until at the latest, should no answer come
}

// expectEcho notes a send before it goes out. The function it returns notes its end.
func (a *Air) expectEcho(pressID string, s prepared, airtime time.Duration) func() {
	now := a.now()
	a.mu.Lock()
	defer a.mu.Unlock()
	a.echoes = slices.DeleteFunc(a.echoes, func(e echo) bool { return e.end().Before(now.Add(-5 * time.Second)) })
	a.echoes = append(a.echoes, echo{pressID: pressID, medium: s.medium, identity: s.identity, train: s.train, from: now,
		latest: now.Add(airtime + startWithin + grace)})
	return func() {
		end := a.now()
		a.mu.Lock()
		defer a.mu.Unlock()
		for i := range a.echoes {
			if e := &a.echoes[i]; e.pressID == pressID && e.from.Equal(now) {
				e.until = end
			}
		}
	}
}

func (e echo) end() time.Time {
	if e.until.IsZero() {
		return e.latest
	}
	return e.until
}

// Echo says which of Urbo's own presses a receiver heard, from when its trains came in and what they say; "" where
// it was somebody else's. A clear reading of another code is a handset, even while Urbo sends.
func (a *Air) Echo(medium string, first, last time.Time, readings []line.Reading, trains []signal.Heard) string {
	a.mu.Lock()
	defer a.mu.Unlock()
	for i := len(a.echoes) - 1; i >= 0; i-- {
		e := a.echoes[i]
		if e.medium != medium || last.Before(e.from) || first.After(e.end().Add(late)) {
			continue
		}
		if a.sounds(e, readings, trains) {
			return e.pressID
		}
	}
	return ""
}

func (a *Air) sounds(e echo, readings []line.Reading, trains []signal.Heard) bool {
	clear := false
	for _, r := range readings {
		if s, err := a.book.Sheet(r.Sheet); err == nil && e.identity != "" && s.Identity(r.Fields) == e.identity {
			return true
		}
		clear = clear || r.Confidence > line.LoneLimit
	}
	if e.train != nil && slices.ContainsFunc(trains, func(h signal.Heard) bool { return signal.Agree(h.Train, e.train) }) {
		return true
	}
	return !clear
}

package stations

import (
	"time"

	"golang.org/x/time/rate"

	"urbo/core/happening"
	"urbo/core/plain"
)

// What a station, or whoever is not let in, may bring into the journal: so much at once, and then one entry each few
// seconds. The rest is counted, and told once a minute.
const (
	voiceBurst = 20
	voiceEach  = 6 * time.Second
	voiceTells = time.Minute
)

// voice bounds what one of them brings into the journal.
type voice struct {
	entries *rate.Limiter
	left    int // out, and not told yet
	told    time.Time
}

func newVoice() *voice { return &voice{entries: rate.NewLimiter(rate.Every(voiceEach), voiceBurst)} }

// may says whether one more entry is written. The caller holds mu.
func (v *voice) may(now time.Time) bool {
	if v.entries.AllowN(now, 1) {
		return true
	}
	v.left++
	return false
}

// rest is how many entries were left out, once a minute. The caller holds mu.
func (v *voice) rest(now time.Time) int {
	if v.left == 0 || now.Sub(v.told) < voiceTells {
		return 0
	}
	n := v.left
	v.left, v.told = 0, now
	return n
}

// say tells the journal something about a station, or about nobody that is known, unless there was too much of it.
func (s *Stations) say(v *voice, n happening.StationNote) {
	s.mu.Lock()
	ok := v.may(s.now())
	s.mu.Unlock()
	if ok {
		s.stream.Publish(happening.Happening{What: n})
	}
}

// tellRest tells what was left out.
func (s *Stations) tellRest() {
	s.mu.Lock()
	var notes []happening.StationNote
	if n := s.strangers.rest(s.now()); n > 0 {
		notes = append(notes, happening.StationNote{Severity: "warning",
			Text: plain.Count(n, "more entry", "more entries") + " about stations that are not let in were left out"})
	}
	for _, m := range s.members {
		if n := m.voice.rest(s.now()); n > 0 {
			notes = append(notes, happening.StationNote{StationID: m.record.ID, Place: m.record.Name,
				Severity: "warning",
				Text: plain.Count(n, "more entry", "more entries") + " about " + m.record.Name +
					" were left out: it says " +
					"too much, or it comes and goes. Do two boards use its name or its token?"})
		}
	}
	s.mu.Unlock()
	for _, n := range notes {
		s.stream.Publish(happening.Happening{What: n})
	}
}

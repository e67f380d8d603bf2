package stage

import (
	"cmp"
	"time"
)

// Transmission is what a simulated transmitter is asked to send: durations in µs, mark first, every part with its
// trailing space.
type Transmission struct {
	Medium  Medium
	Hz      int
	Once    []int
	Repeat  []int
	Repeats int
	Last    []int
	Silence int // least silence after the whole, in µs
	// Strength is how strong it is heard, 0 to 1; 0 is 1. Below 0 nothing is heard of it at all.
	Strength float64
}

// Playing is a transmission on the air.
type Playing struct {
	stage *Stage
	what  Transmission
	done  func(took time.Duration)
	start time.Duration
	until time.Duration // goes on repeating until then
	left  int           // repeats still to send
	space int           // trailing space of the part sent last, µs
}

// Transmit begins a transmission. done is called from the stage's goroutine, with the stage locked, when the last
// part has ended.
func (s *Stage) Transmit(t Transmission, done func(took time.Duration)) *Playing {
	s.mu.Lock()
	defer s.mu.Unlock()
	p := &Playing{stage: s, what: t, done: done, start: s.Now(), left: t.Repeats}
	p.send(p.start, t.Once, p.next)
	return p
}

// send plays one part and then goes on.
func (p *Playing) send(at time.Duration, runs []int, then func(time.Duration)) {
	if len(runs) == 0 {
		p.stage.at(at, then)
		return
	}
	p.stage.at(at, func(at time.Duration) {
		e := emission{start: at, runs: runs, hz: p.what.Hz, strength: cmp.Or(p.what.Strength, 1)}
		if e.strength > 0 {
			p.stage.air[p.what.Medium].emit(e)
		}
		p.space = runs[len(runs)-1]
		p.stage.at(e.end(), then)
	})
}

func (p *Playing) next(at time.Duration) {
	if len(p.what.Repeat) > 0 && (p.left > 0 || at < p.until) {
		p.left--
		p.send(at, p.what.Repeat, p.next)
		return
	}
	p.send(at, p.what.Last, func(at time.Duration) {
		at += time.Duration(max(p.what.Silence-p.space, 0)) * time.Microsecond
		p.stage.at(at, func(at time.Duration) { p.done(at - p.start) })
	})
}

// Hold keeps the transmission repeating for so long from now.
func (p *Playing) Hold(lease time.Duration) {
	p.stage.mu.Lock()
	defer p.stage.mu.Unlock()
	p.until = p.stage.Now() + lease
}

// Cancel lets the transmission end after the part that is on the air.
func (p *Playing) Cancel() {
	p.stage.mu.Lock()
	defer p.stage.mu.Unlock()
	p.left, p.until = 0, 0
}

package stage

import "time"

// Screen is the projection screen: 18 s for the full way, and it stops where it is told to.
type Screen struct {
	travel
	before uint32
	heard  time.Duration
}

const screenID = 0x4D2B7 // 20 bits

const (
	screenUp   = 0b0001
	screenDown = 0b0010
	screenStop = 0b0100
)

func newScreen() *Screen { return &Screen{travel: travel{whole: 18 * time.Second}} }

// Hear obeys a word that comes twice in a row.
func (s *Screen) Hear(at time.Duration, runs []int) {
	readRatio(runs, func(bits uint32) {
		again := bits == s.before && at-s.heard < 150*time.Millisecond
		s.before, s.heard = bits, at
		if !again || bits>>4 != screenID {
			return
		}
		switch bits & 15 {
		case screenUp:
			s.move(at, -1)
		case screenDown:
			s.move(at, 1)
		case screenStop:
			s.move(at, 0)
		}
	})
}

// Next is when it reaches an end.
func (s *Screen) Next(now time.Duration) time.Duration { return s.ends(now) }

// State lists where it is.
func (s *Screen) State(now time.Duration) []Fact { return s.facts(now, "up", "down") }

package stage

import (
	"strconv"
	"time"
)

// Shutter is the dome's shutter: 42 s for the full way. It obeys only handsets that are paired with it, and each value
// of a handset's counter once. Pairing: hold its own button (PairNext), then press pair on the handset.
type Shutter struct {
	travel
	paired map[uint32]uint16 // handset → the counter it sent last
	open   time.Duration     // until when it pairs the next handset that asks
}

// pairing is how long the shutter waits for a handset after its own button was held.
const pairing = 2 * time.Minute

// PairNext is its own button, held: the next handset that sends pair is obeyed from then on. It says so with a jerk.
func (s *Shutter) PairNext(at time.Duration) { s.open = at + pairing }

// Buttons of the shutter's handset.
const (
	shutterStop = 1
	shutterUp   = 2
	shutterDown = 4
	shutterPair = 8
)

// shutterHandset is the number of the handset that is paired from the start; shutterWindow is how far ahead of the last
// a counter may be.
const (
	shutterHandset = 0x2E4F81
	shutterWindow  = 120
)

// Half a bit of the shutter's handset, and its other pulses, measured by hand.
const (
	rollHalf     = 606
	rollWakeMark = 9430
	rollWakeGap  = 89_400
	rollSync     = 2430
	rollSoft     = 4560
	rollGap      = 30_400
)

func newShutter() *Shutter {
	return &Shutter{travel: travel{whole: 42 * time.Second, at: 1}, paired: map[uint32]uint16{shutterHandset: 0}}
}

// rollBytes packs a press the way the handset does: a check over all nibbles, then each byte hidden behind the one
// before it.
func rollBytes(button byte, counter uint16, handset uint32) [7]byte {
	b := [7]byte{0xA0 | byte(counter&15), button << 4, byte(counter >> 8), byte(counter), byte(handset >> 16),
		byte(handset >> 8), byte(handset)}
	check := byte(0)
	for _, x := range b {
		check ^= x ^ x>>4
	}
	b[1] |= check & 15
	for i := 1; i < 7; i++ {
		b[i] ^= b[i-1]
	}
	return b
}

// rollFrame writes a frame with its hardware syncs; the first of a press has a wake-up.
func rollFrame(b [7]byte, first bool) []int {
	var out []int
	syncs := 7
	if first {
		out, syncs = append(out, rollWakeMark, rollWakeGap), 2
	}
	for range syncs {
		out = append(out, rollSync, rollSync)
	}
	out = append(out, rollSoft, rollHalf)
	mark := false // the level that is on: the software sync ends with a space
	half := func(level bool) {
		if level == mark {
			out[len(out)-1] += rollHalf
			return
		}
		out = append(out, rollHalf)
		mark = level
	}
	for _, x := range b {
		for bit := 7; bit >= 0; bit-- {
			one := x>>bit&1 == 1
			half(!one)
			half(one)
		}
	}
	if mark {
		return append(out, rollGap)
	}
	out[len(out)-1] += rollGap
	return out
}

// Hear obeys frames of paired handsets.
func (s *Shutter) Hear(at time.Duration, runs []int) {
	for i := 0; i+1 < len(runs); i += 2 {
		if within(runs[i], 4200, 4950) {
			if b, ok := readRoll(runs[i+1:]); ok {
				s.take(at, b)
			}
		}
	}
}

// readRoll reads 56 bits from the space after the software sync on, sampling each half bit in its middle.
func readRoll(runs []int) ([7]byte, bool) {
	var b [7]byte
	edges := make([]int, 0, len(runs))
	total := 0
	for _, d := range runs {
		total += d
		edges = append(edges, total)
	}
	k := 0
	level := func(t int) bool { // times only ever grow
		for k < len(edges) && t >= edges[k] {
			k++
		}
		return k%2 == 1
	}
	for bit := range 56 {
		first := level(rollHalf*(1+2*bit) + rollHalf/2)
		second := level(rollHalf*(2+2*bit) + rollHalf/2)
		if first == second {
			return b, false
		}
		if second {
			b[bit/8] |= 0x80 >> (bit % 8)
		}
	}
	for i := 6; i > 0; i-- {
		b[i] ^= b[i-1]
	}
	check := byte(0)
	for _, x := range b {
		check ^= x ^ x>>4
	}
	return b, check&15 == 0 && b[0]>>4 == 0xA
}

func (s *Shutter) take(at time.Duration, b [7]byte) {
	counter := uint16(b[2])<<8 | uint16(b[3])
	handset := uint32(b[4])<<16 | uint32(b[5])<<8 | uint32(b[6])
	last, paired := s.paired[handset]
	if b[1]>>4 == shutterPair && at < s.open {
		s.paired[handset], s.open = counter, 0
		return
	}
	ahead := counter - last
	if !paired || ahead == 0 || ahead > shutterWindow {
		return
	}
	s.paired[handset] = counter
	switch b[1] >> 4 {
	case shutterUp:
		s.move(at, -1)
	case shutterDown:
		s.move(at, 1)
	case shutterStop:
		s.move(at, 0)
	}
}

// Next is when it reaches an end, or stops waiting for a handset.
func (s *Shutter) Next(now time.Duration) time.Duration {
	next := s.ends(now)
	if s.open > now && (next == 0 || s.open < next) {
		return s.open
	}
	return next
}

// State lists where it is.
func (s *Shutter) State(now time.Duration) []Fact {
	waits := "no"
	if now < s.open {
		waits = "yes"
	}
	return append(s.facts(now, "open", "closed"), Fact{"handsets", strconv.Itoa(len(s.paired))},
		Fact{"waits for a handset", waits})
}

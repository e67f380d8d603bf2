package stage

import (
	"fmt"
	"strings"
	"time"
)

// Handset is an original remote control: keys with timings written by hand, and the faults of its make.
type Handset struct {
	Slug   string
	Title  string
	Room   string
	Medium Medium
	Hz     int // carrier of infrared, channel of radio
	Keys   []HandsetKey
	// About says what it is for, where that is not plain from an appliance of its name.
	About string

	clock    float64 // 1.01 is one per cent slow
	jitter   float64 // µs, standard deviation of every edge
	strength float64 // 0 to 1 at the receiver
	weak     bool    // a battery near its end: some frames break up
	least    int     // frames that even the shortest press sends
	held     time.Duration
}

// HandsetKey is one key: the first frame of a press and what follows while it is held, each with its trailing
// space, in µs.
type HandsetKey struct {
	Name  string
	first []int
	then  []int // nil: nothing follows
	// fresh makes the frames anew for every press, for handsets that count, toggle, or send what their display shows.
	fresh func() (first, then []int)
	// push is a button on the appliance itself: it sends nothing.
	push func(now time.Duration)
	of   *placed // the appliance
}

// DefaultHold is how long a person holds a key who just presses it.
const DefaultHold = 90 * time.Millisecond

// bounce is how short a touch must be to be no press: the key's contact lets go inside the first frame.
const bounce = 20 * time.Millisecond

// MaxHold is the longest that a key can be held on the stage.
const MaxHold = 20 * time.Second

// Press pushes a key of a handset and lets it go after hold (0 is DefaultHold). The frames go on the air from now on.
func (s *Stage) Press(handset, key string, hold time.Duration) error {
	return s.press(handset, key, hold, false)
}

// PressFar is Press from the far end of the room: little arrives, and what arrives is broken.
func (s *Stage) PressFar(handset, key string, hold time.Duration) error {
	return s.press(handset, key, hold, true)
}

func (s *Stage) press(handset, key string, hold time.Duration, far bool) error {
	if hold <= 0 {
		hold = DefaultHold
	}
	hold = min(hold, MaxHold)
	s.mu.Lock()
	defer s.mu.Unlock()
	var names []string
	for _, h := range s.handsets {
		if h.Slug != handset {
			names = append(names, h.Slug)
			continue
		}
		var keys []string
		for i := range h.Keys {
			if h.Keys[i].Name == key {
				if push := h.Keys[i].push; push != nil {
					s.at(s.Now(), func(now time.Duration) {
						push(now)
						s.tell(h.Keys[i].of)
					})
					return nil
				}
				s.play(h, &h.Keys[i], hold, far)
				return nil
			}
			keys = append(keys, h.Keys[i].Name)
		}
		return fmt.Errorf("%w: %s has no %q, only %s", ErrUnknownKey, handset, key, strings.Join(keys, ", "))
	}
	return fmt.Errorf("%w: %q; there are %s", ErrUnknownHandset, handset, strings.Join(names, ", "))
}

// play sends the frames of one press, each as an emission of its own. A handset that is still busy goes on first.
func (s *Stage) play(h *Handset, k *HandsetKey, hold time.Duration, far bool) {
	first, then := k.first, k.then
	if k.fresh != nil {
		first, then = k.fresh()
	}
	s.presses++
	unheard := s.faults.Unheard > 0 && s.presses%s.faults.Unheard == 0
	start := max(s.Now(), h.held) + time.Millisecond
	t := start
	for n := 0; n < h.least || t-start < hold; n++ {
		runs := first
		if n > 0 {
			if then == nil {
				break
			}
			runs = then
		}
		if hold < bounce {
			runs = cutAt(runs, int(hold/time.Microsecond))
		}
		e := emission{start: t, runs: s.imperfect(h, runs), hz: h.Hz, strength: h.strength, unheard: unheard}
		if far {
			e.runs, e.strength = s.fade(e.runs), h.strength*distance
		}
		at := t
		s.at(at, func(time.Duration) { s.air[h.Medium].emit(e) })
		t = e.end()
		if hold < bounce {
			break
		}
	}
	h.held = t
}

// cutAt is the beginning of a frame, so many µs of it, with a silence after it.
func cutAt(runs []int, us int) []int {
	const silence = 60_000
	for i, d := range runs {
		if us -= d; us <= 0 {
			out := append([]int{}, runs[:i+1]...)
			if i%2 == 1 {
				out = out[:i]
			}
			return append(out, silence)
		}
	}
	return runs
}

// imperfect is what the handset makes of a clean frame: clock error, jitter, and breaks when its battery is weak.
func (s *Stage) imperfect(h *Handset, clean []int) []int {
	out := make([]int, len(clean))
	before := 0.0
	for i, d := range clean {
		after := s.random.NormFloat64() * h.jitter
		out[i] = max(int(float64(d)*h.clock+after-before), 30)
		before = after
	}
	if h.weak && s.random.Float64() < 0.3 { // the voltage drops under a mark: it breaks in two
		i := 2 * s.random.IntN(len(out)/2)
		if part := out[i] / 3; part >= 60 {
			broken := append([]int{}, out[:i]...)
			broken = append(broken, part, out[i]-2*part, part)
			out = append(broken, out[i+1:]...)
		}
	}
	return out
}

// distance is what is left of a handset's strength at the far end of the room.
const distance = 0.2

// fade breaks every third mark of a signal that is too weak, and blurs all edges.
func (s *Stage) fade(runs []int) []int {
	var out []int
	for i, d := range runs {
		d = max(d+int(s.random.NormFloat64()*90), 60)
		if i%6 == 2 && d > 300 {
			out = append(out, d/3, d/3, d/3)
			continue
		}
		out = append(out, d)
	}
	return out
}

// Handsets lists the handsets.
func (s *Stage) Handsets() []*Handset { return s.handsets }

// WeakBattery says whether the handset's battery is near its end.
func (h *Handset) WeakBattery() bool { return h.weak }

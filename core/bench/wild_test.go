package bench

import (
	"math"
	"math/rand/v2"
	"strings"

	"urbo/core/line"
	"urbo/core/signal"
)

// wild is a made-up handset: a line code that no sheet describes, with all that handsets do around their bits.
type wild struct {
	style  Style
	pairs  [2][2]int // units of zero and one; of biphase not used
	unit   float64   // µs
	lead   []float64 // units, mark first
	pre    int       // pairs of one unit each before the lead
	blocks []int     // bits of each
	pauses []float64 // µs between them
	stop   bool      // a mark ends a block
	frames int
	gap    float64 // µs
	toggle int     // bit that is another one in every second frame, -1 for none
	count  int     // bits of a counter at the end of the frame
	once   bool    // the first frame has another bit
}

func pick[T any](rng *rand.Rand, of ...T) T { return of[rng.IntN(len(of))] }

func newWild(rng *rand.Rand) wild {
	w := wild{toggle: -1, unit: 150 * math.Pow(6, rng.Float64()), frames: 2 + rng.IntN(5),
		gap: 8000 + 50_000*rng.Float64()}
	switch w.style = pick(rng, Distance, Distance, Width, Ratio, Ratio, Biphase); w.style {
	case Distance:
		a, b := 1+rng.IntN(2), 1+rng.IntN(2)
		w.pairs, w.stop = [2][2]int{{a, b}, {a, b + 1 + rng.IntN(3)}}, true
		if a == 2 && w.pairs[0][1]%2 == 0 && w.pairs[1][1]%2 == 0 {
			w.pairs[1][1]++
		}
	case Width:
		a, b := 1+rng.IntN(2), 1+rng.IntN(2)
		w.pairs = [2][2]int{{b, a}, {b + 1 + rng.IntN(2), a}}
		if a == 2 && w.pairs[0][0]%2 == 0 && w.pairs[1][0]%2 == 0 {
			w.pairs[1][0]++
		}
	case Ratio:
		long := 2 + rng.IntN(3)
		w.pairs, w.stop = [2][2]int{{1, long}, {long, 1}}, rng.IntN(3) > 0
	}
	w.gap = max(w.gap, 20*w.unit)
	bits := 12 + rng.IntN(37)
	if rng.IntN(6) == 0 {
		bits += 40
	}
	if w.style == Ratio && w.stop {
		bits -= bits % 4
	} else if w.style == Ratio && (bits-1)%4 == 0 {
		bits++
	}
	w.blocks = []int{bits}
	if rng.IntN(5) == 0 && w.style != Biphase && (w.style != Width || w.stop) {
		w.blocks = append(w.blocks, 12+4*rng.IntN(6))
		w.pauses = append(w.pauses, pick(rng, 12*w.unit, 20*w.unit, max(8000, 14*w.unit)))
	}
	for _, us := range w.pauses {
		w.gap = max(w.gap, 1.5*us)
	}
	switch kind := rng.IntN(4); {
	case kind == 0:
	case kind == 1 && w.style != Biphase:
		longest := max(w.pairs[0][1], w.pairs[1][1])
		w.pre, w.lead = 4+rng.IntN(9), []float64{1, float64(longest + 2 + rng.IntN(5))}
	default:
		w.lead = []float64{float64(6 + rng.IntN(11)), float64(3 + rng.IntN(6))}
	}
	if w.style == Biphase && w.lead == nil && rng.IntN(2) == 0 {
		w.lead = []float64{6, 3}
	}
	return w
}

// press is one push of a key: what a receiver hears of it.
type press struct {
	jitter  float64 // σ, µs
	stretch float64 // µs
	clock   float64
	damage  string // "", glitches, cut, noise
}

func (w wild) bits(rng *rand.Rand) string {
	n := 0
	for _, b := range w.blocks {
		n += b
	}
	for {
		bits := randomBits(rng, n)
		if w.style == Biphase {
			return "1" + bits[1:]
		}
		at, ok := 0, true
		for _, b := range w.blocks { // both values, and not a preamble alone
			block := bits[at : at+b]
			ok = ok && strings.Contains(block[:6], "1") && strings.Contains(block[:6], "0")
			at += b
		}
		if ok {
			return bits
		}
	}
}

// vary lets a handset have a toggle, a counter, or a first frame that is sent once; "" is none of them.
func (w *wild) vary(rng *rand.Rand, what, bits string) {
	switch what {
	case "toggle":
		w.toggle = 3 + rng.IntN(len(bits)-6)
	case "counter":
		w.count = 2
	case "once":
		w.once = true
	}
}

// sends lists the bits of each frame of a press: what varies goes on from turn.
func (w wild) sends(bits string, turn int) []string {
	out := make([]string, w.frames)
	for f := range out {
		b := []byte(bits)
		if w.toggle >= 0 && (f+turn)%2 == 1 {
			b[w.toggle] ^= 1
		}
		for k := range w.count {
			b[len(b)-2-k] = '0' + byte((f+turn)>>k&1)
		}
		if w.once && f == 0 {
			b[2] ^= 1
		}
		out[f] = string(b)
	}
	return out
}

// frame is the durations of a frame in µs.
func (w wild) frame(bits string) []float64 {
	var out []float64
	push := func(mark bool, us float64) {
		switch n := len(out); {
		case n == 0 && !mark:
		case n > 0 && mark == (n%2 == 1):
			out[n-1] += us
		default:
			out = append(out, us)
		}
	}
	for range w.pre {
		push(true, w.unit)
		push(false, w.unit)
	}
	for i, u := range w.lead {
		push(i%2 == 0, u*w.unit)
	}
	for k, n := range w.blocks {
		if k > 0 {
			push(false, w.pauses[k-1])
		}
		for _, b := range bits[:n] {
			if w.style == Biphase {
				push(b == '0', w.unit)
				push(b == '1', w.unit)
				continue
			}
			p := w.pairs[b-'0']
			push(true, float64(p[0])*w.unit)
			push(false, float64(p[1])*w.unit)
		}
		if w.stop {
			push(true, float64(min(w.pairs[0][0], w.pairs[1][0]))*w.unit)
		}
		bits = bits[n:]
	}
	if len(out)%2 == 0 {
		out = out[:len(out)-1]
	}
	return out
}

// hear is a press as a receiver delivers it.
func (w wild) hear(rng *rand.Rand, frames []string, p press) []signal.Reception {
	var flat []float64
	for f, bits := range frames {
		frame := w.frame(bits)
		if p.damage == "cut" && f == 0 && len(frames) > 2 {
			frame = frame[2*rng.IntN(len(frame)/3):]
		}
		if p.damage == "cut" && f == len(frames)-1 && len(frames) > 2 {
			frame = frame[:len(frame)-2*rng.IntN(len(frame)/3)]
		}
		for i, us := range frame {
			d := us*p.clock + p.stretch*float64(1-i%2*2) + rng.NormFloat64()*p.jitter
			if i == 0 {
				d -= 60 * rng.Float64()
			}
			d = max(d, 25)
			if p.damage == "glitches" && rng.Float64() < 0.012 && d > 150 {
				at := d * (0.2 + 0.6*rng.Float64())
				tiny := 20 + 40*rng.Float64()
				flat = append(flat, at, tiny, max(d-at-tiny, 20))
				continue
			}
			flat = append(flat, d)
		}
		gap := w.gap * p.clock
		if p.damage != "noise" || f == len(frames)-1 {
			flat = append(flat, gap)
			continue
		}
		flat = append(flat, max(0.2*gap, 9*w.unit))
		for gap -= flat[len(flat)-1]; gap > 3000; {
			a, b := 30+400*rng.Float64(), 60+3000*rng.Float64()*rng.Float64()
			flat = append(flat, a, b)
			gap -= a + b
		}
	}
	ints := make([]int, len(flat))
	for i, d := range flat {
		ints[i] = int(d)
	}
	return signal.Split(ints, signal.UnknownGap)
}

// pressAt is a push heard at a level of noise: low, usual or harsh.
func pressAt(rng *rand.Rand, level string, unit float64) press {
	p := press{clock: 0.98 + 0.04*rng.Float64()}
	side := 2*rng.Float64() - 1
	switch level {
	case "low":
		p.jitter, p.stretch = 8, 25*side
	case "usual":
		p.jitter, p.stretch = min(20, 0.06*unit), min(60, 0.2*unit)*side
	default:
		p.jitter, p.stretch = 0.1*unit, min(100, 0.25*unit)*side
	}
	return p
}

// line1 compiles the sheet of a structure.
func line1(s Structure) (*line.Sheet, error) {
	return line.ParseSheet("found.yaml", []byte(s.Sheet("found", On{line.Infrared, 38_000})))
}

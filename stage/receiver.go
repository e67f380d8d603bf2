package stage

import "time"

// Receiver is a simulated receiver module. It delivers trains as a station would: ended by 20 ms of silence.
type Receiver struct {
	Medium Medium
	Hz     int // what it is tuned to
	Width  int // how far off it still hears
	// Stretch is what it adds to marks and takes from spaces, in µs.
	Stretch int
	// Silence ends a train; 0 is 20 ms. A shorter one cuts presses into more trains.
	Silence time.Duration
	// Inverts is a module that delivers spaces as marks.
	Inverts bool
}

// Heard is one train as a receiver delivers it.
type Heard struct {
	At       time.Duration // stage time of the first edge
	Train    []int         // µs, mark first, odd length
	Gap      int           // µs of silence seen after it
	Strength float64       // 0 to 1
}

// trainSilence is the silence that ends a train, and trainLimit the most durations in one.
const (
	trainSilence = 20 * time.Millisecond
	trainLimit   = 4095
)

// Receive puts a receiver on the stage. heard is called from the stage's goroutine, with the stage locked: it must
// not block or call the stage.
func (s *Stage) Receive(r Receiver, heard func(Heard)) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if r.Silence == 0 {
		r.Silence = trainSilence
	}
	e := &ear{Receiver: r, stage: s, heard: heard}
	s.air[r.Medium].listeners = append(s.air[r.Medium].listeners, listener{hz: r.Hz, width: r.Width, receiver: true,
		hear: e.hear})
}

// ear collects what a receiver hears into trains.
type ear struct {
	Receiver
	stage   *Stage
	heard   func(Heard)
	pending Heard
	end     time.Duration // stage time of the last edge of pending
}

func (e *ear) hear(at time.Duration, runs []int, strength float64) {
	runs = e.distort(runs)
	if gap := at - e.end; len(e.pending.Train) > 0 && gap >= e.Silence {
		e.flush(int(gap / time.Microsecond))
	} else if len(e.pending.Train) > 0 {
		e.bridge(int(gap / time.Microsecond))
	}
	if len(e.pending.Train) == 0 {
		e.pending = Heard{At: at}
		if e.Medium == Radio {
			e.pending.Train = e.noise(15_000)
			e.pending.At -= time.Duration(sum(e.pending.Train)) * time.Microsecond
		}
	}
	e.pending.Strength = max(e.pending.Strength, strength)
	for i, d := range runs {
		if i%2 == 1 && d >= int(e.Silence/time.Microsecond) || len(e.pending.Train) >= trainLimit {
			e.end = at
			e.flushLater(d)
			at += time.Duration(d) * time.Microsecond
			e.pending = Heard{At: at, Strength: strength}
			continue
		}
		e.pending.Train = append(e.pending.Train, d)
		at += time.Duration(d) * time.Microsecond
		if i%2 == 0 {
			e.end = at
		}
	}
	if n := len(e.pending.Train); n > 0 && n%2 == 0 { // the space at the end belongs to the silence
		e.pending.Train = e.pending.Train[:n-1]
	}
	wait := e.end
	e.stage.at(e.end+e.Silence, func(time.Duration) {
		going := e.stage.air[e.Medium].began(e.end+e.Silence, e.Hz, e.Width)
		if len(e.pending.Train) > 0 && e.end == wait && !going {
			e.flush(int(e.Silence / time.Microsecond))
		}
	})
}

// bridge fills the space between two emissions of one train; a radio receiver hears noise in it.
func (e *ear) bridge(gap int) {
	gap = max(gap, 30)
	if e.Medium == Infrared || gap < 1500 {
		e.pending.Train = append(e.pending.Train, gap)
		return
	}
	e.pending.Train = append(append(e.pending.Train, 400), e.noise(gap-400)...)
}

func (e *ear) flush(gap int) {
	if out := e.take(gap); len(out.Train) > 0 {
		e.heard(out)
	}
}

// flushLater delivers what is pending once the silence after it is long enough: of an emission with several trains all
// is known when it begins.
func (e *ear) flushLater(gap int) {
	out := e.take(gap)
	if len(out.Train) > 0 {
		e.stage.at(e.end+min(time.Duration(gap)*time.Microsecond, e.Silence), func(time.Duration) { e.heard(out) })
	}
}

// take is the train that is pending, with the silence after it.
func (e *ear) take(gap int) Heard {
	out := e.pending
	e.pending = Heard{}
	out.Gap = gap
	if len(out.Train) > 0 {
		if e.Medium == Radio {
			out.Train = append(out.Train, 150)
			out.Train = append(out.Train, e.noise(10_000)...)
			out.Train = out.Train[:len(out.Train)-1]
		}
		if e.Inverts { // it begins in what was the silence before, and ends in the one after
			out.Train = append(append([]int{idle}, out.Train...), idle)
			out.At -= idle * time.Microsecond
		}
	}
	return out
}

// idle is how long in µs a receiver that inverts shows the silence around a train.
const idle = 250

// Gain of infrared modules: marks load it, spaces let it rest, and beyond easy each further easy shortens marks by
// fade.
const (
	gainEasy = 15_000 // µs
	gainFade = 25     // µs
	gainMost = 60     // µs
)

// distort lengthens marks at the cost of spaces, gets the first mark after silence wrong, and shortens marks when long
// bursts have turned the gain down, as modules do.
func (e *ear) distort(clean []int) []int {
	out := make([]int, len(clean))
	load := 0
	for i, d := range clean {
		stretch := e.Stretch
		if e.Medium == Infrared {
			stretch -= min(max(load-gainEasy, 0)*gainFade/gainEasy, gainMost)
		}
		if i%2 == 0 {
			out[i] = max(d+stretch, 30)
			load += d
		} else {
			out[i] = max(d-stretch, 30)
			load = max(load-d/2, 0)
		}
	}
	out[0] = max(out[0]+e.stage.random.IntN(180)-90, 40)
	return out
}

// noise is what a radio receiver delivers without a signal: short pulses for so many µs, mark first, even length.
func (e *ear) noise(us int) []int {
	var out []int
	for us > 0 || len(out)%2 == 1 {
		d := 40 + int(e.stage.random.ExpFloat64()*220)
		out = append(out, d)
		us -= d
	}
	return out
}

func sum(ds []int) int {
	total := 0
	for _, d := range ds {
		total += d
	}
	return total
}

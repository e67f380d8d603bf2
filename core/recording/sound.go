package recording

import (
	"math"
	"slices"

	"urbo/core/signal"
)

// Bounds of what of a sound is looked at together.
const (
	soundSegment = 10.0    // s
	liveSegment  = 1.0     // s, of what is heard now
	mostSamples  = 4 << 20 // of a segment
	mostSoundHz  = 400_000 // samples a second: what is faster is no sound card
	soundRate    = 44_000  // to which higher rates are averaged
	leastQuality = 0.5     // of what is claimed
	surely       = 0.97
	leastOfFew   = 14.0 // by which that is more, divided by the edges: a few agree by chance
	goodQuality  = 0.93 // of what a simple cut found: then it is not looked at more closely
)

// ear finds keyed signals in what a sound card recorded: with its coupling, its gain control, hum and noise. It looks
// at segments of ten seconds, in which it finds where anything is keyed at all (islands), and in each of those the path
// of two levels that explains it best.
type ear struct {
	rate  float64
	step  float64 // the smallest difference of two samples
	x     []float32
	start float64 // µs of x[0]
	found []found
	tones []span // that sound, where nothing is keyed
	// segment is how many seconds are looked at together.
	segment float64
	next    int // samples at which it is looked again
}

// found is a press that was found in one way, and how well it holds together.
type found struct {
	Press
	end     float64 // µs
	quality float64
	edges   int
}

// span is a part of time, in µs.
type span struct{ from, to float64 }

func newEar(rate, step float64) *ear {
	e := &ear{rate: rate, step: step}
	e.wait(soundSegment)
	return e
}

// wait says how many seconds are looked at together.
func (s *ear) wait(seconds float64) {
	s.segment, s.next = seconds, int(seconds*s.rate)
}

// most is how many samples are kept: then what goes on is cut.
func (s *ear) most() int { return int(min(soundSegment*s.rate, mostSamples)) }

// add takes samples, and looks at a segment where there are enough of them.
func (s *ear) add(x []float32) {
	s.x = append(s.x, x...)
	if len(s.x) >= min(s.next, s.most()) {
		s.look(false)
	}
}

// look finds what is in the segment. What goes on at its end is kept for the next one.
func (s *ear) look(last bool) {
	us := 1e6 / s.rate
	keep := s.examine(last)
	s.start += float64(keep) * us
	s.x = append(s.x[:0], s.x[keep:]...)
	s.next = len(s.x) + int(s.segment*s.rate)
}

// examine looks at the samples that are there, and says how many of them are done with.
func (s *ear) examine(last bool) int {
	x, rate := s.x, s.rate
	if hz := toneOf(x, rate); hz > 0 {
		x = envelope(x, rate, hz)
	}
	by := max(int(rate/soundRate+0.01), 1)
	x = averaged(x, by)
	rate /= float64(by)
	x, islands := islandsOf(x, rate, s.step/math.Sqrt(float64(by)))
	done := len(s.x)
	for i, in := range islands {
		if !last && i == len(islands)-1 && float64(len(x)-in.to) < 0.1*rate && len(s.x) < s.most() {
			return in.from * by // it may go on
		}
		s.read(x, rate, in)
	}
	if !last { // an island may begin at the end
		done -= min(int(islandMargin*s.rate), len(s.x)/2)
	}
	return done
}

func averaged(x []float32, by int) []float32 {
	if by == 1 {
		return x
	}
	out := make([]float32, len(x)/by)
	for i := range out {
		sum := float32(0)
		for _, v := range x[i*by : (i+1)*by] {
			sum += v
		}
		out[i] = sum / float32(by)
	}
	return out
}

// read keeps the press that an island is.
func (s *ear) read(x []float32, rate float64, in island) {
	x = x[in.from:in.to]
	runs, quality := in.levels(x, rate)
	at := s.start + float64(in.from)*1e6/rate
	if !abrupt(x, rate, runs) {
		s.tones = append(s.tones, span{at, at + float64(len(x))*1e6/rate})
		return
	}
	if f, ok := pressOfRuns(runs, quality, at); ok {
		s.keep(f)
	}
}

// pressOfRuns makes a press of levels over time that begin at a time in µs. It is false where they are none.
func pressOfRuns(runs []run, quality, at float64) (found, bool) {
	if !believable(quality, len(runs)) {
		return found{}, false
	}
	idle := silentLevel(runs)
	for len(runs) > 0 && runs[0].level == idle {
		at += runs[0].us
		runs = runs[1:]
	}
	for len(runs) > 0 && runs[len(runs)-1].level == idle {
		runs = runs[:len(runs)-1]
	}
	if len(runs) == 0 || len(runs) >= signal.MaxDurations {
		return found{}, false
	}
	flat := make([]int, len(runs), len(runs)+1)
	end, rounded := at, at
	for i, r := range runs {
		end += r.us
		flat[i] = max(int(math.Round(end-rounded)), 1)
		rounded += float64(flat[i])
	}
	f := found{Press: Press{At: int64(at), Trains: signal.Split(append(flat, 1), signal.UnknownGap)}, end: end,
		quality: quality, edges: len(runs)}
	f.Trains[len(f.Trains)-1].Gap = 0
	return f, true
}

// keep adds a press, to the one before where they belong together.
func (s *ear) keep(f found) {
	if n := len(s.found); n > 0 {
		last := &s.found[n-1]
		if apart := float64(f.At) - last.end; apart > 0 && apart < signal.PressSilence &&
			math.Abs(float64(f.OffsetHz-last.OffsetHz)) < sameCarrier {
			last.Trains[len(last.Trains)-1].Gap = int(apart)
			last.Trains = append(last.Trains, f.Trains...)
			last.end, last.edges, last.quality = f.end, last.edges+f.edges, min(last.quality, f.quality)
			return
		}
	}
	s.found = append(s.found, f)
}

// believable says whether something is a signal, by how well it holds together and how many edges it has.
func believable(quality float64, edges int) bool {
	return edges >= fewestEdges && quality >= min(leastQuality+leastOfFew/float64(edges), surely)
}

// silentLevel is the level of silence: the one with most time in long runs and at the ends.
func silentLevel(runs []run) bool {
	const long, most, ends = 4700, 30_000, 20_000
	var time [2]float64
	of := func(level bool) *float64 {
		if level {
			return &time[1]
		}
		return &time[0]
	}
	for _, r := range runs {
		if r.us > long {
			*of(r.level) += min(r.us, most)
		}
	}
	*of(runs[0].level) += ends
	*of(runs[len(runs)-1].level) += ends
	return time[1] > time[0]
}

// consistency is 0 to 1: how many of the marks and of the spaces fall into a few widths, less what is too short to be
// either.
func consistency(runs []run) float64 {
	const longest, tiny, widths = 6000, 150, 4
	if len(runs) < fewestEdges || steady(runs) {
		return 0
	}
	good, all := 0.0, 0.0
	for _, level := range []bool{false, true} {
		var us []float64
		for _, r := range runs {
			if r.level == level && r.us < longest {
				us = append(us, r.us)
				if r.us < tiny {
					good -= 2
				}
			}
		}
		all += float64(len(us))
		slices.Sort(us)
		for range widths {
			from, to := commonest(us)
			if float64(to-from) < max(2, 0.02*float64(len(us))) {
				break
			}
			good += float64(to - from)
			us = slices.Delete(us, from, to)
		}
	}
	return good / max(all, 1)
}

// commonest is where in sorted durations most of them are alike.
func commonest(us []float64) (from, to int) {
	const share, blur = 0.06, 35
	lo, hi := 0, 0
	for _, v := range us {
		tolerance := max(blur, share*v)
		for us[lo] < v-tolerance {
			lo++
		}
		for hi < len(us) && us[hi] <= v+tolerance {
			hi++
		}
		if hi-lo > to-from {
			from, to = lo, hi
		}
	}
	return from, to
}

// steady says whether runs hardly ever change, or nearly all are alike: a tone, a clock, a melody.
func steady(runs []run) bool {
	const same, share, shareOfOne, shareOfEven, alike, even, least = 0.2, 0.04, 0.08, 0.2, 0.8, 0.6, 3
	changes, pairs := 0, 0
	us := make([]float64, len(runs))
	for i, r := range runs {
		us[i] = r.us
		if i >= 2 && math.Abs(r.us-us[i-2]) > same*max(r.us, us[i-2]) {
			changes++
		}
		if i > 0 && math.Abs(r.us-us[i-1]) <= same*max(r.us, us[i-1]) {
			pairs++
		}
	}
	slices.Sort(us)
	middle, near := us[len(us)/2], 0
	for _, v := range us {
		if math.Abs(v-middle) < 0.6*same*middle {
			near++
		}
	}
	n := float64(len(runs))
	c := float64(changes)
	return c < max(share*n, least) || float64(pairs) > even*n && c < shareOfEven*n ||
		float64(near) > alike*n && c < shareOfOne*n
}

// quality is the consistency of a press.
func (p Press) quality() (quality float64, edges int) {
	var runs []run
	for _, t := range p.Trains {
		for i, us := range t.Train {
			runs = append(runs, run{i%2 == 0, float64(us)})
		}
		runs = append(runs, run{false, float64(max(t.Gap, signal.UnknownGap))})
	}
	return consistency(runs), len(runs)
}

func (p Press) end() float64 { return float64(p.At) + float64(signal.Lasts(p.Trains)) }

package recording

import (
	"fmt"
	"math"
	"slices"
)

// Bounds of the looks at a band.
const (
	lookTime     = 0.4e-3  // s of samples of one look
	lookEvery    = 8       // of so many is looked at
	lookRing     = 8 << 20 // samples that are kept, of two bytes each
	lookKept     = 3.0     // s that they last at most
	activeOver   = 25      // times the floor of a bin
	sameCarrier  = 8e3     // Hz around a carrier
	carrierApart = 16e3    // Hz between two that are told apart
	mostCarriers = 12      // at once
	carrierEnds  = 0.15    // s without it
	fewestLooks  = 3       // that a carrier was seen in
	radioMargin  = 0.06    // s around what is taken out
	floorStep    = 1.06    // by which a floor moves with each look
	lowestFloor  = 1e-6    // never nothing: it has to rise again
)

// waterfall looks at the spectrum of a band over time, and takes out what is keyed on each carrier: presses of several
// handsets at once, and those far below the noise of the whole band.
type waterfall struct {
	rate   float64
	centre float64 // Hz that the radio is tuned to; 0 where that is not known
	size   int     // samples of a look, a power of two
	fft    *fourier
	window []float32
	z      []complex64 // of a look
	power  []float32
	active []bool
	ring   []byte // pairs of values of 8 bits, signed
	at     int64  // samples that came
	looked int64  // sample of the next look
	floor  []float32
	middle float32 // of the floors, as it was a while ago
	looks  int
	open   []*carrier
	mixed  []complex64 // of the channel that is looked at
	out    *ear        // gets what is found
	notes  func(string)
	quiet  float32 // what the smallest step of the samples gives in a bin
}

// carrier is a frequency on which something is sent.
type carrier struct {
	hz, weight  float64 // sum of frequencies by power, and of the powers
	power       float64 // most in one look
	looks       int
	first, last int64 // samples
	shifted     bool  // it is one of two between which a signal changes
}

func (c *carrier) overlaps(o *carrier) bool { return c.first < o.last && o.first < c.last }

func (c *carrier) frequency() float64 { return c.hz / c.weight }

func newWaterfall(rate, centre float64, out *ear, notes func(string)) *waterfall {
	w := &waterfall{rate: rate, centre: centre, out: out, notes: notes}
	w.size = max(1<<int(math.Round(math.Log2(rate*lookTime))), 16)
	w.ring = make([]byte, 2*int(min(lookKept*rate, lookRing)))
	w.fft = newFourier(w.size)
	w.window, w.z = make([]float32, w.size), make([]complex64, w.size)
	w.power, w.active = make([]float32, w.size), make([]bool, w.size)
	for i := range w.window {
		w.window[i] = float32(0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(w.size)))
		w.quiet += w.window[i] * w.window[i] / 60
	}
	return w
}

// add takes samples: pairs of values in steps of a 127th of full scale.
func (w *waterfall) add(pairs []byte) {
	for len(pairs) > 0 {
		at := int(w.at%int64(len(w.ring)/2)) * 2
		n := copy(w.ring[at:], pairs[:min(len(pairs), 2*w.size)])
		pairs = pairs[n:]
		w.at += int64(n / 2)
		for w.at >= w.looked+int64(w.size) {
			w.look()
			w.looked += int64(lookEvery * w.size)
		}
	}
}

// look finds the carriers of one look.
func (w *waterfall) look() {
	at := int(w.looked%int64(len(w.ring)/2)) * 2
	place := w.fft.place[:len(w.window)]
	for i, h := range w.window {
		w.z[place[i]] = complex(float32(int8(w.ring[at]))*h, float32(int8(w.ring[at+1]))*h)
		if at += 2; at == len(w.ring) {
			at = 0
		}
	}
	w.fft.transform(w.z)
	for k, z := range w.z {
		w.power[k] = real(z)*real(z) + imag(z)*imag(z)
	}
	if w.floor == nil {
		w.middle = middleOf(w.power)
		w.floor = slices.Clone(w.power)
		for k := range w.floor {
			w.floor[k] = min(w.floor[k], 2*w.middle)
		}
	}
	const middleEvery = 64
	if w.looks++; w.looks%middleEvery == 0 {
		w.middle = middleOf(w.floor)
	}
	least := max(w.middle/2, w.quiet)
	any := false
	moves := [2]float32{1 / floorStep, floorStep}
	floors, active := w.floor[:len(w.power)], w.active[:len(w.power)]
	for k, p := range w.power {
		floor := floors[k]
		over := p > activeOver*floor && p > activeOver*least
		active[k] = over
		any = any || over
		// Noise lies over its floor as often as not, so that a branch here would cost as much as the transform.
		rises := int32(math.Float32bits(floor)-math.Float32bits(p)) >> 31 & 1 // neither is below nothing
		floors[k] = max(floor*moves[rises], lowestFloor)
	}
	if any {
		const own = 2 // bins beside the centre that are the receiver's own
		for k := -own; k <= own; k++ {
			w.active[(k+w.size)%w.size] = false
		}
		w.follow()
	}
	w.close(false)
}

func middleOf(x []float32) float32 { return slices.Sorted(slices.Values(x))[len(x)/2] }

// hz is the frequency of a bin, from the centre.
func (w *waterfall) hz(bin int) float64 {
	if bin > w.size/2 {
		bin -= w.size
	}
	return float64(bin) * w.rate / float64(w.size)
}

// follow gives what is active to carriers, the strongest first.
func (w *waterfall) follow() {
	power := w.power
	var bins []int
	for k, is := range w.active {
		if is {
			bins = append(bins, k)
		}
	}
	slices.SortFunc(bins, func(a, b int) int {
		if power[a] > power[b] {
			return -1
		}
		return 1
	})
	taken := []float64{}
	for _, k := range bins {
		hz := w.hz(k)
		if slices.ContainsFunc(taken, func(o float64) bool { return math.Abs(o-hz) < carrierApart }) {
			continue
		}
		taken = append(taken, hz)
		i := slices.IndexFunc(w.open, func(c *carrier) bool { return math.Abs(c.frequency()-hz) < sameCarrier })
		if i < 0 {
			if len(w.open) >= mostCarriers {
				continue
			}
			i = len(w.open)
			w.open = append(w.open, &carrier{first: w.looked})
		}
		c := w.open[i]
		c.hz += hz * float64(power[k])
		c.weight += float64(power[k])
		c.power = max(c.power, float64(power[k]))
		c.looks++
		c.last = w.looked + int64(w.size)
		if len(taken) == mostCarriers {
			return
		}
	}
}

// close takes out what carriers have sent that are over, and with them all others that sent at the same time. With
// last, all are.
func (w *waterfall) close(last bool) {
	now := w.at
	kept := int64(len(w.ring)/2) - int64(2*radioMargin*w.rate)
	isOver := func(c *carrier) bool {
		return last || float64(now-c.last) >= carrierEnds*w.rate || now-c.first >= kept
	}
	var over []*carrier
	w.open = slices.DeleteFunc(w.open, func(c *carrier) bool {
		waits := slices.ContainsFunc(w.open, func(o *carrier) bool { return o.overlaps(c) && !isOver(o) })
		if !isOver(c) || waits && now-c.first < kept {
			return false
		}
		if c.looks >= fewestLooks {
			over = append(over, c)
		}
		return true
	})
	slices.SortFunc(over, func(a, b *carrier) int {
		if a.power > b.power {
			return -1
		}
		return 1
	})
	var taken []found
	for i, c := range over {
		// What is far weaker than another one at the same time is its image, or its edges.
		const image = 300
		if c.shifted || slices.ContainsFunc(over[:i], func(o *carrier) bool {
			return c.overlaps(o) && (c.power < o.power/image || o.shifted && c.power < o.power/10)
		}) {
			continue
		}
		if w.shifts(c, over[i+1:]) {
			c.shifted = true
			continue
		}
		if f, ok := w.take(c); ok && !slices.ContainsFunc(taken, f.echoes) {
			taken = append(taken, f)
		}
	}
	slices.SortFunc(taken, func(a, b found) int { return int(a.At - b.At) })
	for _, f := range taken {
		w.out.keep(f)
	}
	w.out.start = float64(now) / w.rate * 1e6
	for _, c := range w.open {
		w.out.start = min(w.out.start, float64(c.first)/w.rate*1e6)
	}
}

// echoes says whether a press is the same one as another, beside its frequency.
func (f found) echoes(o found) bool {
	const begin, length = 500, 1500 // µs
	return math.Abs(float64(f.At-o.At)) < begin && math.Abs(f.end-o.end) < length
}

// take finds the press that a carrier sent: as smoothed as holds together best.
func (w *waterfall) take(c *carrier) (found, bool) {
	from := max(c.first-int64(radioMargin*w.rate), w.at-int64(len(w.ring)/2), 0)
	to := min(c.last+int64(radioMargin*w.rate), w.at)
	if to-from < int64(w.size) {
		return found{}, false
	}
	const smear = 0.9 // of a window: what is shorter is the noise's
	best := found{}
	one := w.channel(c.frequency(), from, to)
	for _, seconds := range []float64{100e-6, 200e-6, 350e-6} {
		x, rate := one.level(seconds)
		edges, d, noise := edgesOf(x, rate, 0)
		for _, in := range gathered(len(x), rate, edges, d, noise) {
			if best.quality > goodQuality && in.edges <= best.edges {
				continue // what is left of the noise
			}
			in.steady = true
			in.shortest = smear * seconds
			runs, quality := in.levels(x[in.from:in.to], rate)
			if quality <= best.quality {
				continue
			}
			if f, ok := pressOfRuns(runs, quality, float64(from)/w.rate*1e6+float64(in.from)/rate*1e6); ok {
				f.OffsetHz = int(math.Round(c.frequency()))
				best = f
			}
		}
		if best.quality > goodQuality {
			break
		}
	}
	return best, best.edges > 0
}

// shifts says whether a signal changes between a carrier and another one (frequency-shift keying): one is silent while
// the other sounds. One of them alone would be a perfect on-off code, and mean nothing.
func (w *waterfall) shifts(c *carrier, others []*carrier) bool {
	const least, most, against = 0.4, 2.5, -0.6 // of amplitudes, and of the correlation
	for _, o := range others {
		ratio := math.Sqrt(c.power / o.power)
		from, to := max(c.first, o.first, w.at-int64(len(w.ring)/2)), min(c.last, o.last)
		if !c.overlaps(o) || ratio < least || ratio > most || to-from < int64(4*w.size) {
			continue
		}
		a, _ := w.channel(c.frequency(), from, to).level(100e-6)
		b, _ := w.channel(o.frequency(), from, to).level(100e-6)
		if correlation(a, b) < against {
			o.shifted = true
			w.notes(fmt.Sprintf("At %.2f s a signal changes between two frequencies, %s and %s (frequency-shift "+
				"keying): it is named and not read.", float64(from)/w.rate, w.named(c), w.named(o)))
			return true
		}
	}
	return false
}

// named is the frequency of a carrier for people.
func (w *waterfall) named(c *carrier) string {
	if w.centre == 0 {
		return fmt.Sprintf("%+.0f kHz", c.frequency()/1e3)
	}
	return fmt.Sprintf("%.3f MHz", (w.centre+c.frequency())/1e6)
}

func correlation(a, b []float32) float64 {
	n := float64(len(a))
	var sa, sb, saa, sbb, sab float64
	for i := range a {
		x, y := float64(a[i]), float64(b[i])
		sa, sb, saa, sbb, sab = sa+x, sb+y, saa+x*x, sbb+y*y, sab+x*y
	}
	return (n*sab - sa*sb) / math.Sqrt(max((n*saa-sa*sa)*(n*sbb-sb*sb), 1e-30))
}

// channel is what a band has around one frequency, brought to zero.
type channel struct {
	z    []complex64
	rate float64
	per  float32 // samples of the band in each, times full scale
}

// channel takes a frequency out of the samples from one to another.
func (w *waterfall) channel(hz float64, from, to int64) channel {
	const enough = 250e3 // samples a second, after the frequency was brought to zero
	first := max(int(w.rate/enough), 1)
	w.mixed = slices.Grow(w.mixed[:0], int(to-from)/first)[:int(to-from)/first]
	sin, cos := math.Sincos(-2 * math.Pi * hz / w.rate)
	turn := make([]complex64, first) // of each sample within a group
	groupSin, groupCos := math.Sincos(-2 * math.Pi * hz / w.rate * float64(first))
	re, im := 1.0, 0.0
	for i := range turn {
		turn[i] = complex(float32(re), float32(im))
		re, im = re*cos-im*sin, re*sin+im*cos
	}
	re, im = 1, 0
	at := int(from%int64(len(w.ring)/2)) * 2
	group := make([]byte, 2*first) // one that the ring's end divides
	for i := range w.mixed {
		samples := group
		if at+len(group) <= len(w.ring) {
			samples = w.ring[at : at+len(group)]
		} else {
			copy(group[copy(group, w.ring[at:]):], w.ring)
		}
		at = (at + len(group)) % len(w.ring)
		var sumRe, sumIm float32
		for j, t := range turn {
			x, y := float32(int8(samples[2*j])), float32(int8(samples[2*j+1]))
			sumRe += x*real(t) - y*imag(t)
			sumIm += x*imag(t) + y*real(t)
		}
		w.mixed[i] = complex(sumRe, sumIm) * complex(float32(re), float32(im))
		re, im = re*groupCos-im*groupSin, re*groupSin+im*groupCos
		fix := 1.5 - 0.5*(re*re+im*im) // keeps its length one
		re, im = re*fix, im*fix
	}
	return channel{w.mixed, w.rate / float64(first), 127 * float32(first)}
}

// level is how loud a channel is over time, through a Hann window of so many seconds in steps of a twelfth of it, and
// how many of its values are a second.
func (c channel) level(seconds float64) ([]float32, float64) {
	const parts = 12
	by := max(int(math.Round(seconds*c.rate/parts)), 1)
	var window [parts]float32
	sum := float32(0)
	for i := range window {
		window[i] = float32(0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/parts))
		sum += window[i]
	}
	sums := make([]complex64, len(c.z)/by)
	for i := range sums {
		for _, z := range c.z[i*by : (i+1)*by] {
			sums[i] += z
		}
	}
	if len(sums) <= parts {
		return nil, c.rate / float64(by)
	}
	out := make([]float32, len(sums)-parts)
	scale := 1 / (sum * float32(by) * c.per)
	for i := range out {
		var re, im float32
		for j, z := range sums[i : i+parts] {
			re += window[j] * real(z)
			im += window[j] * imag(z)
		}
		out[i] = float32(math.Sqrt(float64(re*re+im*im))) * scale
	}
	return out, c.rate / float64(by)
}

// fourier is a discrete Fourier transform of a power of two of samples, at least 4, with what it needs worked out once.
type fourier struct {
	place []int32       // where each sample goes before the transform
	turns [][]complex64 // of each stage but the first two
}

func newFourier(n int) *fourier {
	f := &fourier{place: make([]int32, n)}
	for i, j := 1, 0; i < n; i++ {
		bit := n >> 1
		for ; j&bit != 0; bit >>= 1 {
			j ^= bit
		}
		j ^= bit
		f.place[i] = int32(j)
	}
	for half := 4; half < n; half *= 2 {
		turns := make([]complex64, half)
		for k := range turns {
			sin, cos := math.Sincos(-math.Pi * float64(k) / float64(half))
			turns[k] = complex(float32(cos), float32(sin))
		}
		f.turns = append(f.turns, turns)
	}
	return f
}

// transform transforms samples that are in their places.
func (f *fourier) transform(z []complex64) {
	for i := 0; i+3 < len(z); i += 4 { // the first two stages turn by nothing, and by a quarter
		q := z[i : i+4 : i+4]
		a, b, c, d := q[0]+q[1], q[0]-q[1], q[2]+q[3], q[2]-q[3]
		d = complex(imag(d), -real(d))
		q[0], q[1], q[2], q[3] = a+c, b+d, a-c, b-d
	}
	for _, turns := range f.turns {
		half := len(turns)
		for i := 0; i < len(z); i += 2 * half {
			low, high := z[i:i+half:i+half], z[i+half:i+2*half:i+2*half]
			for k, t := range turns {
				h, l := high[k], low[k]
				b := complex(real(h)*real(t)-imag(h)*imag(t), real(h)*imag(t)+imag(h)*real(t))
				low[k], high[k] = l+b, l-b
			}
		}
	}
}

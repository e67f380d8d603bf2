package recording

import "math"

const (
	humPiece     = 2.0   // s in which hum stays as it is
	humBlock     = 32    // samples that are averaged: hum is slow
	humTones     = 9     // of the mains frequency
	humLeast     = 0.08  // s without a key that are enough to find it
	humBefore    = 0.004 // s before an edge that are keyed
	humAfter     = 0.012 // and after it
	humRemainder = 0.5   // of the variance that may be left, for it to be hum
)

// withoutHum takes the hum of the mains out of a sound. It is measured where nothing is keyed. The second result is
// false where there is none.
func withoutHum(x []float32, rate float64, edges []int) ([]float32, bool) {
	keyed := make([]bool, len(x))
	for _, e := range edges {
		for i := max(e-int(humBefore*rate), 0); i < min(e+int(humAfter*rate), len(x)); i++ {
			keyed[i] = true
		}
	}
	out, found := append([]float32(nil), x...), false
	piece := int(humPiece * rate)
	for from := 0; from < len(x); from += piece {
		to := from + piece
		if to+piece/2 > len(x) {
			to = len(x)
		}
		if hum, ok := humOf(x[from:to], keyed[from:to], rate); ok {
			hum.take(out[from:to], rate)
			found = true
		}
		if to == len(x) {
			break
		}
	}
	return out, found
}

// hum is a mains frequency and how much of each of its tones there is.
type hum struct {
	hz     float64
	parts  []float64 // sine and cosine of each tone, and the mean
	remain float64   // of the variance
}

// humOf fits the hum of a piece.
func humOf(x []float32, keyed []bool, rate float64) (hum, bool) {
	var at, level []float64
	for i := 0; i+humBlock <= len(x); i += humBlock {
		sum, free := 0.0, true
		for j := i; j < i+humBlock; j++ {
			sum += float64(x[j])
			free = free && !keyed[j]
		}
		if free {
			at = append(at, (float64(i)+humBlock/2-0.5)/rate)
			level = append(level, sum/humBlock)
		}
	}
	if float64(len(at))*humBlock < humLeast*rate || len(at) < 4*(2*humTones+1) {
		return hum{}, false
	}
	mean, variance := 0.0, 0.0
	for _, v := range level {
		mean += v / float64(len(level))
	}
	for _, v := range level {
		variance += (v - mean) * (v - mean)
	}
	best := hum{remain: math.Inf(1)}
	for _, mains := range []float64{50, 60} {
		for _, off := range []float64{-0.1, -0.05, 0, 0.05, 0.1} {
			if h := fitHum(at, level, mains+off); h.remain < best.remain {
				best = h
			}
		}
	}
	return best, best.remain < humRemainder*variance
}

// waves are the values of the tones at a time.
func waves(hz, t float64, into []float64) []float64 {
	into = into[:0]
	sin, cos := math.Sincos(2 * math.Pi * hz * t)
	s, c := sin, cos
	for range humTones {
		into = append(into, s, c)
		s, c = s*cos+c*sin, c*cos-s*sin
	}
	return append(into, 1)
}

func fitHum(at, level []float64, hz float64) hum {
	const n = 2*humTones + 1
	var a [n][n + 1]float64
	w := make([]float64, 0, n)
	for k, t := range at {
		w = waves(hz, t, w)
		for i := range n {
			for j := i; j < n; j++ {
				a[i][j] += w[i] * w[j]
			}
			a[i][n] += w[i] * level[k]
		}
	}
	for i := range n {
		a[i][i] += 1e-9 * float64(len(at))
		for j := range i {
			a[i][j] = a[j][i]
		}
	}
	for i := range n { // Gauss; the matrix is positive
		for j := i + 1; j < n; j++ {
			f := a[j][i] / a[i][i]
			for k := i; k <= n; k++ {
				a[j][k] -= f * a[i][k]
			}
		}
	}
	h := hum{hz: hz, parts: make([]float64, n)}
	for i := n - 1; i >= 0; i-- {
		v := a[i][n]
		for j := i + 1; j < n; j++ {
			v -= a[i][j] * h.parts[j]
		}
		h.parts[i] = v / a[i][i]
	}
	for k, t := range at {
		d := level[k] - h.at(t, w)
		h.remain += d * d
	}
	return h
}

func (h hum) at(t float64, w []float64) float64 {
	sum := 0.0
	for i, v := range waves(h.hz, t, w) {
		sum += v * h.parts[i]
	}
	return sum
}

// take subtracts the tones, and leaves the mean.
func (h hum) take(x []float32, rate float64) {
	mean := h.parts[2*humTones]
	w := make([]float64, 0, 2*humTones+1)
	for i := range x {
		x[i] -= float32(h.at(float64(i)/rate, w) - mean)
	}
}

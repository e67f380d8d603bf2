package recording

import (
	"math"
	"math/cmplx"
	"slices"
)

// toneOf is the frequency in Hz of a tone above 6 kHz that is keyed, 0 where there is none: the carrier of infrared, or
// the sound of a radio. Steady tones vanish, as what is always there is taken away.
func toneOf(x []float32, rate float64) float64 {
	const n, looks, leastRate, leastHz, around = 4096, 64, 32_000, 6000, 1500
	if rate < leastRate || len(x) < 2*n {
		return 0
	}
	f := newFourier(n)
	var spectra [][]float64
	blocks := len(x) / n
	for i := range min(blocks, looks) {
		spectra = append(spectra, power(f, x[n*(i*blocks/min(blocks, looks)):][:n]))
	}
	over := make([]float64, n/2)
	column := make([]float64, len(spectra))
	for k := range over {
		sum := 0.0
		for i, s := range spectra {
			column[i] = s[k]
			sum += s[k]
		}
		slices.Sort(column)
		over[k] = max(sum/float64(len(spectra))-column[len(column)/10], 0)
	}
	bin := rate / n
	low, width := int(leastHz/bin), max(int(around/bin), 1)
	all, high := 0.0, 0.0
	for k, p := range over {
		if float64(k)*bin > 100 {
			all += p
		}
		if k > low {
			high += p
		}
	}
	best, most := 0, 0.0
	for k := low + 1; k < len(over); k++ {
		sum := 0.0
		for _, p := range over[max(k-width, low+1):min(k+width+1, len(over))] {
			sum += p
		}
		if sum > most {
			best, most = k, sum
		}
	}
	if most == 0 || most < 0.3*all || most < 0.5*high {
		return 0
	}
	hz, sum := 0.0, 0.0
	for k := max(best-width, low+1); k < min(best+width+1, len(over)); k++ {
		hz += float64(k) * bin * over[k]
		sum += over[k]
	}
	return hz / sum
}

// power is the power spectrum of samples, as many as the transform is for.
func power(f *fourier, x []float32) []float64 {
	n := len(x)
	mean := float32(0)
	for _, v := range x {
		mean += v / float32(n)
	}
	z := make([]complex64, n)
	for i, v := range x {
		z[f.place[i]] = complex((v-mean)*float32(0.5-0.5*math.Cos(2*math.Pi*float64(i)/float64(n))), 0)
	}
	f.transform(z)
	out := make([]float64, n/2)
	for k := range out {
		re, im := float64(real(z[k])), float64(imag(z[k]))
		out[k] = re*re + im*im
	}
	return out
}

// envelope is how loud a tone is over time: mixed to zero, and a Hann window of 200 µs.
func envelope(x []float32, rate, hz float64) []float32 {
	mean := 0.0
	for _, v := range x {
		mean += float64(v) / float64(len(x))
	}
	n := max(int(rate*200e-6), 4)
	re, im := make([]float32, len(x)), make([]float32, len(x))
	w, turn := complex(1, 0), cmplx.Rect(1, -2*math.Pi*hz/rate)
	for i, v := range x {
		z := complex(float64(v)-mean, 0) * w
		re[i], im[i] = float32(real(z)), float32(imag(z))
		w *= turn
		if i%1024 == 0 {
			w /= complex(cmplx.Abs(w), 0)
		}
	}
	re, _ = smoothed(re, n)
	im, _ = smoothed(im, n)
	for i := range re {
		re[i] = 2 * float32(math.Hypot(float64(re[i]), float64(im[i])))
	}
	return re
}

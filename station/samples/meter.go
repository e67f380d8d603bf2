package samples

import (
	"encoding/binary"
	"io"
	"math"
)

// meter measures how loud samples are that pass through it.
type meter struct {
	in    io.Reader
	kind  Kind
	every int // samples after which it is said
	say   func(Level)

	odd     []byte // the beginning of a value that is not whole
	values  int
	sum     float64
	peak    float64
	clipped int
	presses int
}

// Read passes samples on.
func (m *meter) Read(p []byte) (int, error) {
	n, err := m.in.Read(p)
	m.take(p[:n])
	return n, err
}

// found counts a press. It is called by the goroutine that reads.
func (m *meter) found() { m.presses++ }

// size is how many bytes one value has, and how many values are a sample.
func (m *meter) size() (bytes, values int) {
	switch m.kind.Datatype {
	case "":
		return 2, 1
	case "ci16_le":
		return 2, 2
	case "cf32_le":
		return 4, 2
	}
	return 1, 2
}

func (m *meter) take(p []byte) {
	size, each := m.size()
	for len(p) > 0 {
		if len(m.odd) > 0 || len(p) < size {
			take := min(size-len(m.odd), len(p))
			m.odd, p = append(m.odd, p[:take]...), p[take:]
			if len(m.odd) == size {
				m.value(m.odd)
				m.odd = m.odd[:0]
			}
			continue
		}
		m.value(p[:size])
		p = p[size:]
	}
	if m.values >= m.every*each && m.values > 0 {
		db := func(v float64) float64 { return 20 * math.Log10(max(v, 1e-6)) }
		m.say(Level{Loud: db(math.Sqrt(m.sum / float64(m.values))), Peak: db(m.peak),
			Clipped: float64(m.clipped) / float64(m.values), Presses: m.presses})
		m.values, m.sum, m.peak, m.clipped, m.presses = 0, 0, 0, 0, 0
	}
}

// value takes one value of a sample.
func (m *meter) value(b []byte) {
	const full = 0.995
	v := 0.0
	switch m.kind.Datatype {
	case "", "ci16_le":
		v = float64(int16(binary.LittleEndian.Uint16(b))) / (1 << 15)
	case "cf32_le":
		v = float64(math.Float32frombits(binary.LittleEndian.Uint32(b)))
		if math.IsNaN(v) || math.IsInf(v, 0) {
			v = 0
		}
	case "ci8":
		v = float64(int8(b[0])) / 128
	default:
		v = (float64(b[0]) - 127.5) / 127.5
	}
	if v = math.Abs(v); v >= full {
		m.clipped++
	}
	m.sum += v * v
	m.peak = max(m.peak, v)
	m.values++
}

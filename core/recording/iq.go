package recording

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
)

// levelRate is about how many levels a second are left after decimation: 4 µs each.
const levelRate = 250e3

// iq reads complex samples. Power is averaged over some samples; its root is the level.
type iq struct {
	r        *Reader
	in       *counter
	datatype string
	size     int // bytes of a complex sample
	every    int // samples for one level
	left     int64
	raw      []byte
	x        []float32
	squares  [256]uint64 // of 8-bit samples, in half steps
	slicer   slicer
	meter    offsetMeter
	end      func() error // after the last sample

	waterfall *waterfall
	ears      *ears
	pairs     []byte
}

var datatypes = map[string]int{"cu8": 2, "ci8": 2, "ci16_le": 4, "cf32_le": 8}

// usual names of datatypes at the end of file names.
var typeOf = map[string]string{"cu8": "cu8", "ci8": "ci8", "cs8": "ci8", "ci16": "ci16_le", "cs16": "ci16_le",
	"cf32": "cf32_le", "fc32": "cf32_le"}

// DatatypeOf guesses the datatype of bare samples from a file's name, "" where it does not say.
func DatatypeOf(name string) string { return typeOf[name[strings.LastIndexByte(name, '.')+1:]] }

func openIQ(r *Reader) (source, error) {
	o := r.options
	if o.Datatype == "" || o.RateHz == 0 {
		return nil, errors.New("samples alone do not say what they are: give the datatype (cu8, ci8, ci16_le, " +
			"cf32_le) and the rate in Hz")
	}
	return newIQ(r, r.in, o.Datatype, o.RateHz, o.FrequencyHz, -1)
}

// newIQ reads samples from in, so many bytes or to the end where left is negative.
func newIQ(r *Reader, in io.Reader, datatype string, rate, frequency float64, left int64) (*iq, error) {
	size := datatypes[datatype]
	switch {
	case size == 0:
		return nil, fmt.Errorf("datatype %.20q: cu8, ci8, ci16_le and cf32_le can be read", datatype)
	case !(rate >= 10e3 && rate <= maxRate):
		return nil, fmt.Errorf("%g samples a second: 10000 to %.0f can be read", rate, maxRate)
	}
	s := &iq{r: r, in: &counter{r: in}, datatype: datatype, size: size, every: max(int(rate/levelRate), 1), left: left}
	s.raw = make([]byte, blockSize*s.every*size)
	s.x = make([]float32, 0, blockSize)
	s.slicer = slicer{out: &r.build, step: 1e6 * float64(s.every) / rate, least: 8 / math.Pow(2, float64(4*size))}
	s.meter.rate = rate
	for i := range s.squares {
		halves := 2*i - 255
		if datatype == "ci8" {
			halves = 2 * int(int8(i))
		}
		s.squares[i] = uint64(halves * halves)
	}
	r.Info.RateHz, r.Info.FrequencyHz = rate, frequency
	s.watch()
	return s, nil
}

// watch looks for carriers beside what the power of the whole band tells.
func (s *iq) watch() {
	out := newEar(s.r.Info.RateHz, 0)
	s.ears = &ears{emit: s.r.build.emit, sounds: []*ear{out}, chosen: 0}
	s.r.build.emit = func(p Press) { s.ears.cut = append(s.ears.cut, p) }
	s.waterfall = newWaterfall(s.r.Info.RateHz, s.r.Info.FrequencyHz, out, func(note string) {
		const mostNotes = 20
		if len(s.r.Info.Notes) < mostNotes {
			s.r.Info.Notes = append(s.r.Info.Notes, note)
		}
	})
}

// pair writes samples as pairs of 8 bits, signed.
func (s *iq) pair(raw []byte) {
	const middle = 0x8080808080808080 // of eight values at once
	s.pairs = append(s.pairs[:0], raw...)
	switch s.datatype {
	case "cu8":
		i := 0
		for ; i+8 <= len(raw); i += 8 {
			binary.LittleEndian.PutUint64(s.pairs[i:], binary.LittleEndian.Uint64(raw[i:])^middle)
		}
		for ; i < len(raw); i++ {
			s.pairs[i] ^= 0x80
		}
	case "ci8":
	case "ci16_le":
		s.pairs = s.pairs[:0]
		for i := 0; i+1 < len(raw); i += 2 {
			s.pairs = append(s.pairs, raw[i+1])
		}
	default:
		s.pairs = s.pairs[:0]
		for i := 0; i+3 < len(raw); i += 4 {
			v := float64(math.Float32frombits(binary.LittleEndian.Uint32(raw[i:])))
			if v != v {
				v = 0
			}
			s.pairs = append(s.pairs, byte(int8(math.Round(min(max(127*v, -127), 127)))))
		}
	}
}

func (s *iq) step() error {
	raw := s.raw
	if s.left >= 0 {
		raw = raw[:min(int64(len(raw)), s.left)]
	}
	n, err := io.ReadFull(s.in, raw)
	if s.left >= 0 {
		s.left -= int64(n)
	}
	s.read(raw[:n-n%s.size])
	ends := err != nil || s.left == 0
	if !ends {
		return nil
	}
	s.slicer.finish()
	s.r.build.finish()
	s.waterfall.close(true)
	s.ears.take(true)
	switch {
	case err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF):
		return err
	case s.left > 0:
		return fmt.Errorf("byte %d: the samples end, and %d bytes more are promised", s.in.n, s.left)
	case n%s.size != 0:
		return fmt.Errorf("byte %d: the last sample is cut off: is it really %s?", s.in.n, s.datatype)
	case s.end != nil:
		return s.end()
	}
	return io.EOF
}

// read turns samples into levels.
func (s *iq) read(raw []byte) {
	samples := len(raw) / s.size
	x := s.x[:samples/s.every]
	width := s.every * s.size
	scale := 1 / float32(s.every)
	for i := range x {
		part := raw[i*width : (i+1)*width]
		power := float32(0)
		switch s.size {
		case 2:
			sum := uint64(0) // quicker than floating point
			for _, b := range part {
				sum += s.squares[b]
			}
			power = float32(sum) * (1.0 / (255 * 255))
		case 4:
			for j := 0; j+3 < len(part); j += 4 {
				a := float32(int16(binary.LittleEndian.Uint16(part[j:]))) / (1 << 15)
				b := float32(int16(binary.LittleEndian.Uint16(part[j+2:]))) / (1 << 15)
				power += a*a + b*b
			}
		default:
			for j := 0; j+7 < len(part); j += 8 {
				a := math.Float32frombits(binary.LittleEndian.Uint32(part[j:]))
				b := math.Float32frombits(binary.LittleEndian.Uint32(part[j+4:]))
				power += a*a + b*b
			}
		}
		if !(power >= 0 && power < 1e12) { // not a number
			power = 0
		}
		x[i] = float32(math.Sqrt(float64(power * scale)))
	}
	if s.meter.wants() {
		s.meter.look(s, raw, x)
		s.slicer.out.offsetHz = s.meter.offset()
	}
	s.slicer.block(x)
	s.pair(raw)
	s.waterfall.add(s.pairs)
	s.slicer.rest()
	s.ears.take(false)
}

// offsetMeter measures how far the strongest carrier is from the centre: by the mean turn from sample to sample within
// loud stretches.
type offsetMeter struct {
	rate   float64
	re, im float64
	seen   int
}

// enough is how many loud samples tell the offset.
const enough = 1 << 15

func (m *offsetMeter) wants() bool { return m.seen < enough }

func (m *offsetMeter) look(s *iq, raw []byte, x []float32) {
	low, top, keyed := twoLevels(x, s.slicer.least)
	if !keyed {
		return
	}
	width := s.every * s.size
	var a, b float64
	goes := false // the sample before is of a mark, too
	for i, v := range x {
		if float64(v) < (low+top)/2 {
			goes = false
			continue
		}
		for j := range s.every {
			c, d := s.sample(raw[i*width+j*s.size:])
			if !goes {
				a, b, goes = c, d, true
				continue
			}
			m.re += c*a + d*b
			m.im += d*a - c*b
			a, b = c, d
			m.seen++
		}
	}
}

func (m *offsetMeter) offset() int {
	if m.seen == 0 {
		return 0
	}
	return int(math.Round(math.Atan2(m.im, m.re) / (2 * math.Pi) * m.rate))
}

// sample reads one complex sample.
func (s *iq) sample(raw []byte) (re, im float64) {
	switch s.datatype {
	case "cu8":
		return float64(raw[0]) - 127.5, float64(raw[1]) - 127.5
	case "ci8":
		return float64(int8(raw[0])), float64(int8(raw[1]))
	case "ci16_le":
		return float64(int16(binary.LittleEndian.Uint16(raw))), float64(int16(binary.LittleEndian.Uint16(raw[2:])))
	}
	return float64(math.Float32frombits(binary.LittleEndian.Uint32(raw))),
		float64(math.Float32frombits(binary.LittleEndian.Uint32(raw[4:])))
}

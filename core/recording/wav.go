package recording

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
)

func sniffWAV(head []byte) bool {
	return len(head) >= 12 && (string(head[:4]) == "RIFF" || string(head[:4]) == "RF64") && string(head[8:12]) == "WAVE"
}

// wav reads RIFF WAVE: PCM of 8, 16, 24 or 32 bits and float of 32 bits, mono or more channels of which one is read.
type wav struct {
	r        *Reader
	in       *counter
	channels int
	bytes    int // of one sample of one channel
	float    bool
	channel  int
	left     int64 // bytes of the data chunk still to come; negative where the header does not say
	promised int64
	raw      []byte
	x        []float32
	slicer   slicer
	tone     *tone
	looked   bool
	ears     *ears // nil where it is too fast for a sound card
	also     []int // the channels that its sounds are of
}

// most channels and samples a second that are believed.
const (
	maxChannels = 64
	maxRate     = 100e6
)

func openWAV(r *Reader) (source, error) {
	w := &wav{r: r, in: &counter{r: r.in}}
	head := make([]byte, 12)
	if _, err := io.ReadFull(w.in, head); err != nil {
		return nil, errors.New("shorter than its header")
	}
	if !sniffWAV(head) {
		return nil, errors.New("byte 0: no RIFF header: this is no WAV file")
	}
	for {
		var chunk [8]byte
		if _, err := io.ReadFull(w.in, chunk[:]); err != nil {
			return nil, fmt.Errorf("byte %d: the file ends before its samples", w.in.n)
		}
		name, size := string(chunk[:4]), int64(binary.LittleEndian.Uint32(chunk[4:]))
		switch {
		case name == "data" && w.bytes == 0:
			return nil, fmt.Errorf("byte %d: samples before their format", w.in.n-8)
		case name == "data":
			w.left, w.promised = size, size
			if size >= math.MaxUint32-1 || size == 0 { // written by a stream that did not know its length
				w.left = -1
			}
			return w, w.prepare()
		case name == "fmt ":
			if err := w.format(size); err != nil {
				return nil, fmt.Errorf("byte %d: %w", w.in.n, err)
			}
		default:
			if _, err := io.CopyN(io.Discard, w.in, size+size%2); err != nil {
				return nil, fmt.Errorf("byte %d: chunk %q promises %d bytes, and the file ends", w.in.n, name, size)
			}
		}
	}
}

// format reads the fmt chunk.
func (w *wav) format(size int64) error {
	if size < 16 || size > 4096 {
		return fmt.Errorf("a format of %d bytes", size)
	}
	f := make([]byte, size+size%2)
	if _, err := io.ReadFull(w.in, f); err != nil {
		return errors.New("the file ends inside its format")
	}
	tag := binary.LittleEndian.Uint16(f)
	if tag == 0xFFFE && size >= 26 { // extensible: the format proper begins its GUID
		tag = binary.LittleEndian.Uint16(f[24:])
	}
	w.channels = int(binary.LittleEndian.Uint16(f[2:]))
	rate := float64(binary.LittleEndian.Uint32(f[4:]))
	bits := int(binary.LittleEndian.Uint16(f[14:]))
	switch {
	case tag != 1 && tag != 3:
		return fmt.Errorf("sound of kind %d: save it as PCM or float", tag)
	case w.channels < 1 || w.channels > maxChannels:
		return fmt.Errorf("%d channels: 1 to %d can be read", w.channels, maxChannels)
	case rate < 4000 || rate > maxRate:
		return fmt.Errorf("%.0f samples a second: 4000 to %.0f can be read", rate, maxRate)
	case tag == 3 && bits != 32, tag == 1 && bits != 8 && bits != 16 && bits != 24 && bits != 32:
		return fmt.Errorf("samples of %d bits: save them with 8, 16, 24 or 32", bits)
	}
	w.bytes, w.float = bits/8, tag == 3
	w.r.Info.RateHz = rate
	return nil
}

// prepare picks the channel and takes the memory for a block.
func (w *wav) prepare() error {
	w.r.Info.Channels = []string{"left", "right"}[:min(w.channels, 2)]
	for i := 2; i < w.channels; i++ {
		w.r.Info.Channels = append(w.r.Info.Channels, fmt.Sprint(i+1))
	}
	w.r.Info.Channel = w.r.options.Channel
	if w.r.Info.Channel == "" {
		w.r.Info.Channel = "left"
	}
	w.channel = -1
	for i, name := range w.r.Info.Channels {
		if name == w.r.Info.Channel {
			w.channel = i
		}
	}
	if w.channel < 0 {
		return fmt.Errorf("channel %.20q: there are %v", w.r.Info.Channel, w.r.Info.Channels)
	}
	w.raw = make([]byte, blockSize*w.bytes*w.channels)
	w.x = make([]float32, 0, blockSize)
	w.slicer = slicer{out: &w.r.build, step: 1e6 / w.r.Info.RateHz, least: 8 / math.Pow(2, float64(8*w.bytes))}
	w.listen()
	return nil
}

// listen looks for signals as sound cards record them: in the channel that is asked for, or in the first two.
func (w *wav) listen() {
	rate := w.r.Info.RateHz
	if rate > mostSoundHz {
		return
	}
	w.also = []int{w.channel}
	if w.r.options.Channel == "" && w.channels > 1 {
		w.also = []int{0, 1}
	}
	w.ears = &ears{emit: w.r.build.emit, chosen: -1, first: slices.Index(w.also, w.channel)}
	for range w.also {
		e := newEar(rate, 2/math.Pow(2, float64(8*w.bytes)))
		if w.r.options.Live {
			e.wait(liveSegment)
		}
		w.ears.sounds = append(w.ears.sounds, e)
	}
	w.r.build.emit = func(p Press) { w.ears.cut = append(w.ears.cut, p) }
}

// done is called at the end of the samples.
func (w *wav) done() {
	w.slicer.finish()
	if w.ears == nil {
		return
	}
	w.r.build.finish()
	for _, s := range w.ears.sounds {
		s.look(true)
	}
	w.ears.take(true)
	if w.ears.chosen >= 0 {
		w.r.Info.Channel = w.r.Info.Channels[w.also[w.ears.chosen]]
	}
}

func (w *wav) step() error {
	raw := w.raw
	if w.left >= 0 {
		raw = raw[:min(int64(len(raw)), w.left)]
	}
	n, err := io.ReadFull(w.in, raw)
	frame := w.bytes * w.channels
	w.read(raw[:n-n%frame])
	if w.left >= 0 {
		w.left -= int64(n)
	}
	if w.left == 0 && err == nil {
		w.done()
		return io.EOF
	}
	if err == nil {
		return nil
	}
	w.done()
	switch {
	case !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF):
		return err
	case w.left > 0:
		return fmt.Errorf("byte %d: the file ends, and its header promises %d bytes more", w.in.n, w.left)
	}
	return io.EOF
}

// read turns samples into levels and cuts them.
func (w *wav) read(raw []byte) {
	x := w.x[:len(raw)/(w.bytes*w.channels)]
	if w.ears != nil {
		for i, c := range w.also {
			w.levels(raw, c, x)
			w.ears.sounds[i].add(x)
		}
	}
	w.levels(raw, w.channel, x)
	if !w.looked {
		if low, top, _ := twoLevels(x, w.slicer.least); top-low > max(leastSwing, w.slicer.least) {
			w.looked = true
			if isTone(x) {
				w.tone = newTone(w.r.Info.RateHz)
			}
		}
	}
	if w.tone != nil {
		w.tone.envelope(x)
	}
	w.slicer.block(x)
	if w.ears != nil {
		w.slicer.rest()
		w.ears.take(false)
	}
}

// levels are the samples of a channel, −1 to 1.
func (w *wav) levels(raw []byte, channel int, x []float32) {
	frame := w.bytes * w.channels
	raw = raw[min(channel*w.bytes, len(raw)):]
	switch {
	case w.float:
		for i := range x {
			v := math.Float32frombits(binary.LittleEndian.Uint32(raw[i*frame:]))
			if v != v || v > 1e6 || v < -1e6 { // not a number, or not a sound
				v = 0
			}
			x[i] = v
		}
	case w.bytes == 1:
		for i := range x {
			x[i] = float32(int(raw[i*frame])-128) / 128
		}
	case frame == 2:
		for i := range x {
			if len(raw) < 2 {
				break
			}
			x[i] = float32(int16(uint16(raw[0])|uint16(raw[1])<<8)) * (1.0 / (1 << 15))
			raw = raw[2:]
		}
	case w.bytes == 2:
		for i := range x {
			x[i] = float32(int16(binary.LittleEndian.Uint16(raw[i*frame:]))) / (1 << 15)
		}
	case w.bytes == 3:
		for i := range x {
			b := raw[i*frame : i*frame+3]
			x[i] = float32(int32(uint32(b[0])<<8|uint32(b[1])<<16|uint32(b[2])<<24)) / (1 << 31)
		}
	default:
		for i := range x {
			x[i] = float32(int32(binary.LittleEndian.Uint32(raw[i*frame:]))) / (1 << 31)
		}
	}
}

// isTone says whether the loud samples of a block swing about their mean fast enough to be a tone that is keyed, not
// the keying itself.
func isTone(x []float32) bool {
	mean, most := float32(0), float32(0)
	for _, v := range x {
		mean += v / float32(len(x))
	}
	for _, v := range x {
		most = max(most, v-mean, mean-v)
	}
	loud, crossed := 0, 0
	for i := 1; i < len(x); i++ {
		a, b := x[i-1]-mean, x[i]-mean
		if max(a, -a) > most/4 || max(b, -b) > most/4 {
			loud++
			if (a > 0) != (b > 0) {
				crossed++
			}
		}
	}
	return loud > 8 && 6*crossed > loud
}

// tone is a rectifier with a short moving mean: the envelope of a keyed tone.
type tone struct {
	ring []float32
	at   int
	sum  float32
	mean float32
}

func newTone(rate float64) *tone { return &tone{ring: make([]float32, max(int(rate/8000), 2))} }

func (t *tone) envelope(x []float32) {
	for i, v := range x {
		t.mean += (v - t.mean) / 4096
		v = max(v-t.mean, t.mean-v)
		t.sum += v - t.ring[t.at]
		t.ring[t.at] = v
		if t.at++; t.at == len(t.ring) {
			t.at, t.sum = 0, 0
			for _, r := range t.ring { // anew, so that rounding does not add up
				t.sum += r
			}
		}
		x[i] = t.sum / float32(len(t.ring))
	}
}

// SoundHead is what stands before samples that another program writes: one channel of 16 bits, little endian, so many a
// second, without an end.
func SoundHead(rate int) io.Reader { return bytes.NewReader(wavHeader(rate, 0)) }

// wavHeader is the head of a mono file of 16 bits with so many samples.
func wavHeader(rate, samples int) []byte {
	var b bytes.Buffer
	b.WriteString("RIFF")
	u32 := func(v uint32) { b.Write(binary.LittleEndian.AppendUint32(nil, v)) }
	u16 := func(v uint16) { b.Write(binary.LittleEndian.AppendUint16(nil, v)) }
	u32(uint32(36 + 2*samples))
	b.WriteString("WAVEfmt ")
	u32(16)
	u16(1)
	u16(1)
	u32(uint32(rate))
	u32(uint32(2 * rate))
	u16(2)
	u16(16)
	b.WriteString("data")
	u32(uint32(2 * samples))
	return b.Bytes()
}

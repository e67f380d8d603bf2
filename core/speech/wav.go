// Package speech is what is worked out of spoken words before and after they are recognised: the recording as it is
// taken from anybody, and how the words of a house are pronounced.
package speech

import (
	"encoding/binary"
	"fmt"
	"math"
	"time"

	"urbo/core/fault"
)

// ErrRecording is wrapped where a recording cannot be used: the text says why, and what to do.
var ErrRecording = fault.New(fault.Invalid, "recording")

// Bounds of a recording.
const (
	// Rate is the samples of one second of a recording, of one channel with 16 bits.
	Rate = 16000
	// Shortest and Longest bound what is said at once.
	Shortest, Longest = 200 * time.Millisecond, 10 * time.Second
	// MaxBytes is the most that a WAV file of the longest recording has, with room for what else such files hold.
	MaxBytes = int(Longest/time.Second)*Rate*2 + 64<<10
	// quietest is the loudest sample of a recording in which nothing is said, of 32768.
	quietest = 250
)

// ReadWAV reads a WAV file of one channel with 16 bits and 16,000 samples a second. What its header says of its length
// counts only where it is less than what is there. Errors wrap ErrRecording.
func ReadWAV(file []byte) ([]int16, error) {
	if len(file) > MaxBytes {
		return nil, fmt.Errorf("%w: it is longer than %.0f seconds: say less at once", ErrRecording, Longest.Seconds())
	}
	if len(file) < 12 || string(file[:4]) != "RIFF" || string(file[8:12]) != "WAVE" {
		return nil, fmt.Errorf("%w: it is no WAV file", ErrRecording)
	}
	known := false
	for rest := file[12:]; len(rest) >= 8; {
		name, size := string(rest[:4]), uint64(binary.LittleEndian.Uint32(rest[4:8]))
		body := rest[8:]
		if name == "data" {
			if !known {
				return nil, fmt.Errorf("%w: its samples come before their format", ErrRecording)
			}
			return samples(body[:min(size, uint64(len(body)))])
		}
		if size+size%2 > uint64(len(body)) {
			break
		}
		if name == "fmt " {
			if err := format(body[:size]); err != nil {
				return nil, err
			}
			known = true
		}
		rest = body[size+size%2:]
	}
	return nil, fmt.Errorf("%w: it ends before its samples", ErrRecording)
}

// format says whether a format is the one that is read.
func format(f []byte) error {
	if len(f) < 16 {
		return fmt.Errorf("%w: its format is cut off", ErrRecording)
	}
	kind, channels := binary.LittleEndian.Uint16(f), binary.LittleEndian.Uint16(f[2:])
	rate, bits := binary.LittleEndian.Uint32(f[4:]), binary.LittleEndian.Uint16(f[14:])
	if kind == 0xFFFE && len(f) >= 26 { // extensible: the format proper begins its GUID
		kind = binary.LittleEndian.Uint16(f[24:])
	}
	if kind != 1 || channels != 1 || rate != Rate || bits != 16 {
		return fmt.Errorf("%w: it has %d channels, %d samples a second and %d bits: record one channel of 16-bit PCM "+
			"at %d "+
			"samples a second", ErrRecording, channels, rate, bits, Rate)
	}
	return nil
}

// samples makes samples of bytes, where they are long and loud enough for words.
func samples(raw []byte) ([]int16, error) {
	out := make([]int16, len(raw)/2)
	for i := range out {
		out[i] = int16(binary.LittleEndian.Uint16(raw[2*i:]))
	}
	return out, Check(out)
}

// Check says whether a recording is long and loud enough, and not too long. Errors wrap ErrRecording.
func Check(x []int16) error {
	long := time.Duration(len(x)) * time.Second / Rate
	switch {
	case long < Shortest:
		return fmt.Errorf("%w: it is too short: hold the button while you speak", ErrRecording)
	case long > Longest:
		return fmt.Errorf("%w: it is longer than %.0f seconds: say less at once", ErrRecording, Longest.Seconds())
	}
	loud := 0
	for _, v := range x {
		loud = max(loud, int(math.Abs(float64(v))))
	}
	if loud < quietest {
		return fmt.Errorf("%w: nothing is heard in it: see whether the microphone is on", ErrRecording)
	}
	return nil
}

// WriteWAV is the WAV file of a recording.
func WriteWAV(x []int16) []byte {
	out := make([]byte, 44, 44+2*len(x))
	copy(out, "RIFF\x00\x00\x00\x00WAVEfmt ")
	le := binary.LittleEndian
	le.PutUint32(out[4:], uint32(36+2*len(x)))
	le.PutUint32(out[16:], 16)
	le.PutUint16(out[20:], 1)
	le.PutUint16(out[22:], 1)
	le.PutUint32(out[24:], Rate)
	le.PutUint32(out[28:], 2*Rate)
	le.PutUint16(out[32:], 2)
	le.PutUint16(out[34:], 16)
	copy(out[36:], "data")
	le.PutUint32(out[40:], uint32(2*len(x)))
	for _, v := range x {
		out = le.AppendUint16(out, uint16(v))
	}
	return out
}

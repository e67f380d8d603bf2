// Package recording reads signals out of recordings (logic analysers, sound cards, software radios, lists of numbers)
// and writes them: as VCD (IEEE 1364), CSV, WAV, text, or an array in C. Recordings are streamed: a file may be larger
// than memory. Levels become marks and spaces; which level is a mark, and whether the marks are modulated by a
// carrier, is found by itself.
package recording

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"urbo/core/fault"
	"urbo/core/plain"
	"urbo/core/signal"
)

// ErrRecording is wrapped by every error about a recording that cannot be read. It names the byte or the line where
// one is known.
var ErrRecording = fault.New(fault.Invalid, "recording")

// Press is one press found in a recording.
type Press struct {
	At        int64              // µs since the start of the recording
	Trains    []signal.Reception // µs
	CarrierHz int                // measured, 0 where the marks are not modulated
	OffsetHz  int                // software radio: the strongest carrier's distance from the centre
	Line      int                // text: the line it began on
	Name      string             // text: of a key, as it stood before it; "" where nothing did
}

// Options say what a recording does not say itself. The zero value is fine for most.
type Options struct {
	Format      string  // "" finds it by the content, then by the name
	Channel     string  // VCD, CSV: which; "" is the first that changes. WAV: left or right
	RateHz      float64 // IQ: complex samples a second
	Datatype    string  // IQ: cu8, ci8, ci16_le or cf32_le
	FrequencyHz float64 // IQ: what the radio was tuned to
	Live        bool    // the samples come as they are made: a press is told soon after its end
}

// Info is what a recording turned out to be.
type Info struct {
	Format      string   // of the table Formats
	Channel     string   // that was read
	Channels    []string // that there are
	RateHz      float64  // samples a second, 0 where the format has none
	FrequencyHz float64  // IQ: centre frequency
	Inverted    bool     // a mark was the low level
	Understood  string   // text: the notation, in words
	Notes       []string // about what is in it and was not read, in sentences
}

// Format is one kind of recording.
type Format struct {
	Name string
	From string   // what makes such files
	Ends []string // usual ends of file names
	// sniff says whether the first bytes can only be this; nil where the content does not tell.
	sniff func(head []byte) bool
	open  func(r *Reader) (source, error)
}

// Formats lists the formats in the order they are tried. The last is text, which is whatever has numbers in it.
func Formats() []Format {
	return []Format{
		{"wav", "sound cards, radios with a sound output", []string{".wav"}, sniffWAV, openWAV},
		{"vcd", "logic analysers", []string{".vcd"}, sniffVCD, openVCD},
		{"sigmf", "software radios, as an archive", []string{".sigmf"}, sniffTar, openSigMF},
		{"iq", "software radios, samples alone", []string{".iq", ".cu8", ".ci8", ".cs8", ".ci16", ".cs16", ".cf32",
			".fc32", ".sigmf-data"}, nil, openIQ},
		{"c", "sketches for microcontrollers", []string{".c", ".h", ".ino", ".cpp"}, sniffArray, openArray},
		{"csv", "logic analysers: time and level", []string{".csv", ".tsv"}, sniffCSV, openCSV},
		{"text", "notepads: lists of numbers", []string{".txt"}, nil, openText},
	}
}

// source reads on a little and hands what it finds to the reader; io.EOF ends it.
type source interface{ step() error }

// headSize is how much of a recording is looked at to find its format.
const headSize = 4096

// Reader reads the presses of a recording one after another, like a bufio.Scanner.
type Reader struct {
	Info Info

	in      *bufio.Reader
	options Options
	src     source
	build   assembler
	ready   []Press
	press   Press
	err     error
	ended   bool
}

// Open finds out what a recording is. name is the file's, and may be "". Errors wrap ErrRecording.
func Open(name string, r io.Reader, o Options) (*Reader, error) {
	out := &Reader{in: bufio.NewReaderSize(r, 256<<10), options: o}
	out.build.emit = func(p Press) { out.ready = append(out.ready, p) }
	head, err := out.in.Peek(headSize)
	if len(head) == 0 {
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, fmt.Errorf("%w: %w", ErrRecording, err)
		}
		return nil, fmt.Errorf("%w: it is empty", ErrRecording)
	}
	f, err := find(name, head, o)
	if err != nil {
		return nil, err
	}
	out.Info.Format = f.Name
	if out.src, err = f.open(out); err != nil {
		return nil, fmt.Errorf("%w: %s: %w", ErrRecording, f.Name, err)
	}
	out.Info.Channel = shown(out.Info.Channel)
	for i, name := range out.Info.Channels {
		out.Info.Channels[i] = shown(name)
	}
	return out, nil
}

// maxName is the most characters of a channel's name that are shown.
const maxName = 60

// listed is the names of channels as they may be printed, the first of them.
func listed(names []string) string {
	const first = 20
	var out []string
	for i, name := range names {
		if i == first {
			return strings.Join(out, ", ") + fmt.Sprintf(" and %d more", len(names)-first)
		}
		out = append(out, shown(name))
	}
	return strings.Join(out, ", ")
}

// shown is a name that stands in a file, as it may be printed.
func shown(name string) string {
	name = plain.Show(name)
	if r := []rune(name); len(r) > maxName {
		return string(r[:maxName]) + "…"
	}
	return name
}

// find picks the format: the one asked for, else by content, else by the name's end, else text.
func find(name string, head []byte, o Options) (Format, error) {
	formats := Formats()
	if o.Format != "" {
		var names []string
		for _, f := range formats {
			if f.Name == o.Format {
				return f, nil
			}
			names = append(names, f.Name)
		}
		return Format{}, fmt.Errorf("%w: format %.20q: there are %s", ErrRecording, o.Format, strings.Join(names, ", "))
	}
	if o.RateHz > 0 || o.Datatype != "" {
		return find(name, head, Options{Format: "iq"})
	}
	for _, f := range formats {
		if f.sniff != nil && f.sniff(head) {
			return f, nil
		}
	}
	end := strings.ToLower(path.Ext(name))
	for _, f := range formats {
		for _, e := range f.Ends {
			if e == end && f.sniff == nil {
				return f, nil
			}
		}
	}
	if what := foreign(head); what != "" {
		return Format{}, fmt.Errorf("%w: %s: give a recording of a signal: WAV, VCD, CSV, SigMF, IQ samples or text",
			ErrRecording, what)
	}
	return formats[len(formats)-1], nil
}

// foreign names what is certainly no recording, "" where it may be one.
func foreign(head []byte) string {
	for magic, what := range map[string]string{"\x89PNG": "this is a picture (PNG)",
		"\xff\xd8\xff": "this is a picture (JPEG)", "GIF8": "this is a picture (GIF)",
		"%PDF": "this is a PDF document", "PK\x03\x04": "this is a zip archive: unpack it first",
		"\x1f\x8b": "this is compressed: unpack it first",
		"\x7fELF":  "this is a program", "OggS": "this is compressed sound (Ogg)",
		"ID3": "this is compressed sound (MP3)", "fLaC": "this is compressed sound (FLAC)"} {
		if bytes.HasPrefix(head, []byte(magic)) {
			return what
		}
	}
	if i := bytes.IndexByte(head, 0); i >= 0 {
		return fmt.Sprintf("byte %d is no text, and no format begins like this (samples of a software radio need a "+
			"rate)", i)
	}
	return ""
}

// Scan moves to the next press; it is false at the end of the recording and at the first error.
func (r *Reader) Scan() bool {
	for len(r.ready) == 0 {
		if r.ended {
			return false
		}
		if err := r.src.step(); err != nil {
			r.ended = true
			if !errors.Is(err, io.EOF) {
				r.err = fmt.Errorf("%w: %s: %w", ErrRecording, r.Info.Format, err)
			}
			r.build.finish() // what came in before an error counts
			r.Info.Inverted = r.build.inverted()
		}
	}
	r.press, r.ready = r.ready[0], r.ready[1:]
	return true
}

// Press is what the last Scan found.
func (r *Reader) Press() Press { return r.press }

// Err is the error that ended the recording, nil at its end. What was found before it is good.
func (r *Reader) Err() error { return r.err }

// counter tells how many bytes of a stream were read, for errors.
type counter struct {
	r io.Reader
	n int64
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += int64(n)
	return n, err
}

// Package bench is the bench of a running house: captures are looked into, compared, sent again, made keys, written to
// files, and read from recordings. The computation is in core/bench and core/recording.
package bench

import (
	"context"
	"fmt"
	"io"
	"path"
	"strings"
	"time"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/recording"
	"urbo/core/signal"
	"urbo/service/air"
	"urbo/service/ear"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/store"
	"urbo/wire"
)

// Station is what stands for a receiver where a capture comes from a recording; its port is the recording's name.
const Station = "recording"

// Bench works on captures by their ids.
type Bench struct {
	book    *line.Book
	library *library.Library
	journal *journal.Journal
	air     *air.Air
	now     func() time.Time
}

// New makes the bench of a house.
func New(book *line.Book, l *library.Library, j *journal.Journal, a *air.Air, now func() time.Time) *Bench {
	return &Bench{book: book, library: l, journal: j, air: a, now: now}
}

// capture finds a capture. The error wraps store.ErrNotFound.
func (b *Bench) capture(ctx context.Context, id string) (ear.Capture, bool, error) {
	row, stored, err := b.journal.Capture(ctx, id)
	if err != nil {
		return ear.Capture{}, false, err
	}
	return ear.FromRow(row, b.library), stored, nil
}

// Detail is a capture with its structure, and the code that a key would send.
func (b *Bench) Detail(ctx context.Context, id string) (wire.CaptureDetail, error) {
	c, stored, err := b.capture(ctx, id)
	if err != nil {
		return wire.CaptureDetail{}, err
	}
	out := wire.CaptureDetail{Capture: c.Wire(stored)}
	if s, err := bench.Describe(c.Trains); err == nil {
		w := wire.StructureOf(s)
		out.Structure = &w
	}
	code, err := b.code(c)
	if err != nil {
		out.Trouble = err.Error()
		return out, nil
	}
	out.Code = &code
	return out, nil
}

// code is what a key would send to sound like a capture.
func (b *Bench) code(c ear.Capture) (wire.Code, error) {
	return b.library.Suggest(c.Medium, c.Carrier, c.Readings, c.Structure)
}

// Compare lays one capture over another.
func (b *Bench) Compare(ctx context.Context, first, second string) (wire.Comparison, error) {
	var trains [2][]signal.Heard
	for i, id := range []string{first, second} {
		c, _, err := b.capture(ctx, id)
		if err != nil {
			return wire.Comparison{}, err
		}
		trains[i] = c.Trains
	}
	c, err := bench.Compare(trains[0], trains[1])
	if err != nil {
		return wire.Comparison{}, fmt.Errorf("compare: %w", err)
	}
	return wire.ComparisonOf(c), nil
}

// Send plays a capture again, clean.
func (b *Bench) Send(ctx context.Context, id, by string) (wire.Press, error) {
	c, _, err := b.capture(ctx, id)
	if err != nil {
		return wire.Press{}, err
	}
	code, err := b.code(c)
	if err != nil {
		return wire.Press{}, fmt.Errorf("send capture: %w", err)
	}
	return b.air.Try(ctx, air.Trial{Codes: []wire.Code{code}, By: by, CauseID: id, What: "what is on the bench"})
}

// Keep makes a capture what a key sends. A key that the device does not have is added.
func (b *Bench) Keep(ctx context.Context, id string, ref wire.KeyRef, by string) (wire.Device, error) {
	c, _, err := b.capture(ctx, id)
	if err != nil {
		return wire.Device{}, err
	}
	code, err := b.code(c)
	if err != nil {
		return wire.Device{}, fmt.Errorf("keep %s: %w", ref, err)
	}
	d, err := b.library.SetCodes(ctx, ref, []wire.Code{code})
	if err != nil {
		return wire.Device{}, err
	}
	b.journal.Write(wire.Entry{Kind: "settled", CauseID: id, By: by, Device: ref.Device, Key: ref.Key, Text: fmt.Sprintf("Made a capture the key %s", ref)})
	return d, nil
}

// Export writes a capture as a file, as it was heard.
func (b *Bench) Export(ctx context.Context, id, format string, w io.Writer) error {
	c, _, err := b.capture(ctx, id)
	if err != nil {
		return err
	}
	s := recording.Signal{Name: "capture " + c.At.Format("2006-01-02 15:04:05"), Trains: c.Trains, CarrierHz: c.Carrier}
	return recording.Export(w, format, s)
}

// ExportKey writes what a key sends as a file.
func (b *Bench) ExportKey(ref wire.KeyRef, format string, w io.Writer) error {
	key, err := b.library.Sendable(ref)
	if err != nil {
		return err
	}
	s := recording.Signal{Name: ref.String()}
	for _, c := range key.Codes {
		flat, hz, radio, err := b.air.Wave(c)
		if err != nil {
			return fmt.Errorf("export %s: %w", ref, err)
		}
		s.Trains = append(s.Trains, signal.Split(flat, signal.UnknownGap)...)
		if radio {
			s.FrequencyHz = hz
		} else {
			s.CarrierHz = hz
		}
	}
	return recording.Export(w, format, s)
}

// Import reads a recording: every signal in it becomes a capture, equal ones one together. name is the file's.
// Errors wrap recording.ErrRecording, where nothing was found before it went wrong.
func (b *Bench) Import(ctx context.Context, name string, in io.Reader, o recording.Options, by string) (wire.Recording, error) {
	name = clean(name)
	r, err := recording.Open(name, until{ctx, in}, o)
	if err != nil {
		return wire.Recording{}, fmt.Errorf("import %s: %w", name, err)
	}
	g := bench.NewGatherer(b.book)
	for r.Scan() {
		g.Add(r.Press())
	}
	if err := r.Err(); err != nil && (len(g.Findings) == 0 || ctx.Err() != nil) {
		return wire.Recording{}, fmt.Errorf("import %s: %w", name, err)
	}
	out := wire.RecordingOf(r.Info, g, r.Err())
	for i, f := range g.Findings {
		c := ear.Capture{ID: store.NewID(), At: b.now(), Station: Station, Port: name, Medium: b.medium(r.Info, f), Trains: f.Trains, Decoded: f.Decoded,
			Carrier: f.CarrierHz, Count: f.Count}
		c = ear.FromRow(c.Row(), b.library)
		b.journal.Heard(c.Row(), c.Wire(false))
		out.Findings[i].CaptureID, out.Findings[i].Keys = c.ID, c.Keys
	}
	b.journal.Write(wire.Entry{Kind: "heard", By: by, Place: Station + "/" + name, Text: fmt.Sprintf("Opened the recording %s: %d presses, %d different", name, g.Presses, len(g.Findings))})
	return out, nil
}

// medium of a finding: that of its line code, else what such a recording usually holds.
func (b *Bench) medium(info recording.Info, f bench.Finding) string {
	if len(f.Readings) > 0 {
		if s, err := b.book.Sheet(f.Readings[0].Sheet); err == nil {
			return string(s.Medium)
		}
	}
	if f.CarrierHz == 0 && (info.Format == "iq" || info.Format == "sigmf") {
		return string(line.Radio)
	}
	return string(line.Infrared)
}

// clean makes a file's name something to show: no folders, no control characters, not too long.
func clean(name string) string {
	name = strings.Map(func(c rune) rune {
		if c < ' ' || c == 0x7f || c == 0xfffd {
			return -1
		}
		return c
	}, path.Base(strings.ReplaceAll(name, "\\", "/")))
	if r := []rune(name); len(r) > 60 {
		name = string(r[:60])
	}
	if name == "" || name == "." || name == "/" {
		return "pasted"
	}
	return name
}

// until stops reading when its context ends.
type until struct {
	ctx context.Context
	r   io.Reader
}

func (u until) Read(p []byte) (int, error) {
	if err := u.ctx.Err(); err != nil {
		return 0, err
	}
	return u.r.Read(p)
}

// Package workbench is the bench of a running house: captures are looked into, compared, sent again, made keys, written
// to files, and read from recordings. The computation is in core/bench and core/recording.
package workbench

import (
	"context"
	"fmt"
	"io"
	"path"
	"strings"
	"time"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/recording"
	"urbo/core/signal"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/service/stream"
	"urbo/service/transmit"
	"urbo/store"
)

// Station is what stands for a receiver where a capture comes from a recording; its port is the recording's name.
const Station = "recording"

// Workbench works on captures by their ids.
type Workbench struct {
	book     *line.Book
	library  *library.Library
	journal  *journal.Journal
	transmit *transmit.Transmit
	stream   *stream.Stream
	now      func() time.Time
}

// New makes the bench of a house.
func New(book *line.Book, l *library.Library, j *journal.Journal, t *transmit.Transmit, events *stream.Stream,
	now func() time.Time) *Workbench {
	return &Workbench{book: book, library: l, journal: j, transmit: t, stream: events, now: now}
}

// Captures lists captures, the newest first, from before an id, each with what can be told of it now.
func (b *Workbench) Captures(ctx context.Context, before string, limit int) ([]happening.Capture, error) {
	captures, err := b.journal.Captures(ctx, before, limit)
	for i := range captures {
		b.look(&captures[i])
	}
	return captures, err
}

// look describes a capture, and matches it with the library as it is now.
func (b *Workbench) look(c *happening.Capture) {
	c.Describe()
	b.library.Recognise(c)
}

// Capture finds a capture. The error wraps store.ErrNotFound.
func (b *Workbench) Capture(ctx context.Context, id string) (happening.Capture, error) {
	c, err := b.journal.Capture(ctx, id)
	if err == nil {
		b.look(&c)
	}
	return c, err
}

// Code is what a key would send to sound like a capture. Errors say why it cannot be sent again.
func (b *Workbench) Code(c happening.Capture) (device.Code, error) {
	return b.library.Suggest(device.Channel{Medium: c.Medium, Hz: c.Hz}, c.Readings, c.Structure)
}

// Compare lays one capture over another.
func (b *Workbench) Compare(ctx context.Context, first, second string) (bench.Comparison, error) {
	var trains [2][]signal.Reception
	for i, id := range []string{first, second} {
		c, err := b.Capture(ctx, id)
		if err != nil {
			return bench.Comparison{}, err
		}
		trains[i] = c.Trains
	}
	c, err := bench.Compare(trains[0], trains[1])
	if err != nil {
		return c, fmt.Errorf("compare: %w", err)
	}
	return c, nil
}

// Send plays a capture again, clean.
func (b *Workbench) Send(ctx context.Context, id string, by grant.By) (happening.Receipt, error) {
	c, err := b.Capture(ctx, id)
	if err != nil {
		return happening.Receipt{}, err
	}
	code, err := b.Code(c)
	if err != nil {
		return happening.Receipt{}, fmt.Errorf("send capture: %w", err)
	}
	return b.transmit.Press(ctx, transmit.Order{Key: device.Key{Codes: []device.Code{code}}, By: by, Cause: id,
		What: "what is on the bench", Obey: b.library.Sending([]device.Code{code})})
}

// Keep makes a capture what a key sends. A key that the device does not have is added.
func (b *Workbench) Keep(ctx context.Context, id string, ref device.Ref, by grant.By) (device.Device, error) {
	c, err := b.Capture(ctx, id)
	if err != nil {
		return device.Device{}, err
	}
	code, err := b.Code(c)
	if err != nil {
		return device.Device{}, fmt.Errorf("keep %s: %w", ref, err)
	}
	d, err := b.library.ChangeBySlug(ctx, ref.Device, library.Note{By: by, Cause: id, Quiet: true},
		func(d *device.Device) error {
			return d.SetCodes(ref.Key, []device.Code{code})
		})
	if err != nil {
		return d, err
	}
	b.stream.Publish(happening.Happening{Cause: id, By: by, What: happening.KeyLearned{DeviceID: d.ID, Device: d.Slug,
		Key: ref.Key}})
	return d, nil
}

// Follow lets a capture count as a press of a key when it is heard again. A key that the device does not have is added.
func (b *Workbench) Follow(ctx context.Context, id string, ref device.Ref, by grant.By) (device.Device, error) {
	c, err := b.Capture(ctx, id)
	if err != nil {
		return device.Device{}, err
	}
	code, err := b.library.SuggestHeard(device.Channel{Medium: c.Medium, Hz: c.Hz}, c.Readings, c.Structure)
	if err != nil {
		return device.Device{}, fmt.Errorf("follow %s: %w", ref, err)
	}
	return b.library.Follow(ctx, ref, []device.Code{code}, library.Note{By: by, Cause: id})
}

// Export writes a capture as a file, as it was heard.
func (b *Workbench) Export(ctx context.Context, id, format string, w io.Writer) error {
	c, err := b.Capture(ctx, id)
	if err != nil {
		return err
	}
	s := recording.Signal{Name: "capture " + c.At.Format("2006-01-02 15:04:05"), Trains: c.Trains,
		CarrierHz: device.Channel{Medium: c.Medium, Hz: c.Hz}.CarrierHz()}
	return recording.Export(w, format, s)
}

// ExportKey writes what a key sends as a file.
func (b *Workbench) ExportKey(ref device.Ref, format string, w io.Writer) error {
	_, key, err := b.library.Key(ref)
	if err != nil {
		return err
	}
	s := recording.Signal{Name: ref.String()}
	for _, c := range key.Codes {
		flat, on, err := b.transmit.Wave(c)
		if err != nil {
			return fmt.Errorf("export %s: %w", ref, err)
		}
		s.Trains = append(s.Trains, signal.Split(flat, signal.UnknownGap)...)
		s.CarrierHz, s.FrequencyHz = on.CarrierHz(), on.FrequencyHz()
	}
	return recording.Export(w, format, s)
}

// Imported is what was found in a recording, each signal with the capture that it became.
type Imported struct {
	Info     recording.Info
	Gathered *bench.Gatherer
	Captures []happening.Capture // of Gathered.Findings, in their order
	Trouble  error               // why reading ended early; what was found before it is good
}

// Import reads a recording: every signal in it becomes a capture, equal ones one together. name is the file's.
// Errors wrap recording.ErrRecording, where nothing was found before it went wrong.
func (b *Workbench) Import(ctx context.Context, name string, in io.Reader, o recording.Options, by grant.By) (Imported,
	error) {
	name = clean(name)
	r, err := recording.Open(name, until{ctx, in}, o)
	if err != nil {
		return Imported{}, fmt.Errorf("import %s: %w", name, err)
	}
	out := Imported{Gathered: bench.NewGatherer(b.book)}
	for r.Scan() {
		out.Gathered.Add(r.Press())
	}
	out.Info, out.Trouble = r.Info, r.Err()
	findings := out.Gathered.Findings
	if err := r.Err(); err != nil && (len(findings) == 0 || ctx.Err() != nil) {
		return Imported{}, fmt.Errorf("import %s: %w", name, err)
	}
	opened := b.stream.Publish(happening.Happening{By: by, What: happening.RecordingOpened{Recording: name,
		Presses: out.Gathered.Presses, Different: len(findings)}})
	for _, f := range findings {
		c := happening.Capture{ID: store.NewID(), At: b.now(), Station: Station, Port: name,
			Medium: b.medium(r.Info, f), Trains: f.Trains, Decoded: f.Decoded,
			Hz: f.CarrierHz, Count: f.Count}
		b.look(&c)
		heard := happening.HeardOf(c)
		heard.Quiet = true
		b.stream.Publish(happening.Happening{ID: c.ID, Cause: opened.ID, By: by, At: c.At, What: heard})
		out.Captures = append(out.Captures, c)
	}
	return out, nil
}

// medium of a finding: that of its line code, else what such a recording usually holds.
func (b *Workbench) medium(info recording.Info, f bench.Finding) line.Medium {
	if len(f.Readings) > 0 {
		if s, err := b.book.Sheet(f.Readings[0].Sheet); err == nil {
			return s.Medium
		}
	}
	if f.CarrierHz == 0 && (info.Format == "iq" || info.Format == "sigmf") {
		return line.Radio
	}
	return line.Infrared
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

// Package samples is the transport of sound or radio samples that another program writes into a pipe: a receiver of the
// house, made of a sound card or a software radio.
package samples

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"sync"
	"time"

	"urbo/core/line"
	"urbo/core/recording"
	"urbo/core/signal"
	"urbo/station"
)

// Kind is what the samples are.
type Kind struct {
	Medium    line.Medium
	Datatype  string  // of radio: cu8, ci8, ci16_le or cf32_le; "" is sound, one channel of 16 bits, little endian
	RateHz    float64 // samples a second
	Frequency float64 // Hz that a radio is tuned to
}

// Sound reads what --sound says: samples a second.
func Sound(text string, medium line.Medium) (Kind, error) {
	rate, err := number(text)
	if err != nil || rate < 8000 || rate > 400_000 {
		return Kind{}, fmt.Errorf("%.40q: write the samples a second, 8000 to 400000, such as 48000", text)
	}
	return Kind{Medium: medium, RateHz: rate}, nil
}

// Radio reads what --iq says: TYPE@RATE:FREQUENCY, such as cu8@2.4M:433.92M.
func Radio(text string) (Kind, error) {
	datatype, rest, at := strings.Cut(text, "@")
	rate, frequency, colon := strings.Cut(rest, ":")
	if d := recording.DatatypeOf("." + datatype); d != "" {
		datatype = d
	}
	k := Kind{Medium: line.Radio, Datatype: datatype}
	var errs [2]error
	k.RateHz, errs[0] = number(rate)
	k.Frequency, errs[1] = number(frequency)
	if !at || !colon || errors.Join(errs[:]...) != nil || k.RateHz < 10e3 || k.RateHz > 100e6 || k.Frequency < 1e6 ||
		k.Frequency > 10e9 {
		return k, fmt.Errorf("%.40q: write the type of the samples, how many a second, and the frequency: "+
			"cu8@2.4M:433.92M", text)
	}
	return k, nil
}

// number reads a number with k, M or G behind it.
func number(text string) (float64, error) {
	times := 1.0
	if n := len(text); n > 0 {
		if by, ok := map[byte]float64{'k': 1e3, 'K': 1e3, 'M': 1e6, 'G': 1e9}[text[n-1]]; ok {
			times, text = by, text[:n-1]
		}
	}
	v, err := strconv.ParseFloat(text, 64)
	return v * times, err
}

// Level is how loud the samples were for a while, and what was found in them, so that a gain can be set.
type Level struct {
	Loud    float64 // dB of full scale, root mean square
	Peak    float64 // dB of full scale
	Clipped float64 // share of the samples at full scale
	Presses int
}

// String says it for people.
func (l Level) String() string {
	text := fmt.Sprintf("%.0f dB, peaks of %.0f dB", l.Loud, l.Peak)
	switch {
	case l.Clipped > 0.001:
		text += fmt.Sprintf(", %.1f %% at full scale: turn the gain down", 100*l.Clipped)
	case l.Peak < -40:
		text += ": hardly anything comes in: turn the gain up"
	}
	return text
}

// Source is samples as a transport.
type Source struct {
	kind Kind
	in   io.Reader
	say  func(Level)
	used sync.Once
}

// New makes the transport of samples that in delivers as they come. say is told every few seconds how loud they are; it
// may be nil. The error says what is wrong with the kind.
func New(in io.Reader, kind Kind, say func(Level)) (*Source, error) {
	if kind.Medium != line.Infrared && kind.Medium != line.Radio {
		return nil, fmt.Errorf("medium %.20q: infrared or radio", kind.Medium)
	}
	if say == nil {
		say = func(Level) {}
	}
	return &Source{kind: kind, in: in, say: say}, nil
}

// Run joins the one link that the samples are, until they end.
func (s *Source) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	var err error
	s.used.Do(func() {
		ctx, cancel := context.WithCancel(ctx)
		defer cancel()
		l := &link{source: s, said: make(chan station.Message, 256), ended: make(chan struct{})}
		l.said <- s.hello()
		go l.read(ctx)
		err = join(ctx, l)
		_ = l.Close()
		if errors.Is(err, station.ErrAway) {
			err = nil // the samples have ended, and do not come again
		}
	})
	return err
}

// Port is the one that the samples are.
const Port = "samples-in"

func (s *Source) hello() station.Hello {
	from, to := 30_000, 60_000
	if s.kind.Medium == line.Radio {
		from = int(s.kind.Frequency)
		if to = from; from == 0 {
			from, to = 433_920_000, 433_920_000
		}
	}
	model := "Sound card"
	if s.kind.Datatype != "" {
		model = "Software radio"
	}
	return station.Hello{Link: station.Version, Station: "samples", Model: model, Ports: []station.Port{{ID: Port,
		Direction: station.Receiver, Medium: string(s.kind.Medium), FromHz: from, ToHz: to,
		Longest: signal.MaxDurations, Frequency: s.kind.Datatype != ""}}}
}

// link is the samples as a station.
type link struct {
	source *Source
	said   chan station.Message
	ended  chan struct{}
	once   sync.Once
}

// read finds presses as the samples come.
func (l *link) read(ctx context.Context) {
	defer l.Close()
	k := l.source.kind
	m := &meter{in: l.source.in, kind: k, every: int(levelEvery.Seconds() * k.RateHz), say: l.source.say}
	options := recording.Options{Format: "iq", Datatype: k.Datatype, RateHz: k.RateHz, FrequencyHz: k.Frequency,
		Live: true}
	var in io.Reader = m
	if k.Datatype == "" {
		options = recording.Options{Format: "wav", Live: true}
		in = io.MultiReader(recording.SoundHead(int(k.RateHz)), m)
	}
	r, err := recording.Open("", in, options)
	if err != nil {
		return
	}
	for r.Scan() {
		p := r.Press()
		m.found()
		at := p.At
		for _, t := range p.Trains {
			h := station.Heard{Port: Port, At: at, Train: t.Train, Gap: max(t.Gap, signal.UnknownGap)}
			if k.Medium == line.Radio {
				h.FrequencyHz = int(k.Frequency) + p.OffsetHz
			} else {
				h.CarrierHz = p.CarrierHz
			}
			at += int64(t.Train.Length() + t.Gap)
			if h.Check() != nil {
				continue
			}
			select {
			case l.said <- h:
			case <-ctx.Done():
				return
			case <-l.ended:
				return
			}
		}
	}
}

// levelEvery is how often it is said how loud it is.
const levelEvery = 5 * time.Second

// Origin is the pipe.
func (l *link) Origin() station.Origin {
	return station.Origin{Over: station.Samples, Address: "samples"}
}

// Receive waits for the next message.
func (l *link) Receive(ctx context.Context) (station.Message, error) {
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case m := <-l.said:
		return m, nil
	case <-l.ended:
	}
	select { // what was found before the end
	case m := <-l.said:
		return m, nil
	default:
		return nil, fmt.Errorf("%w: the samples have ended", station.ErrAway)
	}
}

// Tell answers what a receiver is asked.
func (l *link) Tell(ctx context.Context, m station.Message) error {
	var answer station.Message
	switch m := m.(type) {
	case station.Ping:
		answer = station.Pong{}
	case station.Who:
		answer = l.source.hello()
	case station.Send:
		answer = station.Failed{ID: m.ID, Reason: "samples are only heard: there is nothing to send with"}
	default:
		return nil
	}
	select {
	case l.said <- answer:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	case <-l.ended:
		return fmt.Errorf("%w: the samples have ended", station.ErrAway)
	}
}

// Close ends the link.
func (l *link) Close() error {
	l.once.Do(func() { close(l.ended) })
	return nil
}

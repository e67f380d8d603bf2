// Package station is the station link, version 1: the messages that Urbo and a piece of hardware exchange, and the
// interface that a driver for one kind of connection implements. docs/station-link.md describes it for builders of
// stations.
package station

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"

	"urbo/core/fault"
	"urbo/core/signal"
)

// Version of the link.
const Version = 1

// ErrMessage is wrapped by errors about messages that break the link's rules.
var ErrMessage = fault.New(fault.Invalid, "station link")

// Direction of a port.
type Direction string

// The two directions.
const (
	Receiver    Direction = "receiver"
	Transmitter Direction = "transmitter"
)

// Port is one end of a station.
type Port struct {
	ID        string    `json:"id"`
	Direction Direction `json:"direction"`
	Medium    string    `json:"medium"` // infrared or radio
	// FromHz and ToHz are the range of carriers or channels that the port works on.
	FromHz    int  `json:"from_hz"`
	ToHz      int  `json:"to_hz"`
	Longest   int  `json:"longest"`             // durations in the longest train, or all parts of a send
	Strength  bool `json:"strength,omitempty"`  // it measures strength
	Frequency bool `json:"frequency,omitempty"` // it measures carrier or channel
	// Duty is the only share of a carrier's cycle that it can be on, where that is fixed; 0 is any.
	Duty float64 `json:"duty,omitempty"`
}

// Message is anything that travels over the link. Its concrete type is one of those below.
type Message interface{ kind() string }

// Hello is what a station says first, and again whenever it comes back.
type Hello struct {
	Link     int    `json:"link"`
	Station  string `json:"station"`
	Model    string `json:"model"`
	Firmware string `json:"firmware"`
	Ports    []Port `json:"ports"`
	// Now is the station's clock in µs when it says this; 0 where it keeps nothing for later.
	Now int64 `json:"now,omitempty"`
	// Message is the most bytes of one message that it takes; 0 is MaxMessage.
	Message int `json:"message,omitempty"`
	// Sum says that it reads the check sum behind a line, and wants one.
	Sum bool `json:"sum,omitempty"`
}

// Welcome answers a Hello that is accepted.
type Welcome struct {
	Link int `json:"link"`
}

// Refused answers a Hello that is not.
type Refused struct {
	Reason string `json:"reason"`
}

// Heard is one train from a receiver. At is the station's clock in µs at the first edge; Gap is the silence after
// the train, as far as it was seen.
type Heard struct {
	Port        string       `json:"port"`
	At          int64        `json:"at"`
	Train       signal.Train `json:"train"`
	Gap         int          `json:"gap_us"`
	Strength    *float64     `json:"strength,omitempty"` // 0 to 1
	CarrierHz   int          `json:"carrier_hz,omitempty"`
	FrequencyHz int          `json:"frequency_hz,omitempty"`
	More        bool         `json:"more,omitempty"` // the train was longer than the station can hold
}

// Bounds of what is heard: the longest silence after a train in µs, and the highest carrier or channel in Hz.
const (
	mostGap int64 = 3_600_000_000
	mostHz  int64 = 10_000_000_000
)

// Check says whether a train is one, and what is said of it within its bounds. A clock may say anything.
func (h Heard) Check() error {
	if err := h.Train.Check(); err != nil {
		return err
	}
	switch {
	case h.Gap < 0 || int64(h.Gap) > mostGap:
		return fmt.Errorf("%w: gap_us %d: it is from 0 to an hour", ErrMessage, h.Gap)
	case h.Strength != nil && !(*h.Strength >= 0 && *h.Strength <= 1):
		return fmt.Errorf("%w: strength %g: it is from 0 to 1", ErrMessage, *h.Strength)
	case h.CarrierHz < 0 || h.FrequencyHz < 0 || int64(max(h.CarrierHz, h.FrequencyHz)) > mostHz:
		return fmt.Errorf("%w: a carrier or frequency beyond 10 GHz", ErrMessage)
	}
	return nil
}

// Send asks a transmitter to play. Every part carries its own trailing space, so its length is even; GapUS is the
// least silence after the whole.
type Send struct {
	ID          string  `json:"id"`
	Port        string  `json:"port"`
	CarrierHz   int     `json:"carrier_hz,omitempty"`
	FrequencyHz int     `json:"frequency_hz,omitempty"`
	Duty        float64 `json:"duty,omitempty"` // share of a carrier's cycle that is on, 0 to 1
	Once        []int   `json:"once,omitempty"`
	Repeat      []int   `json:"repeat,omitempty"`
	Repeats     int     `json:"repeats,omitempty"`
	Last        []int   `json:"last,omitempty"`
	GapUS       int     `json:"gap_us,omitempty"`
	WithinMS    int     `json:"within_ms,omitempty"`
}

// Airtime is how long the send lasts, in µs.
func (s Send) Airtime() int {
	return signal.Sum(s.Once) + s.Repeats*signal.Sum(s.Repeat) + signal.Sum(s.Last) + s.GapUS
}

// Check says whether a transmitter can send this: its channel, and parts that fit. The error is a reason for Failed.
func (s Send) Check(p Port) error {
	if hz := s.CarrierHz + s.FrequencyHz; hz != 0 && (hz < p.FromHz || hz > p.ToHz) {
		return fmt.Errorf("%d Hz is beyond %s, which sends from %d to %d Hz", hz, p.ID, p.FromHz, p.ToHz)
	}
	if n := len(s.Once) + len(s.Repeat) + len(s.Last); n > p.Longest {
		return fmt.Errorf("%d durations are too long for %s: the most is %d", n, p.ID, p.Longest)
	}
	for _, part := range [][]int{s.Once, s.Repeat, s.Last} {
		if len(part)%2 != 0 {
			return errors.New("a part has to end with a space")
		}
		for _, d := range part {
			if d <= 0 {
				return errors.New("a duration has to be above 0")
			}
		}
	}
	if len(s.Once)+len(s.Repeat)+len(s.Last) == 0 || s.Repeats < 0 || s.GapUS < 0 {
		return errors.New("there is nothing to send")
	}
	return nil
}

// Sent answers a Send that went out. Started is the station's clock, Took how long it was on the air, both in µs.
type Sent struct {
	ID      string `json:"id"`
	Started int64  `json:"started,omitempty"` // 0 where the station does not tell
	Took    int64  `json:"took"`
}

// Failed answers a Send of which nothing went out.
type Failed struct {
	ID     string `json:"id"`
	Reason string `json:"reason"`
}

// Hold lets a Send go on repeating for a lease in ms.
type Hold struct {
	ID    string `json:"id"`
	Lease int    `json:"lease_ms"`
}

// Measure asks receivers to measure carriers for a lease in ms, also where that costs range: somebody is teaching.
type Measure struct {
	Lease int `json:"lease_ms"`
}

// Cancel ends the repeating of a Send.
type Cancel struct {
	ID string `json:"id"`
}

// Gone says that a station is going away, or is its last will on a broker.
type Gone struct{}

// Who asks a station that has not said hello since the link was made to say it.
type Who struct{}

// Ping asks the other side whether it lives.
type Ping struct{}

// Pong answers a Ping.
type Pong struct{}

// Note is something that a station wants in the journal.
type Note struct {
	Severity string `json:"severity"` // info, warning or error
	Text     string `json:"text"`
}

func (Hello) kind() string   { return "hello" }
func (Welcome) kind() string { return "welcome" }
func (Refused) kind() string { return "refused" }
func (Heard) kind() string   { return "heard" }
func (Send) kind() string    { return "send" }
func (Sent) kind() string    { return "sent" }
func (Failed) kind() string  { return "failed" }
func (Hold) kind() string    { return "hold" }
func (Measure) kind() string { return "measure" }
func (Cancel) kind() string  { return "cancel" }
func (Gone) kind() string    { return "gone" }
func (Who) kind() string     { return "who" }
func (Ping) kind() string    { return "ping" }
func (Pong) kind() string    { return "pong" }
func (Note) kind() string    { return "note" }

// Marshal writes a message as one JSON object with its type in "t", without a line break.
func Marshal(m Message) ([]byte, error) {
	if h, ok := m.(Hello); ok && h.Ports == nil {
		h.Ports = []Port{} // none is a list, too
		m = h
	}
	body, err := json.Marshal(m)
	if err != nil {
		return nil, fmt.Errorf("%w: write %s: %w", ErrMessage, m.kind(), err)
	}
	head := fmt.Sprintf(`{"t":%q`, m.kind())
	if len(body) > 2 {
		head += ","
	}
	return append([]byte(head), body[1:]...), nil
}

// Unmarshal reads a message. Unknown fields are passed over. A type that is not known gives a nil message and no
// error, so that both sides can grow.
func Unmarshal(data []byte) (Message, error) {
	var head struct {
		T string `json:"t"`
	}
	if err := json.Unmarshal(data, &head); err != nil {
		return nil, fmt.Errorf("%w: not a JSON object: %w", ErrMessage, err)
	}
	switch head.T {
	case "hello":
		return read[Hello](data)
	case "welcome":
		return read[Welcome](data)
	case "refused":
		return read[Refused](data)
	case "heard":
		return read[Heard](data)
	case "send":
		return read[Send](data)
	case "sent":
		return read[Sent](data)
	case "failed":
		return read[Failed](data)
	case "hold":
		return read[Hold](data)
	case "measure":
		return read[Measure](data)
	case "cancel":
		return read[Cancel](data)
	case "gone":
		return Gone{}, nil
	case "who":
		return Who{}, nil
	case "ping":
		return Ping{}, nil
	case "pong":
		return Pong{}, nil
	case "note":
		return read[Note](data)
	case "":
		return nil, fmt.Errorf("%w: a message without its type: add \"t\"", ErrMessage)
	}
	return nil, nil
}

func read[M Message](data []byte) (Message, error) {
	var m M
	if err := json.Unmarshal(data, &m); err != nil {
		return nil, fmt.Errorf("%w: %s: %w", ErrMessage, m.kind(), err)
	}
	return m, nil
}

var nameRule = regexp.MustCompile(`^[a-z0-9-]{1,40}$`)

// ValidName says whether a station or port may have a name.
func ValidName(name string) bool { return nameRule.MatchString(name) }

// LeastMessage is the fewest bytes that a station has to take in one message.
const LeastMessage = 512

// maxPorts is the most ports of a station.
const maxPorts = 64

// Check says whether a Hello follows the rules: link version, names, directions and media of its ports.
func (h Hello) Check() error {
	if h.Link != Version {
		return fmt.Errorf("%w: version %d: this Urbo speaks version %d", ErrMessage, h.Link, Version)
	}
	if !nameRule.MatchString(h.Station) {
		return fmt.Errorf("%w: station %.50q: a name is 1 to 40 of a-z, 0-9 and -", ErrMessage, h.Station)
	}
	if h.Message != 0 && h.Message < LeastMessage {
		return fmt.Errorf("%w: station %s takes %d bytes in one message: it has to take %d at least", ErrMessage,
			h.Station, h.Message, LeastMessage)
	}
	if len(h.Ports) > maxPorts {
		return fmt.Errorf("%w: station %s has %d ports, the most is %d", ErrMessage, h.Station, len(h.Ports), maxPorts)
	}
	seen := map[string]bool{}
	for _, p := range h.Ports {
		switch {
		case !nameRule.MatchString(p.ID):
			return fmt.Errorf("%w: station %s, port %.50q: a name is 1 to 40 of a-z, 0-9 and -", ErrMessage, h.Station,
				p.ID)
		case seen[p.ID]:
			return fmt.Errorf("%w: station %s has two ports %q: rename one", ErrMessage, h.Station, p.ID)
		case p.Direction != Receiver && p.Direction != Transmitter:
			return fmt.Errorf("%w: port %s/%s: direction is receiver or transmitter, not %.20q", ErrMessage, h.Station,
				p.ID, p.Direction)
		case p.Medium != "infrared" && p.Medium != "radio":
			return fmt.Errorf("%w: port %s/%s: medium is infrared or radio, not %.20q", ErrMessage, h.Station, p.ID,
				p.Medium)
		case p.Duty < 0 || p.Duty > 1:
			return fmt.Errorf("%w: port %s/%s: duty is a share from 0 to 1, not %g", ErrMessage, h.Station, p.ID,
				p.Duty)
		case p.Longest < 3 || p.FromHz <= 0 || p.ToHz < p.FromHz:
			return fmt.Errorf("%w: port %s/%s: give longest (at least 3), from_hz and to_hz", ErrMessage, h.Station,
				p.ID)
		}
		seen[p.ID] = true
	}
	return nil
}

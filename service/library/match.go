package library

import (
	"context"
	"log/slog"
	"slices"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/signal"
)

// senders lists the keys that are found by one of some identities; those with another frame are left out.
func (l *Library) senders(sends func(signal.Train) bool, identities ...string) []happening.KeyMatch {
	found, err := l.devices.Senders(context.Background(), identities...)
	if err != nil {
		slog.Error("look up whose key it is", "error", err)
		return nil
	}
	var out []happening.KeyMatch
	for _, s := range found {
		if sends != nil {
			if own, err := s.Train(); err != nil || !sends(own) {
				continue
			}
		}
		if m := (happening.KeyMatch{DeviceID: s.DeviceID, Ref: s.Ref}); !slices.Contains(out, m) {
			out = append(out, m)
		}
	}
	return out
}

// sendersOf lists the keys that send what a code sends.
func (l *Library) sendersOf(c device.Code) []happening.KeyMatch {
	if c.Sheet != "" {
		return l.senders(nil, l.Identity(c))
	}
	return l.senders(sendsAs(c.Train), l.Identity(c))
}

// sendsAs says whether another clean frame is the same signal.
func sendsAs(frame signal.Train) func(signal.Train) bool {
	return func(own signal.Train) bool { return bench.Alike(own, frame) }
}

// near are the identities under which a key may be found that sends a structure, though it has another one.
func near(s *bench.Structure) []string {
	prints := s.Near()
	out := make([]string, len(prints))
	for i, p := range prints {
		out[i] = device.Fingerprint(p)
	}
	return out
}

// Sending lists the keys that send what some codes send, each once.
func (l *Library) Sending(codes []device.Code) (out []happening.KeyMatch) {
	for _, c := range codes {
		for _, m := range l.sendersOf(c) {
			if !slices.Contains(out, m) {
				out = append(out, m)
			}
		}
	}
	return out
}

// SameCode lists the keys of other devices that send what a key sends.
func (l *Library) SameCode(deviceID string, k device.Key) (out []happening.KeyMatch) {
	if len(k.Codes) == 0 {
		return nil
	}
	for _, m := range l.sendersOf(k.Codes[0]) {
		if m.DeviceID != deviceID {
			out = append(out, m)
		}
	}
	return out
}

// Match lists the keys that send what was heard: by the most trusted reading that any key has, else by the structure
// of the signal, nil where it has none.
func (l *Library) Match(readings []line.Reading, structure *bench.Structure) []happening.KeyMatch {
	for _, r := range readings {
		s, err := l.book.Sheet(r.Sheet)
		if err != nil {
			continue
		}
		if keys := l.senders(nil, s.Identity(r.Fields)); len(keys) > 0 {
			return keys
		}
	}
	if structure == nil {
		return nil
	}
	if keys := l.senders(structure.Sends, device.Fingerprint(structure.Print)); len(keys) > 0 {
		return keys
	}
	return l.senders(structure.Sends, near(structure)...)
}

// MatchSets lists the keys of code sets that send what was heard.
func (l *Library) MatchSets(readings []line.Reading, structure *bench.Structure) []happening.SetMatch {
	shelf := l.onShelf()
	for _, r := range readings {
		if s, err := l.book.Sheet(r.Sheet); err == nil {
			if keys := shelf.senders(nil, s.Identity(r.Fields)); len(keys) > 0 {
				return keys
			}
		}
	}
	if structure == nil {
		return nil
	}
	if keys := shelf.senders(structure.Sends, device.Fingerprint(structure.Print)); len(keys) > 0 {
		return keys
	}
	return shelf.senders(structure.Sends, near(structure)...)
}

// Recognise looks for whose key a capture is.
func (l *Library) Recognise(c *happening.Capture) {
	c.Sets = nil
	if c.Keys = l.Match(c.Readings, c.Structure); len(c.Keys) == 0 {
		c.Sets = l.MatchSets(c.Readings, c.Structure)
	}
}

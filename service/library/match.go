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

// senders lists the keys that are found by an identity; frame is what they must send, where it is a fingerprint's.
func (l *Library) senders(identity string, frame signal.Train) []happening.KeyMatch {
	found, err := l.devices.Senders(context.Background(), identity)
	if err != nil {
		slog.Error("look up whose key it is", "error", err)
		return nil
	}
	var out []happening.KeyMatch
	for _, s := range found {
		if frame != nil {
			if own, err := s.Train(); err != nil || !bench.Alike(own, frame) {
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
		return l.senders(l.Identity(c), nil)
	}
	return l.senders(l.Identity(c), c.Train)
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
		if keys := l.senders(s.Identity(r.Fields), nil); len(keys) > 0 {
			return keys
		}
	}
	if structure == nil {
		return nil
	}
	return l.senders(device.Fingerprint(structure.Print), structure.Frame)
}

// MatchSets lists the keys of code sets that send what was heard.
func (l *Library) MatchSets(readings []line.Reading, structure *bench.Structure) []happening.SetMatch {
	shelf := l.onShelf()
	for _, r := range readings {
		if s, err := l.book.Sheet(r.Sheet); err == nil {
			if keys := shelf.senders(s.Identity(r.Fields), nil); len(keys) > 0 {
				return keys
			}
		}
	}
	if structure == nil {
		return nil
	}
	return shelf.senders(device.Fingerprint(structure.Print), structure.Frame)
}

// Recognise looks for whose key a capture is.
func (l *Library) Recognise(c *happening.Capture) {
	c.Sets = nil
	if c.Keys = l.Match(c.Readings, c.Structure); len(c.Keys) == 0 {
		c.Sets = l.MatchSets(c.Readings, c.Structure)
	}
}

package device

import (
	"fmt"
	"slices"
	"strings"
)

// Kind is a kind of device with the keys usually found on its handset.
type Kind struct {
	Name       string
	Keys       []string
	WholeState bool // its handsets send all that their display shows with every press
}

// kinds are the kinds of devices with the keys usually found on their handsets, in the order people think of them.
var kinds = []Kind{
	{Name: "projector", Keys: []string{"on", "off", "source", "menu", "up", "down", "left", "right", "ok", "freeze",
		"blank"}},
	{Name: "screen", Keys: []string{"up", "down", "stop"}},
	{Name: "amplifier", Keys: []string{"power", "volume-up", "volume-down", "mute", "input-1", "input-2", "input-3",
		"input-4"}},
	{Name: "tuner", Keys: []string{"power", "0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "channel-up",
		"channel-down", "volume-up", "volume-down"}},
	{Name: "player", Keys: []string{"power", "play", "pause", "stop", "previous", "next", "menu", "up", "down", "left",
		"right", "ok"}},
	{Name: "fan", Keys: []string{"power", "speed-1", "speed-2", "speed-3", "speed-4", "sweep"}},
	{Name: "light", Keys: []string{"power", "red", "amber", "white", "dim", "brighter", "breathe"}},
	{Name: "socket", Keys: []string{"on", "off"}},
	{Name: "shutter", Keys: []string{"up", "down", "stop"}},
	{Name: "air-conditioner", Keys: []string{"on", "off"}, WholeState: true},
	{Name: "heater", Keys: []string{"on", "off"}},
	{Name: "contact", Keys: []string{"opened", "closed"}},
	{Name: "other", Keys: []string{}},
}

// Kinds lists the kinds of devices.
func Kinds() []Kind { return kinds }

// UsualKeys lists the keys usually found on the handset of a kind.
func UsualKeys(kind string) []string {
	for _, k := range kinds {
		if k.Name == kind {
			return k.Keys
		}
	}
	return nil
}

// CheckKind refuses what is no kind. The error wraps ErrName and lists those that there are.
func CheckKind(kind string) error {
	if slices.ContainsFunc(kinds, func(k Kind) bool { return k.Name == kind }) {
		return nil
	}
	names := make([]string, len(kinds))
	for i, k := range kinds {
		names[i] = k.Name
	}
	return fmt.Errorf("%w: kind %.40q: there are %s", ErrName, kind, strings.Join(names, ", "))
}

// SendsWholeState says whether handsets of a kind send all that their display shows with every press.
func SendsWholeState(kind string) bool {
	return slices.ContainsFunc(kinds, func(k Kind) bool { return k.Name == kind && k.WholeState })
}

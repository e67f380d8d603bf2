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
	{Name: "television", Keys: slices.Concat([]string{"power", "source"}, digits, []string{"channel-up", "channel-down",
		"volume-up", "volume-down", "mute"}, cursor, []string{"back"})},
	{Name: "set-top-box", Keys: slices.Concat([]string{"power"}, digits, []string{"channel-up", "channel-down",
		"guide", "record"}, playing, cursor, []string{"back"})},
	{Name: "player", Keys: slices.Concat([]string{"power"}, playing, []string{"previous", "next"}, cursor)},
	{Name: "projector", Keys: slices.Concat([]string{"on", "off", "source"}, cursor, []string{"freeze", "blank"})},
	{Name: "screen", Keys: []string{"up", "down", "stop"}},
	{Name: "amplifier", Keys: []string{"power", "volume-up", "volume-down", "mute", "input-1", "input-2", "input-3",
		"input-4"}},
	{Name: "speaker", Keys: []string{"power", "volume-up", "volume-down", "mute", "source"}},
	{Name: "tuner", Keys: slices.Concat([]string{"power"}, digits, []string{"channel-up", "channel-down", "volume-up",
		"volume-down"})},
	{Name: "light", Keys: []string{"power", "red", "amber", "white", "dim", "brighter", "breathe"}},
	{Name: "lamp", Keys: []string{"on", "off", "brighter", "darker", "warmer", "colder"}},
	{Name: "socket", Keys: []string{"on", "off"}},
	{Name: "fan", Keys: []string{"power", "speed-1", "speed-2", "speed-3", "speed-4", "sweep"}},
	{Name: "air-conditioner", Keys: []string{"on", "off"}, WholeState: true},
	{Name: "air-cleaner", Keys: []string{"power", "speed", "timer", "sweep"}},
	{Name: "heater", Keys: []string{"on", "off"}},
	{Name: "fireplace", Keys: []string{"power", "warmer", "colder", "flame", "timer"}},
	{Name: "shutter", Keys: []string{"up", "down", "stop"}},
	{Name: "blind", Keys: []string{"up", "down", "stop"}},
	{Name: "awning", Keys: []string{"out", "in", "stop"}},
	{Name: "gate", Keys: []string{"open"}},
	{Name: "vacuum", Keys: []string{"start", "stop", "home", "spot"}},
	{Name: "bell", Keys: []string{"ring"}},
	{Name: "contact", Keys: []string{"opened", "closed"}},
	{Name: "sensor", Keys: []string{}},
	{Name: "button", Keys: []string{"a", "b", "c", "d"}},
	{Name: "other", Keys: []string{}},
}

// Keys that handsets of several kinds have.
var (
	digits  = []string{"0", "1", "2", "3", "4", "5", "6", "7", "8", "9"}
	cursor  = []string{"menu", "up", "down", "left", "right", "ok"}
	playing = []string{"play", "pause", "stop"}
)

// Kinds lists the kinds of devices.
func Kinds() []Kind { return kinds }

// KindNames are the names of the kinds of devices.
func KindNames() []string {
	names := make([]string, len(kinds))
	for i, k := range kinds {
		names[i] = k.Name
	}
	return names
}

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
	return fmt.Errorf("%w: kind %.40q: there are %s", ErrName, kind, strings.Join(KindNames(), ", "))
}

// SendsWholeState says whether handsets of a kind send all that their display shows with every press.
func SendsWholeState(kind string) bool {
	return slices.ContainsFunc(kinds, func(k Kind) bool { return k.Name == kind && k.WholeState })
}

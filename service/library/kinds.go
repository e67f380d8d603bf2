package library

import "urbo/wire"

// kinds are the kinds of devices with the keys usually found on their handsets, in the order people think of them.
var kinds = []wire.Kind{
	{Name: "projector", Keys: []string{"on", "off", "source", "menu", "up", "down", "left", "right", "ok", "freeze", "blank"}},
	{Name: "screen", Keys: []string{"up", "down", "stop"}},
	{Name: "amplifier", Keys: []string{"power", "volume-up", "volume-down", "mute", "input-1", "input-2", "input-3", "input-4"}},
	{Name: "tuner", Keys: []string{"power", "0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "channel-up", "channel-down", "volume-up", "volume-down"}},
	{Name: "player", Keys: []string{"power", "play", "pause", "stop", "previous", "next", "menu", "up", "down", "left", "right", "ok"}},
	{Name: "fan", Keys: []string{"power", "speed-1", "speed-2", "speed-3", "speed-4", "sweep"}},
	{Name: "light", Keys: []string{"power", "red", "amber", "white", "dim", "brighter", "breathe"}},
	{Name: "socket", Keys: []string{"on", "off"}},
	{Name: "shutter", Keys: []string{"up", "down", "stop"}},
	{Name: "air-conditioner", Keys: []string{"on", "off"}},
	{Name: "heater", Keys: []string{"on", "off"}},
	{Name: "other", Keys: []string{}},
}

// Kinds lists the kinds of devices.
func Kinds() []wire.Kind { return kinds }

// UsualKeys lists the keys usually found on the handset of a kind.
func UsualKeys(kind string) []string {
	for _, k := range kinds {
		if k.Name == kind {
			return k.Keys
		}
	}
	return nil
}

// Package pairing knows how devices that obey paired handsets only take a new one: a handset of Urbo's own.
package pairing

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/line"
)

// ErrWay is wrapped where a way is not known; the text lists those that are.
var ErrWay = fault.New(fault.Invalid, "way to pair")

// Way is how a kind of device takes a new handset.
type Way struct {
	Name  string // of the way: its line code
	For   string // what it is for, in words
	ID    string // field that tells handsets apart
	Bits  int    // of that field
	Field string // field that tells keys apart
	Keys  []Key  // of the handset
	Fixed line.Fields
	Pair  string // key that asks to be paired
	First string // what to do before it is sent
	Shows string // how the device says that it took the handset
}

// Key of a handset and what it sends in the way's field.
type Key struct {
	Name  string
	Value int64
}

var onOff = []Key{{"on", 1}, {"off", 2}}

// ways are all ways. A socket forgets what it was taught only when it is full, so a handset more does no harm.
var ways = []Way{
	{Name: "roll56", For: "rolling-code shutters", ID: "handset", Bits: 24, Field: "button",
		Keys: []Key{{"up", 2}, {"down", 4}, {"stop", 1}, {"pair", 8}}, Fixed: line.Fields{"counter": line.Number(1)},
		Pair:  "pair",
		First: "Hold the program key of a handset that it obeys, or of the motor itself, until it moves a little.",
		Shows: "it moves a little once more"},
	{Name: "sl32", For: "sockets that learn", ID: "id", Bits: 26, Field: "state", Keys: []Key{{"on", 1}, {"off", 0}},
		Fixed: line.Fields{"group": line.Number(0), "channel": line.Number(0), "unit": line.Number(0)}, Pair: "on",
		First: "Hold the key on the socket until its light blinks.", Shows: "its light stops blinking, or it clicks"},
	{Name: "ev1527", For: "sockets and relays that learn", ID: "id", Bits: 20, Field: "key", Keys: onOff, Pair: "on",
		First: "Press the learning key on the device until its light blinks.",
		Shows: "its light blinks fast, or it clicks"},
	{Name: "ht6p20", For: "gates and relays that learn", ID: "address", Bits: 22, Field: "data", Keys: onOff,
		Pair:  "on",
		First: "Press the learning key on the device until its light blinks.",
		Shows: "its light blinks fast, or it clicks"},
}

// Ways lists the ways.
func Ways() []Way { return ways }

// Find finds a way by its name. The error wraps ErrWay.
func Find(name string) (Way, error) {
	if i := slices.IndexFunc(ways, func(w Way) bool { return w.Name == name }); i >= 0 {
		return ways[i], nil
	}
	var names []string
	for _, w := range ways {
		names = append(names, w.Name)
	}
	return Way{}, fmt.Errorf("%w %.40q: there are %s", ErrWay, name, strings.Join(names, ", "))
}

// Handset is the keys of a handset with an id, which is taken as far as it fits.
func (w Way) Handset(id uint64) []device.Key {
	n := int64(id & (1<<w.Bits - 1))
	n = max(n, 1) // nothing but zeros is no id
	out := make([]device.Key, len(w.Keys))
	for i, k := range w.Keys {
		c := device.Code{Sheet: w.Name, Source: "own"}.Turn(w.Fixed)
		c.Fields[w.ID], c.Fields[w.Field] = line.Number(n), line.Number(k.Value)
		out[i] = device.Key{Name: k.Name, Codes: []device.Code{c}}
	}
	return out
}

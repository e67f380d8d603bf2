package history

import (
	"strconv"
	"time"

	"urbo/core/device"
	"urbo/core/errand"
	"urbo/core/grant"
	"urbo/core/happening"
)

// Noter turns what happens into facts. Whoever follows the stream with one of its own has the same facts as the
// history.
type Noter struct {
	stamp   func(time.Time) time.Time
	sender  map[string]string // who pressed or told last for a device, by its id
	heard   map[string]heard  // by id and key
	battery map[string]string // by measurement
}

// heard is the last press of a key, and which receiver heard it.
type heard struct {
	place string
	began time.Time
	early bool // it was noted while it was being pressed
}

// sameMoment is how far apart receivers may say that one press began.
const sameMoment = 300 * time.Millisecond

// NewNoter makes one. stamp is what the calendar clock showed at a time.
func NewNoter(stamp func(time.Time) time.Time) *Noter {
	return &Noter{stamp: stamp, sender: map[string]string{}, heard: map[string]heard{}, battery: map[string]string{}}
}

// Note gives the facts that something is.
func (n *Noter) Note(h happening.Happening) []errand.Fact {
	f := errand.Fact{At: n.stamp(h.At)}
	switch w := h.What.(type) {
	case happening.Pressed:
		n.sender[w.DeviceID] = who(h.By)
		return nil
	case happening.ToldBelief:
		n.sender[w.DeviceID] = who(h.By)
		return nil
	case happening.Believed:
		f.Kind, f.Of, f.Name, f.Value, f.May = errand.OfControl, w.DeviceID, w.Control, w.Value, w.May
		if f.By = n.sender[w.DeviceID]; w.Source == "heard" {
			f.By = string(grant.Handset)
		}
	case happening.Heard:
		return n.keys(h, w)
	case happening.Measured:
		f.Kind, f.Of, f.Value = errand.OfMeasurement, w.Measurement, strconv.FormatFloat(w.Value, 'g', -1, 64)
		if w.Battery != "" && n.battery[w.Measurement] != w.Battery {
			n.battery[w.Measurement] = w.Battery
			return []errand.Fact{f, {At: f.At, Kind: errand.OfBattery, Of: w.Measurement, Value: w.Battery}}
		}
	case happening.FellSilent:
		f.Kind, f.Of = errand.OfMeasurement, w.Measurement
	case happening.OccasionInForce:
		f.Kind, f.Of, f.Value, f.By = errand.OfOccasion, w.OccasionID, errand.Begins, who(h.By)
		if len(w.Rooms) == 0 {
			f.Value = errand.Ends
		}
	case happening.StationHere:
		f.Kind, f.Of, f.Value = errand.OfStation, w.StationID, errand.Here
	case happening.StationAway:
		f.Kind, f.Of, f.Value = errand.OfStation, w.StationID, errand.Away
	case happening.Marked:
		f.Kind, f.Of, f.Value = errand.OfMarker, w.Marker, errand.Unset
		if w.On {
			f.Value = errand.Set
		}
	case happening.MainsFailed:
		f.Kind, f.Value = errand.OfHouse, errand.Mains
	case happening.HouseStarted:
		f.Kind, f.Value = errand.OfHouse, errand.Starts
	case happening.Brought:
		f.Kind, f.Of, f.Value, f.Name, f.By = w.Kind, w.Of, w.Value, w.Title, who(h.By)
		if !w.At.IsZero() {
			f.May = []string{w.At.UTC().Format(time.RFC3339)}
		}
	default:
		return nil
	}
	return []errand.Fact{f}
}

// keys are the keys of a handset's press. What a second receiver heard of it is no other press; what came late, and
// what is not sure, is none.
func (n *Noter) keys(h happening.Happening, w happening.Heard) (out []errand.Fact) {
	c := w.Capture
	if w.Echo || w.Quiet || c.Late || c.Maybe {
		return nil
	}
	place := c.StationID + "/" + c.Port
	length := strconv.FormatInt(c.Length().Milliseconds(), 10)
	keys := c.Keys
	if len(keys) == 0 && w.DeviceID != "" { // what is told without its capture
		keys = []happening.KeyMatch{{DeviceID: w.DeviceID, Ref: device.Ref{Key: w.Key}}}
	}
	for _, k := range keys {
		if k.DeviceID == "" || k.Key == "" {
			continue
		}
		path := k.DeviceID + "/" + k.Key
		if !n.another(path, heard{place: place, began: h.At}) {
			continue
		}
		out = append(out, errand.Fact{At: n.stamp(h.At), Kind: errand.OfKey, Of: k.DeviceID, Name: k.Key, Value: length,
			By: string(grant.Handset)})
	}
	return out
}

// another says whether a press is another one than the last of its key.
func (n *Noter) another(path string, now heard) bool {
	last, known := n.heard[path]
	n.heard[path] = now
	return !known || now.began.Sub(last.began).Abs() >= sameMoment ||
		last.place == now.place && !(last.early && now.began.Equal(last.began))
}

// Down gives the fact of a key that is being pressed. What Note would give of that press when it is over is left out.
func (n *Noter) Down(at time.Time, w happening.KeyDown) []errand.Fact {
	if !n.another(w.DeviceID+"/"+w.Key, heard{w.Place, at, true}) {
		return nil
	}
	return []errand.Fact{{At: n.stamp(at), Kind: errand.OfKey, Of: w.DeviceID, Name: w.Key, Value: "0",
		By: string(grant.Handset)}}
}

// who is by whom something comes about: handset, person, program or errand.
func who(by grant.By) string {
	switch by.Kind {
	case grant.Person, grant.Program, grant.Errand, grant.Handset:
		return string(by.Kind)
	}
	return ""
}

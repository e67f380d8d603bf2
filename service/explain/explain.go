// Package explain says why nothing happens when a key is pressed: it looks at the code, the way to a transmitter, its
// airtime, who ever heard it, what became of the last press, and what is believed of the device. Nothing is sent.
package explain

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/service/journal"
	"urbo/service/stations"
	"urbo/service/transmit"
)

// Is is what was found of something.
type Is string

// The findings.
const (
	Good  Is = "good"
	Doubt Is = "doubt" // it may be why
	Bad   Is = "bad"   // it is why
)

// Finding is one thing that was looked at.
type Finding struct {
	About string // code, way, airtime, test, press, device or eyes
	Is    Is
	Text  string
	Do    string    // what to do about it; "" for nothing
	At    time.Time // when that was; zero where it is of now
}

// Library finds devices.
type Library interface {
	Device(slug string) (device.Device, error)
}

// Transmit says how a press would go out.
type Transmit interface {
	Way(o transmit.Order) (places []transmit.Place, missing []string, err error)
	Warming(d device.Device) string
}

// Stations knows what transmitters did.
type Stations interface {
	Air(place string) (stations.Air, bool)
	Reached(place string) (receivers []string, tested bool)
}

// Journal finds what was pressed.
type Journal interface {
	Find(ctx context.Context, q journal.Query) (journal.Page, error)
}

// Beliefs is what devices are believed to be at.
type Beliefs interface {
	StatesOf(id string) ([]control.State, error)
}

// Explainer looks at presses.
type Explainer struct {
	Library  Library
	Transmit Transmit
	Stations Stations
	Journal  Journal
	Beliefs  Beliefs
}

// looks is how many presses of a device are looked at for the last one of a key.
const looks = 100

// Key says what stands in the way of a press of a key, in the order in which it is sent. Errors are those of
// the library and the journal.
func (e *Explainer) Key(ctx context.Context, ref device.Ref) ([]Finding, error) {
	d, err := e.Library.Device(ref.Device)
	if err != nil {
		return nil, err
	}
	k, err := d.Key(ref.Key)
	if err != nil {
		return nil, err
	}
	out := code(d, ref.Key, *k)
	if k.Learned() {
		way, places := e.way(d, *k)
		out = append(out, way...)
		for _, p := range places {
			out = append(out, e.transmitter(p)...)
		}
	}
	last, err := e.last(ctx, d, ref.Key)
	if err != nil {
		return nil, err
	}
	out = append(append(out, last...), e.device(d, ref.Key)...)
	if !slices.ContainsFunc(out, func(f Finding) bool { return f.Is == Bad }) {
		out = append(out, Finding{About: "eyes", Is: Doubt,
			Text: "Where all of this is as it should be, it is between the transmitter and the device.",
			Do: "Try its own handset; take away what stands between; bring the transmitter nearer, or let it send " +
				"longer: urbo device set-key " + d.Slug + "/" + ref.Key + " --repeats 3"})
	}
	return out, nil
}

// code looks at what a key sends.
func code(d device.Device, name string, k device.Key) []Finding {
	path := d.Slug + "/" + name
	switch {
	case k.Followed() && !k.Learned():
		return []Finding{{About: "code", Is: Bad, Do: "Make a handset of Urbo's own: urbo device pair " + d.Slug,
			Text: path + " cannot be sent: each code of its handset is obeyed once, so it is only followed."}}
	case !k.Learned():
		return []Finding{{About: "code", Is: Bad, Text: path + " is not learned.",
			Do: "urbo learn " + d.Slug + " " + name}}
	}
	c := k.Codes[0]
	f := Finding{About: "code", Is: Good}
	what := "a train of " + plain.Count(len(c.Train), "duration", "durations") + " without a known line code"
	if c.Sheet != "" {
		what = c.Sheet + " " + c.Fields.String()
	}
	switch c.Source {
	case "demo":
		f.Text = fmt.Sprintf("%s sends %s.", path, what)
	case "lesson":
		f.Text = fmt.Sprintf("%s sends %s, learned from its handset.", path, what)
	case "audition":
		f.Text = fmt.Sprintf("%s sends %s, to which the device reacted in an audition.", path, what)
	case "bench":
		f.Text = fmt.Sprintf("%s sends %s, as it was heard once.", path, what)
	case "hand":
		f.Is, f.Text = Doubt, fmt.Sprintf("%s sends %s, as somebody wrote it: was it ever obeyed?", path, what)
		f.Do = "Learn it from the handset: urbo learn " + d.Slug + " " + name
	default:
		f.Is = Doubt
		f.Text = fmt.Sprintf("%s sends %s, which was never heard from its handset: was it ever obeyed?", path, what)
		f.Do = "Learn it from the handset (urbo learn " + d.Slug + " " + name + "), or try others: urbo audition " +
			d.Slug
	}
	return []Finding{f}
}

// way looks for the transmitters of a press.
func (e *Explainer) way(d device.Device, k device.Key) (out []Finding, places []string) {
	through, missing, err := e.Transmit.Way(transmit.Order{Device: d, Key: k})
	if err != nil {
		return []Finding{{About: "way", Is: Bad, Text: "Nothing can send it: " + err.Error() + ".",
			Do: "urbo station list"}}, nil
	}
	for _, p := range through {
		places = append(places, p.Name)
		f := Finding{About: "way", Is: Good, Text: "It goes out through " + p.Name + "."}
		if p.Instead != "" {
			f.Is, f.Text = Doubt, "It goes out through "+p.Name+", because "+p.Instead+"."
		}
		out = append(out, f)
	}
	for _, m := range missing {
		out = append(out, Finding{About: "way", Is: Doubt, Text: "One of its transmitters cannot send: " + m + ".",
			Do: "urbo station list"})
	}
	return out, places
}

// transmitter looks at what a transmitter may still send, and who ever heard it.
func (e *Explainer) transmitter(place string) (out []Finding) {
	if air, is := e.Stations.Air(place); is && air.Budget > 0 {
		f := Finding{About: "airtime", Is: Good, Text: fmt.Sprintf("%s was on the air for %s of %s in the last hour.",
			place, air.Used.Round(time.Second), air.Budget.Round(time.Second))}
		if air.Spent() {
			f.Is, f.Do = Bad, "Wait, or let it send longer where your country allows that: urbo station airtime "+place
		}
		out = append(out, f)
	}
	station, _, _ := strings.Cut(place, "/")
	switch heard, tested := e.Stations.Reached(place); {
	case !tested:
		out = append(out, Finding{About: "test", Is: Doubt, Text: "Nobody ever looked whether " + place + " is heard.",
			Do: "urbo station test " + station})
	case len(heard) == 0:
		out = append(out, Finding{About: "test", Is: Doubt,
			Text: "No receiver heard " + place + " when it was tested: is its LED or antenna connected?",
			Do:   "urbo station test " + station})
	default:
		out = append(out, Finding{About: "test", Is: Good, Text: place + " was heard by " + strings.Join(heard, ", ") +
			" when it was tested."})
	}
	return out
}

// last looks at what became of the last press of a key.
func (e *Explainer) last(ctx context.Context, d device.Device, key string) ([]Finding, error) {
	page, err := e.Journal.Find(ctx, journal.Query{Device: d.ID, Kind: "press", Limit: looks})
	if err != nil {
		return nil, err
	}
	for _, h := range page.Entries {
		p, is := h.What.(happening.Pressed)
		if !is || p.DeviceID != d.ID || p.Key != key {
			continue
		}
		f := Finding{About: "press", Is: Good, At: p.At}
		switch {
		case p.Outcome == happening.Failed:
			f.Is, f.Text = Doubt, "The last press failed: "+p.Reason+"."
		case p.Outcome == happening.Unknown:
			f.Is, f.Text = Doubt, "Nobody knows whether the last press went out: "+p.Reason+"."
		case p.Heard != nil && !*p.Heard:
			f.Is, f.Text = Doubt, "The last press was sent, and no receiver heard it."
		case p.Heard != nil:
			f.Text = "The last press was sent, and a receiver heard it."
		default:
			f.Text = "The last press was sent; no receiver listens there."
		}
		if p.Note != "" {
			f.Is, f.Text = Doubt, f.Text+" "+p.Note
		}
		return []Finding{f}, nil
	}
	return []Finding{{About: "press", Is: Good, Text: "It was not pressed lately."}}, nil
}

// device looks at what the device is believed to do with a press.
func (e *Explainer) device(d device.Device, key string) (out []Finding) {
	if text := e.Transmit.Warming(d); text != "" {
		out = append(out, Finding{About: "device", Is: Doubt, Text: text})
	}
	states, err := e.Beliefs.StatesOf(d.ID)
	if err != nil {
		return out
	}
	for _, s := range states {
		if s.Kind != control.Power {
			continue
		}
		tell := "Say what it is: urbo tell " + d.Slug + " " + s.Control + " on"
		switch {
		case s.Value == "off" && !strings.Contains(key, "power") && key != "on" && key != "off":
			out = append(out, Finding{About: "device", Is: Doubt, Do: "urbo set " + d.Slug + " " + s.Control + " on",
				Text: "It is believed to be off, and many devices pass over their keys then."})
		case s.Value == "":
			out = append(out, Finding{About: "device", Is: Doubt, Do: tell,
				Text: "Nobody knows whether it is on: a key that turns it on and off may have turned it off."})
		case s.Word == control.Doubtful:
			out = append(out, Finding{About: "device", Is: Doubt, Do: tell,
				Text: "It is thought to be " + s.Value + ", and that is doubtful."})
		default:
			out = append(out, Finding{About: "device", Is: Good, Text: "It is believed to be " + s.Value + "."})
		}
	}
	return out
}

package stage

import (
	"fmt"
	"slices"
	"strings"
)

// Channels and carriers of the demo's devices.
const (
	carrier38  = 38_000
	channel433 = 433_920_000
)

// irWidth and radioWidth are how far off a receiver's or an appliance's frequency a signal may lie.
const (
	irWidth    = 2_500
	radioWidth = 250_000
)

// dewSwitches are the ten coding switches of dew heater A and of its handset.
const dewSwitches = "F01F10F00F"

// New makes the Saltmarsh Observatory: its appliances and their handsets. It is an error to unplug an appliance that
// is not there.
func New(o Options) (*Stage, error) {
	s := empty(o)
	s.projector()
	s.boardwalk()
	s.dewHeater("dew-a", "Dew heater A", dewSwitches)
	for _, slug := range o.Unplug {
		if err := s.unplug(slug); err != nil {
			return nil, err
		}
	}
	return s, nil
}

func (s *Stage) unplug(slug string) error {
	i := slices.IndexFunc(s.appliances, func(p *placed) bool { return p.slug == slug })
	if i < 0 {
		var names []string
		for _, p := range s.appliances {
			names = append(names, p.slug)
		}
		return fmt.Errorf("no appliance %q on the stage to unplug: there are %s", slug, strings.Join(names, ", "))
	}
	s.appliances[i].plugged = false
	return nil
}

func (s *Stage) projector() {
	h := &Handset{Slug: "projector", Title: "Projector handset", Room: "lecture", Medium: Infrared, Hz: carrier38,
		clock: 1.004, jitter: 14, strength: 0.8, least: 1}
	for i, name := range []string{"on", "off", "source", "menu", "up", "down", "left", "right", "ok", "freeze", "blank"} {
		command := projectorOn + byte(i)
		frame := [4]byte{projectorAddress[0], projectorAddress[1], command, ^command}
		h.Keys = append(h.Keys, HandsetKey{Name: name, first: distanceFrame(frame), then: distanceHeld()})
	}
	s.handsets = append(s.handsets, h)
	s.place(&placed{Appliance: &Projector{}, slug: "projector", title: "Lecture projector", room: "lecture",
		medium: Infrared, hz: carrier38, width: irWidth, plugged: true})
}

func (s *Stage) boardwalk() {
	h := &Handset{Slug: "boardwalk", Title: "Boardwalk lights handset", Room: "outside", Medium: Infrared, Hz: carrier38,
		clock: 0.985, jitter: 38, strength: 0.25, weak: true, least: 1}
	for i, name := range []string{"power", "red", "amber", "white", "dim", "brighter", "breathe"} {
		command := boardwalkPower + 3*byte(i)
		frame := [4]byte{boardwalkAddress, ^boardwalkAddress, command, ^command}
		h.Keys = append(h.Keys, HandsetKey{Name: name, first: distanceFrame(frame), then: distanceHeld()})
	}
	s.handsets = append(s.handsets, h)
	s.place(&placed{Appliance: newBoardwalk(), slug: "boardwalk", title: "Boardwalk lights", room: "outside",
		medium: Infrared, hz: carrier38, width: irWidth, plugged: true})
}

func (s *Stage) dewHeater(slug, title, switches string) {
	h := &Handset{Slug: slug, Title: title + " handset", Room: "dome", Medium: Radio, Hz: channel433,
		clock: 1.06, jitter: 9, strength: 0.6, least: 4}
	for _, key := range []struct{ name, code string }{{"on", dewOn}, {"off", dewOff}} {
		frame := switchFrame(switches + key.code)
		h.Keys = append(h.Keys, HandsetKey{Name: key.name, first: frame, then: frame})
	}
	s.handsets = append(s.handsets, h)
	s.place(&placed{Appliance: &Dew{switches: switches}, slug: slug, title: title, room: "dome",
		medium: Radio, hz: channel433, width: radioWidth, plugged: true})
}

package stage

import (
	"fmt"
	"slices"
	"strings"
)

// Channels and carriers of the demo's devices.
const (
	carrier36    = 36_000
	carrier38    = 38_000
	carrier40    = 40_000
	channel433   = 433_920_000
	channel43342 = 433_420_000
)

// irWidth and radioWidth are how far off a receiver's or an appliance's frequency a signal may lie.
const (
	irWidth    = 2_500
	radioWidth = 250_000
)

// dewSwitches are the ten coding switches of each dew heater and of its handset.
var dewSwitches = map[string]string{"a": "F01F10F00F", "b": "F01F10F001", "c": "F01F10F010"}

// New makes the Saltmarsh Observatory: its appliances and their handsets. It is an error to unplug an appliance that
// is not there.
func New(o Options) (*Stage, error) {
	s := empty(o)
	s.projector()
	s.boardwalk()
	s.dewHeater("dew-a", "Dew heater A", dewSwitches["a"])
	s.dewHeater("dew-b", "Dew heater B", dewSwitches["b"])
	s.dewHeater("dew-c", "Dew heater C", dewSwitches["c"])
	s.amplifier()
	s.weatherRadio()
	s.heatPump()
	s.mixer()
	s.screen()
	s.shutter()
	s.door()
	s.clicker()
	s.SetFaults(o.Faults)
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
	h := &Handset{Slug: "projector", Title: "Projector handset", Room: "Lecture room", Medium: Infrared, Hz: carrier38,
		clock: 1.004, jitter: 14, strength: 0.8, least: 1}
	for i, name := range []string{"on", "off", "source", "menu", "up", "down", "left", "right", "ok", "freeze",
		"blank"} {
		command := projectorOn + byte(i)
		frame := [4]byte{projectorAddress[0], projectorAddress[1], command, ^command}
		h.Keys = append(h.Keys, HandsetKey{Name: name, first: distanceFrame(frame), then: distanceHeld()})
	}
	s.handsets = append(s.handsets, h)
	s.place(&placed{Appliance: &Projector{}, slug: "projector", title: "Lecture projector", room: "Lecture room",
		medium: Infrared, hz: carrier38, width: irWidth, plugged: true})
}

func (s *Stage) boardwalk() {
	h := &Handset{Slug: "boardwalk", Title: "Boardwalk lights handset", Room: "Outside", Medium: Infrared,
		Hz:    carrier38,
		clock: 0.985, jitter: 38, strength: 0.25, weak: true, least: 1}
	for i, name := range []string{"power", "red", "amber", "white", "dim", "brighter", "breathe"} {
		command := boardwalkPower + 3*byte(i)
		frame := [4]byte{boardwalkAddress, ^boardwalkAddress, command, ^command}
		h.Keys = append(h.Keys, HandsetKey{Name: name, first: distanceFrame(frame), then: distanceHeld()})
	}
	s.handsets = append(s.handsets, h)
	s.place(&placed{Appliance: newBoardwalk(), slug: "boardwalk", title: "Boardwalk lights", room: "Outside",
		medium: Infrared, hz: carrier38, width: irWidth, plugged: true})
}

func (s *Stage) dewHeater(slug, title, switches string) {
	h := &Handset{Slug: slug, Title: title + " handset", Room: "Dome", Medium: Radio, Hz: channel433,
		clock: 1.06, jitter: 9, strength: 0.6, least: 4}
	for _, key := range []struct{ name, code string }{{"on", dewOn}, {"off", dewOff}} {
		frame := switchFrame(switches + key.code)
		h.Keys = append(h.Keys, HandsetKey{Name: key.name, first: frame, then: frame})
	}
	s.handsets = append(s.handsets, h)
	s.place(&placed{Appliance: &Dew{switches: switches}, slug: slug, title: title, room: "Dome",
		medium: Radio, hz: channel433, width: radioWidth, plugged: true})
}

// infrared puts an infrared appliance and its handset on the stage.
func (s *Stage) infrared(h *Handset, a Appliance, title string) {
	h.Medium = Infrared
	s.handsets = append(s.handsets, h)
	if a != nil {
		s.place(&placed{Appliance: a, slug: h.Slug, title: title, room: h.Room, medium: Infrared, hz: h.Hz,
			width: irWidth, plugged: true})
	}
}

// radio puts a radio appliance and its handset on the stage.
func (s *Stage) radio(h *Handset, a Appliance, title string) {
	h.Medium = Radio
	s.handsets = append(s.handsets, h)
	if a != nil {
		s.place(&placed{Appliance: a, slug: h.Slug, title: title, room: h.Room, medium: Radio, hz: h.Hz,
			width: radioWidth, plugged: true})
	}
}

func (s *Stage) amplifier() {
	h := &Handset{Slug: "amplifier", Title: "Amplifier handset", Room: "Lecture room", Hz: carrier40, clock: 0.994,
		jitter: 12, strength: 0.7, least: 3}
	for i, name := range []string{"power", "volume-up", "volume-down", "mute", "input-1", "input-2", "input-3",
		"input-4"} {
		frame := widthFrame(amplifierAddress<<7|(amplifierPower+uint32(i)), 15)
		h.Keys = append(h.Keys, HandsetKey{Name: name, first: frame, then: frame})
	}
	s.infrared(h, newAmplifier(), "Lecture amplifier")
}

func (s *Stage) weatherRadio() {
	h := &Handset{Slug: "radio", Title: "Weather radio handset", Room: "Warm room", Hz: carrier36, clock: 1.01,
		jitter: 15, strength: 0.6, least: 1}
	toggle := uint32(0)
	add := func(name string, command uint32) {
		h.Keys = append(h.Keys, HandsetKey{Name: name, fresh: func() (first, then []int) {
			toggle ^= 1
			frame := phaseFrame(0b11<<12 | toggle<<11 | radioAddress<<6 | command)
			return frame, frame
		}})
	}
	add("power", radioPower)
	for d := range uint32(10) {
		add(string(rune('0'+d)), d)
	}
	add("channel-up", radioChannelUp)
	add("channel-down", radioChannelDown)
	add("volume-up", radioVolumeUp)
	add("volume-down", radioVolumeDown)
	s.infrared(h, newWeatherRadio(), "Weather radio")
}

func (s *Stage) heatPump() {
	h := &Handset{Slug: "heat-pump", Title: "Heat pump handset", Room: "Warm room", Hz: carrier38, clock: 1.002,
		jitter: 10, strength: 0.7, least: 1}
	shown := &climate{mode: 3, celsius: 18}
	for _, name := range []string{"on-off", "mode", "warmer", "cooler", "fan", "vane"} {
		h.Keys = append(h.Keys, HandsetKey{Name: name, fresh: func() (first, then []int) {
			shown.press(name)
			return shown.frame(), nil
		}})
	}
	s.infrared(h, &HeatPump{state: *shown, room: 18}, "Heat pump")
}

func (s *Stage) mixer() {
	h := &Handset{Slug: "mixer", Title: "Air mixer handset", Room: "Dome", Hz: carrier38, clock: 0.99, jitter: 16,
		strength: 0.6, least: 1}
	for i, name := range []string{"power", "speed-1", "speed-2", "speed-3", "speed-4", "sweep"} {
		frame := mixerFrame(mixerPower + byte(i))
		h.Keys = append(h.Keys, HandsetKey{Name: name, first: frame, then: frame})
	}
	s.infrared(h, &Mixer{speed: 1}, "Air mixer")
}

func (s *Stage) screen() {
	h := &Handset{Slug: "screen", Title: "Projection screen handset", Room: "Lecture room", Hz: channel433, clock: 0.97,
		jitter: 10, strength: 0.6, least: 4}
	for _, k := range []struct {
		name string
		key  uint32
	}{{"up", screenUp}, {"down", screenDown}, {"stop", screenStop}} {
		frame := ratioFrame(screenID<<4 | k.key)
		h.Keys = append(h.Keys, HandsetKey{Name: k.name, first: frame, then: frame})
	}
	s.radio(h, newScreen(), "Projection screen")
}

func (s *Stage) shutter() {
	shutter := newShutter()
	s.radio(rollHandset("shutter", "Dome shutter handset", shutterHandset), shutter, "Dome shutter")
	own := HandsetKey{Name: "pair-next", push: shutter.PairNext, of: s.appliances[len(s.appliances)-1]}
	s.radio(&Handset{Slug: "shutter-box", Title: "Button on the shutter's motor", Room: "Dome", Hz: channel43342,
		Keys:  []HandsetKey{own},
		About: "Held for a while, it lets the shutter take the next handset that sends pair."}, nil, "")
	spare := rollHandset("shutter-spare", "Spare shutter handset", 0x51C07E)
	spare.About = "The shutter obeys it once it is paired: press the button on the motor, then pair here."
	s.radio(spare, nil, "")
}

// rollHandset is a handset of the shutter's make, with a counter of its own.
func rollHandset(slug, title string, number uint32) *Handset {
	h := &Handset{Slug: slug, Title: title, Room: "Dome", Hz: channel43342, clock: 1.0, jitter: 12, strength: 0.5,
		least: 3}
	counter := uint16(0)
	for _, k := range []struct {
		name   string
		button byte
	}{{"up", shutterUp}, {"down", shutterDown}, {"stop", shutterStop}, {"pair", shutterPair}} {
		h.Keys = append(h.Keys, HandsetKey{Name: k.name, fresh: func() (first, then []int) {
			counter++
			b := rollBytes(k.button, counter, number)
			return rollFrame(b, true), rollFrame(b, false)
		}})
	}
	return h
}

// doorID is the number burnt into the door contact.
const doorID = 0x1C3A9

func (s *Stage) door() {
	h := &Handset{Slug: "door", Title: "Dome door contact", Room: "Dome", Hz: channel433, clock: 1.03, jitter: 10,
		strength: 0.5, least: 4}
	for key, name := range []string{"opened", "closed"} {
		frame := ratioFrame(doorID<<4 | uint32(1+key))
		h.Keys = append(h.Keys, HandsetKey{Name: name, first: frame, then: frame})
	}
	s.radio(h, nil, "")
}

func (s *Stage) clicker() {
	h := &Handset{Slug: "clicker", Title: "Old handset", Room: "Warm room", Hz: carrier38, clock: 1.015, jitter: 12,
		strength: 0.6, least: 2}
	for i, name := range []string{"a", "b", "c", "d"} {
		frame := clickerFrame(0b1011_0010_0110_0000_01 | uint32(1<<i)<<2)
		h.Keys = append(h.Keys, HandsetKey{Name: name, first: frame, then: frame})
	}
	s.infrared(h, nil, "")
}

// clickerFrame writes 18 bits of a code that has no name: long and short marks, spaces alike.
func clickerFrame(bits uint32) []int {
	out := []int{2960, 1480}
	for i := 17; i >= 0; i-- {
		mark := 370
		if bits>>i&1 == 1 {
			mark = 1110
		}
		out = append(out, mark, 740)
	}
	return append(out, 370, 31_000)
}

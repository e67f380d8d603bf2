package cli

import (
	"fmt"
	"net/http"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/wire"
)

// setting sets the projector instead of pressing its keys, and lets its handset change something meanwhile.
func (g *guide) setting() error {
	g.say("\n5. Saying what is wanted instead of which key")
	controls := []control.Control{
		{Name: "power", Kind: control.Power, Keys: map[string]string{"on": "on", "off": "off"}, AgainMS: 4000,
			WarmUpMS: 20_000},
		{Name: "source", Kind: control.Selector, Values: []string{"a", "b", "network"}, Round: "source"},
	}
	var d wire.Device
	if err := g.client.do(g.ctx, http.MethodPost, "/devices/projector/controls", controls, &d); err != nil {
		return err
	}
	source, err := g.fact("projector", "source")
	if err != nil {
		return err
	}
	facts, values := []string{"A", "B", "network"}, controls[1].Values
	at := slices.Index(facts, source)
	for _, t := range [][2]string{{"power", "on"}, {"source", values[at]}} {
		if err := g.tell("projector", t[0], t[1]); err != nil {
			return err
		}
	}
	to := func(n int) (value, fact string) { return values[(at+n)%3], facts[(at+n)%3] }
	value, fact := to(2)
	if err := g.set("projector", "source", value); err != nil {
		return err
	}
	g.check("projector", "source", fact)
	g.say("   Now somebody takes its handset, and presses source.")
	g.rest()
	if err := g.client.do(g.ctx, http.MethodPost, "/stage/handsets/projector/keys/source/press", nil, nil); err != nil {
		return err
	}
	value, _ = to(3)
	g.believes("projector", "source", value)
	value, fact = to(5)
	if err := g.set("projector", "source", value); err != nil {
		return err
	}
	g.check("projector", "source", fact)
	if err := g.set("projector", "power", "off"); err != nil {
		return err
	}
	g.check("projector", "power", "off")
	return nil
}

// drift is a belief that is wrong: a person tells, and then a meter does.
func (g *guide) drift() error {
	g.say("\n6. A belief that is wrong, and who finds it")
	power, err := g.fact("boardwalk", "power")
	if err != nil {
		return err
	}
	wrong := map[string]string{"on": "off", "off": "on"}[power]
	if err := g.tell("boardwalk", "power", wrong); err != nil {
		return err
	}
	g.say("   That was wrong. Whoever sees the lights says so:")
	if err := g.tell("boardwalk", "power", power); err != nil {
		return err
	}
	g.believes("boardwalk", "power", power)
	if err := g.tell("boardwalk", "power", wrong); err != nil {
		return err
	}
	g.say("   Wrong again, and nobody looks: now the power that the lights draw tells.")
	sensor := device.Sensor{Control: "power", Measurement: "boardwalk/power", High: "on", Low: "off", Above: 8,
		Below: 3}
	var d wire.Device
	if err := g.client.do(g.ctx, http.MethodPut, "/devices/boardwalk/sensors", sensor, &d); err != nil {
		return err
	}
	for _, m := range []float64{29, 29} { // its meter tells every half a minute, which is long on a tour
		if power == "off" {
			m = 0.4
		}
		var got wire.Gauge
		if err := g.client.do(g.ctx, http.MethodPost, "/measurements/boardwalk/power",
			wire.Measured{Value: m, Unit: "W"},
			&got); err != nil {
			return err
		}
	}
	g.believes("boardwalk", "power", power)
	if err := g.set("boardwalk", "power", wrong); err != nil {
		return err
	}
	g.check("boardwalk", "power", wrong)
	g.measures("boardwalk/power", func(watts float64) bool { return (watts > sensor.Above) == (wrong == "on") })
	g.believes("boardwalk", "power", wrong)
	return nil
}

// measures waits until a meter tells what fits: what it told before may have been measured before the press.
func (g *guide) measures(name string, fits func(float64) bool) {
	for range 500 {
		var m wire.Gauge
		err := g.client.do(g.ctx, http.MethodGet, "/measurements/"+name, nil, &m)
		if err != nil || fits(m.Value) {
			return
		}
		select {
		case <-g.ctx.Done():
			return
		case <-time.After(20 * time.Millisecond):
		}
	}
}

func (g *guide) tell(device, name, value string) error {
	var states []wire.ControlState
	if err := g.client.do(g.ctx, http.MethodPost, devicePath(device)+"/tell",
		wire.TellRequest{Control: name, Value: value},
		&states); err != nil {
		return err
	}
	g.say("   Tell: %s %s is %s", device, name, value)
	return nil
}

func (g *guide) set(device, name, value string) error {
	var got wire.SetAnswer
	if err := g.client.do(g.ctx, http.MethodPost, devicePath(device)+"/set",
		wire.SetRequest{Wants: []control.Want{{Control: name, Value: value}}}, &got); err != nil {
		return err
	}
	keys := []string{}
	for _, s := range got.Steps {
		keys = append(keys, slices.Repeat([]string{s.Key}, s.Times)...)
	}
	g.say("   Set:  %s %s %s presses %v", device, name, value, keys)
	if !got.Sure {
		return fmt.Errorf("%w: %s cannot be sure to get to %s %s", errTour, device, name, value)
	}
	return nil
}

// believes waits a moment for a control to be believed at a value.
func (g *guide) believes(device, name, want string) {
	is := ""
	for range 500 {
		var states []wire.ControlState
		if err := g.client.do(g.ctx, http.MethodGet, devicePath(device)+"/state", nil, &states); err != nil {
			break
		}
		for _, s := range states {
			if s.Control == name {
				is = s.Value
				if is == want {
					g.say("   ✓ %s: %s is believed to be %s (%s)", device, name, is, fromText(s.Source, nil))
					return
				}
			}
		}
		select {
		case <-g.ctx.Done():
			return
		case <-time.After(20 * time.Millisecond):
		}
	}
	g.wrong++
	g.say("   ✗ %s: %s should be believed to be %s and is %s", device, name, want, is)
}

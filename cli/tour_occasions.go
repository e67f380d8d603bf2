package cli

import (
	"fmt"
	"net/http"
	"net/url"
	"time"

	"urbo/wire"
)

// occasions makes a whole house ready, lets a handset change something, and closes up.
func (g *guide) occasions() error {
	g.say("\n7. One tap for the whole house")
	for _, t := range [][3]string{{"boardwalk", "colour", "red"}, {"amplifier", "power", "off"},
		{"radio", "power", "off"}, {"screen", "position", "up"}} {
		if err := g.tell(t[0], t[1], t[2]); err != nil {
			return err
		}
	}
	if err := g.occasion("observing-run", "start", -1); err != nil {
		return err
	}
	g.check("boardwalk", "power", "on")
	g.check("dew-a", "power", "on")
	g.check("shutter", "position", "open")
	g.say("   Somebody takes the handset of dew heater A, and switches it off.")
	if err := g.handset("dew-a", "off"); err != nil {
		return err
	}
	g.check("dew-a", "power", "off")
	if err := g.occasion("observing-run", "right", 1); err != nil {
		return err
	}
	g.check("dew-a", "power", "on")
	if err := g.occasion("closed-up", "start", 3); err != nil {
		return err
	}
	for _, fact := range [][3]string{{"dew-a", "power", "off"}, {"boardwalk", "power", "off"},
		{"shutter", "position", "closed"}, {"projector", "power", "off"}} {
		g.check(fact[0], fact[1], fact[2])
	}
	return nil
}

// occasion does something with an occasion, and waits until it is done. It has to take so many presses; -1 is any.
func (g *guide) occasion(slug, what string, presses int) error {
	var plan wire.OccasionPlan
	path := "/occasions/" + url.PathEscape(slug) + "/"
	if err := g.client.do(g.ctx, http.MethodGet, path+"plan?what="+what, nil, &plan); err != nil {
		return err
	}
	g.say("   %s: %s: %s, for what differs", map[string]string{"start": "Start", "right": "Put right"}[what], slug,
		plural(plan.Presses, "press", "presses"))
	if presses >= 0 && plan.Presses != presses {
		g.wrong++
		g.say("   ✗ it should be %s", plural(presses, "press", "presses"))
	}
	var done wire.OccasionDone
	if err := g.client.do(g.ctx, http.MethodPost, path+what, struct{}{}, &done); err != nil {
		return err
	}
	for done.Run != nil && done.Run.Over == nil {
		seen := fmt.Sprintf("?wait_ms=5000&seen=%d&phase=%s", done.Run.Logged, done.Run.Phase)
		if err := g.client.do(g.ctx, http.MethodGet, "/runs/"+url.PathEscape(done.Run.ID)+seen, nil,
			done.Run); err != nil {
			return err
		}
	}
	return nil
}

// handset presses a key that sets a value until Urbo heard it: something else may be on the air.
func (g *guide) handset(device, key string) error {
	for range 10 {
		g.rest()
		if err := g.client.do(g.ctx, http.MethodPost, "/stage/handsets/"+device+"/keys/"+key+"/press", nil,
			nil); err != nil {
			return err
		}
		for until := time.Now().Add(2 * time.Second); time.Now().Before(until); g.rest() {
			var states []wire.ControlState
			if err := g.client.do(g.ctx, http.MethodGet, devicePath(device)+"/state", nil, &states); err != nil {
				return err
			}
			if len(states) > 0 && states[0].Source == "heard" && states[0].Value == key {
				return nil
			}
		}
	}
	return fmt.Errorf("%w: %s/%s was not heard", errTour, device, key)
}

package cli

import (
	"net/http"

	"urbo/core/control"
	"urbo/wire"
)

// shutter follows a handset whose codes roll, makes one of Urbo's own, and pairs it.
func (g *guide) shutter() error {
	g.say("\n4. The dome shutter (radio, 433.42 MHz, rolling codes: each is obeyed once)")
	if err := g.learn("shutter", "up", "down", "stop"); err != nil {
		return err
	}
	g.say("   So Urbo gets a handset of its own. Somebody holds the button on the motor.")
	var p wire.Pairing
	if err := g.client.do(g.ctx, http.MethodPost, "/devices/shutter/pair", wire.PairRequest{Way: "roll56"},
		&p); err != nil {
		return err
	}
	if err := g.client.do(g.ctx, http.MethodPost, "/stage/handsets/shutter-box/keys/pair-next/press", nil,
		nil); err != nil {
		return err
	}
	if _, err := g.await("shutter", "waits for a handset", "yes"); err != nil {
		return err
	}
	var sent wire.Press
	if err := g.client.do(g.ctx, http.MethodPost, "/devices/shutter/pair/ask", nil, &sent); err != nil {
		return err
	}
	g.say("   It asks to be paired through %s/%s: %s", sent.Station, sent.Port, sent.Outcome)
	g.check("shutter", "handsets", "2")
	if err := g.client.do(g.ctx, http.MethodPost, "/devices/shutter/pair/took", nil, nil); err != nil {
		return err
	}
	controls := []control.Control{{Name: "position", Kind: control.Travel, Open: "up", Close: "down", Stop: "stop",
		OpenMS: 42_000 / tourPace}} // the stage's clock runs ahead
	var d wire.Device
	if err := g.client.do(g.ctx, http.MethodPost, "/devices/shutter/controls", controls, &d); err != nil {
		return err
	}
	if err := g.set("shutter", "position", "open"); err != nil {
		return err
	}
	g.check("shutter", "position", "open")
	return nil
}

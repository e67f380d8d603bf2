package cli

import (
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"urbo/core/control"
	"urbo/wire"
)

// evening lets the house do things by itself: at dusk, when a door opens, while it is damp; it asks what it has to
// know, and says why it did not do something.
func (g *guide) evening() error {
	g.say("\n8. An evening by itself")
	if err := g.learn("door", "opened"); err != nil {
		return err
	}
	if err := g.learn("radio", "power"); err != nil {
		return err
	}
	if err := g.learn("boardwalk", "amber"); err != nil {
		return err
	}
	var day wire.Day
	if err := g.client.do(g.ctx, http.MethodGet, "/day", nil, &day); err != nil {
		return err
	}
	after := 10
	for _, s := range day.Sun {
		if s.Event == "dusk" { // it is to come soon
			after = int(math.Ceil((day.Now.Sub(s.At) + 5*time.Second).Minutes()))
		}
	}
	for _, text := range []string{
		fmt.Sprintf("errand dusk when %d min after dusk do set (boardwalk/power on, boardwalk/colour amber)", after),
		"errand door when door/opened pressed only if sun down do set boardwalk/colour to red for 3 s and back",
		"errand dry while dome/humidity above 85 % until 75 % do set dew-a/power to on afterwards set dew-a/power to " +
			"off",
		`errand night when phrase "good night" do set radio/power to off if doubtful ask for 5 min`,
		`errand late when phrase "good night" only if occasion public-talk do notify "a talk is being given"`,
	} {
		var e wire.Errand
		if err := g.client.do(g.ctx, http.MethodPost, "/errands", wire.NewErrand{Text: text}, &e); err != nil {
			return err
		}
		g.say("   %s", strings.ReplaceAll(e.Text, "\n", " "))
	}
	g.say("   It is %s. Dusk comes, and the lights go on.", day.Now.Format("15:04"))
	for range 4 {
		if colour, err := g.await("boardwalk", "colour", "amber"); err != nil || colour == "amber" {
			break
		}
	}
	g.check("boardwalk", "power", "on")
	g.check("boardwalk", "colour", "amber")
	g.say("   The dome's door is opened: it is dark, so the lights are red for a moment.")
	if err := g.stageKey("door", "opened"); err != nil {
		return err
	}
	g.check("boardwalk", "colour", "red")
	g.check("boardwalk", "colour", "amber")
	g.say("   The dome grows damp.")
	if err := g.damp(); err != nil {
		return err
	}
	if err := g.asked(); err != nil {
		return err
	}
	if err := g.occasion("closed-up", "start", -1); err != nil {
		return err
	}
	g.check("boardwalk", "power", "off")
	var came []wire.Came
	if err := g.client.do(g.ctx, http.MethodGet, errandPath("late")+"/came", nil, &came); err != nil {
		return err
	}
	if len(came) != 1 || came[0].Did != "skipped" {
		g.wrong++
		g.say("   ✗ the errand late should have come once, and have been skipped: %v", came)
		return nil
	}
	g.say("   Why did late not run? %s", cameText(came[0]))
	return nil
}

// stageKey presses a key of a handset on the stage.
func (g *guide) stageKey(handset, key string) error {
	return g.client.do(g.ctx, http.MethodPost, "/stage/handsets/"+handset+"/keys/"+key+"/press", nil, nil)
}

// damp tells that the dome is damp, and that it is not any more. Its sensor may say something else in between.
func (g *guide) damp() error {
	for _, step := range []struct {
		value float64
		power string
	}{{88, "on"}, {70, "off"}} {
		for range 4 {
			err := g.client.do(g.ctx, http.MethodPost, "/measurements/dome/humidity", wire.Measured{Value: step.value,
				Unit: "%"}, nil)
			if err != nil {
				return err
			}
			if power, err := g.awaitIn(g.ctx, 2*time.Second, "dew-a", "power", step.power); err == nil &&
				power == step.power {
				break
			}
		}
		g.say("   %g %%:", step.value)
		g.check("dew-a", "power", step.power)
	}
	return nil
}

// asked lets the lights flicker in the warm room, so that nobody knows whether its radio is still on, and answers what
// is asked then.
func (g *guide) asked() error {
	var radio wire.Device
	if err := g.client.do(g.ctx, http.MethodGet, "/devices/radio", nil, &radio); err != nil {
		return err
	}
	at := slices.IndexFunc(radio.Controls, func(c control.Control) bool { return c.Kind == control.Power })
	if at < 0 {
		return errors.New("the radio has no power control")
	}
	power := radio.Controls[at]
	power.MainsFail = "" // what a failure of the mains leaves it at is not known
	if err := g.client.do(g.ctx, http.MethodPut, "/devices/radio/controls/"+power.Name, power, nil); err != nil {
		return err
	}
	truth, err := g.fact("radio", "power")
	if err != nil {
		return err
	}
	if err := g.tell("radio", power.Name, truth); err != nil { // its handset was pressed while its key was learned
		return err
	}
	if err := g.set("radio", power.Name, "on"); err != nil {
		return err
	}
	g.check("radio", "power", "on")
	g.say("   The lights flicker in the warm room: is its radio still on? Nobody knows. Then somebody says: good " +
		"night.")
	if err := g.client.do(g.ctx, http.MethodPost, "/outage", wire.Outage{Room: radio.Room}, nil); err != nil {
		return err
	}
	cue := wire.NewCue{Kind: "phrase", Of: "Good night!"}
	if err := g.client.do(g.ctx, http.MethodPost, "/cues", cue, nil); err != nil {
		return err
	}
	for until := time.Now().Add(10 * time.Second); time.Now().Before(until); g.rest() {
		var open []wire.OpenQuestion
		if err := g.client.do(g.ctx, http.MethodGet, "/questions", nil, &open); err != nil {
			return err
		}
		if len(open) == 0 {
			continue
		}
		truth, err := g.fact("radio", "power")
		if err != nil {
			return err
		}
		g.say("   Urbo asks: %s %s", open[0].Text, truth)
		if err := g.client.do(g.ctx, http.MethodPost, "/questions/"+url.PathEscape(open[0].ID)+"/answer",
			wire.QuestionAnswer{Value: truth}, nil); err != nil {
			return err
		}
		g.check("radio", "power", "off")
		return nil
	}
	g.wrong++
	g.say("   ✗ nobody was asked")
	return nil
}

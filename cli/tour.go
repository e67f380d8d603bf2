package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"time"

	"urbo/wire"
)

// tourPace is how much faster than real time the stage runs on the tour: the projector warms up for 20 s.
const tourPace = 5

// tourBegins is what the calendar clock shows when the tour begins: its story ends with an evening.
var tourBegins = time.Date(2026, 12, 5, 16, 24, 0, 0, time.UTC)

// tourLimit ends a tour that hangs.
const tourLimit = 4 * time.Minute

// errTour is a tour on which an appliance did not end as it should.
var errTour = errors.New("the tour did not end as it should")

// guide leads through the tour: it acts through the API as any client would, and compares with the stage.
type guide struct {
	*app
	client  *client
	ctx     context.Context
	lessons chan wire.Lesson
	wrong   int
}

// tour tells the story from a handset's press to a replay on three appliances. It is an error when one of them did
// not end in its expected true state.
func (a *app) tour(ctx context.Context, at address) error {
	ctx, cancel := context.WithTimeout(ctx, tourLimit)
	defer cancel()
	cl, err := a.clientAt(at.socket)
	if err != nil {
		return err
	}
	g := &guide{app: a, client: cl, ctx: ctx, lessons: make(chan wire.Lesson, 64)}
	ready, ended := make(chan struct{}), make(chan error, 1)
	go func() {
		ended <- cl.events(ctx, func() error { close(ready); return nil }, g.event)
	}()
	defer func() { cancel(); <-ended }()
	select {
	case <-ready:
	case err := <-ended:
		ended <- err
		return err
	}

	g.say("The Saltmarsh Observatory has old handsets and no codes yet. Urbo listens at %s.", at.url)
	for _, part := range []func() error{g.projector, g.boardwalk, g.dewHeater, g.shutter, g.setting, g.drift,
		g.occasions, g.evening} {
		if err := part(); err != nil {
			return err
		}
	}
	g.journal()
	if g.wrong > 0 {
		return fmt.Errorf("%w: %d checks failed", errTour, g.wrong)
	}
	g.say("\nEvery appliance ended as it should.")
	return nil
}

func (g *guide) event(name string, data []byte) error {
	if name == "lesson" {
		var l wire.Lesson
		if err := decode(bytes.NewReader(data), &l); err != nil {
			return err
		}
		select {
		case g.lessons <- l:
		case <-g.ctx.Done():
		}
	}
	return nil
}

func (g *guide) say(format string, args ...any) { fmt.Fprintf(g.Out, format+"\n", args...) }

func (g *guide) projector() error {
	g.say("\n1. The lecture projector (infrared, never learned)")
	if err := g.learn("projector", "on", "source", "off"); err != nil {
		return err
	}
	// The projector has seen its own handset, too: wait until it has warmed up, then send it off.
	if _, err := g.await("projector", "power", "on", "off"); err != nil {
		return err
	}
	if power, _ := g.fact("projector", "power"); power == "on" {
		if err := g.press("projector/off", 2); err != nil {
			return err
		}
		g.check("projector", "power", "off")
	}
	source, err := g.fact("projector", "source")
	if err != nil {
		return err
	}
	if err := g.press("projector/on", 1); err != nil {
		return err
	}
	g.say("   It warms up, and ignores keys meanwhile.")
	g.check("projector", "power", "on")
	next := map[string]string{"A": "B", "B": "network", "network": "A"}[source]
	if err := g.press("projector/source", 1); err != nil {
		return err
	}
	g.check("projector", "source", next)
	return nil
}

func (g *guide) boardwalk() error {
	g.say("\n2. The boardwalk lights (infrared; their handset's battery is weak)")
	if err := g.learn("boardwalk", "power", "red"); err != nil {
		return err
	}
	power, err := g.fact("boardwalk", "power")
	if err != nil {
		return err
	}
	if power == "on" { // one key toggles: make it dark first, to see it come on
		if err := g.press("boardwalk/power", 1); err != nil {
			return err
		}
		g.check("boardwalk", "power", "off")
	}
	if err := g.press("boardwalk/power", 1); err != nil {
		return err
	}
	g.check("boardwalk", "power", "on")
	if err := g.press("boardwalk/red", 1); err != nil {
		return err
	}
	g.check("boardwalk", "colour", "red")
	return nil
}

func (g *guide) dewHeater() error {
	g.say("\n3. Dew heater A (radio, 433.92 MHz, coding switches)")
	if err := g.learn("dew-a", "on", "off"); err != nil {
		return err
	}
	for _, key := range []string{"on", "off", "on"} {
		if err := g.press("dew-a/"+key, 1); err != nil {
			return err
		}
		g.check("dew-a", "power", key)
	}
	return nil
}

// learn runs a lesson and presses the handset's keys as a person would, until each is settled.
func (g *guide) learn(device string, keys ...string) error {
	g.rest()
	var l wire.Lesson
	if err := g.client.do(g.ctx, http.MethodPost, "/lessons", wire.NewLesson{Device: device, Keys: keys},
		&l); err != nil {
		return err
	}
	told := ""
	for presses := 0; l.State == "running"; presses++ {
		if presses > 12*len(keys) {
			return fmt.Errorf("%w: %s does not learn %s", errTour, device, l.Key)
		}
		asked := l.Key
		if told != asked {
			g.say("   Learn: %s", l.Prompt)
			told = asked
		}
		if err := g.client.do(g.ctx, http.MethodPost, "/stage/handsets/"+device+"/keys/"+asked+"/press", nil,
			nil); err != nil {
			return err
		}
		now, ok := g.heard(l)
		if g.ctx.Err() != nil {
			return fmt.Errorf("%w: %w", errTour, g.ctx.Err())
		}
		if !ok { // as with people: it was pressed while something else was on the air
			g.say("          nothing was heard; once more")
			continue
		}
		l = now
		if l.Last.Reading != nil {
			g.say("          heard %s %s: %s", l.Last.Reading.Sheet, fields(l.Last.Reading.Fields), l.Last.Text)
		} else {
			g.say("          heard: %s", l.Last.Text)
		}
		for _, k := range l.Keys {
			if k.Name == asked && k.State == "settled" {
				do := map[bool]string{false: "Keep:  %s/%s sends %s",
					true: "Follow: %s/%s, where a handset sends %s"}[k.Rolling]
				g.say("   "+do, device, asked, code(*k.Code))
			}
		}
	}
	return nil
}

// rest lets the receivers be quiet for a moment, so that what comes next is a press of its own.
func (g *guide) rest() {
	select {
	case <-time.After(300 * time.Millisecond):
	case <-g.ctx.Done():
	}
}

// heard waits until a lesson has judged a new press. It is false when nothing came for a while.
func (g *guide) heard(before wire.Lesson) (wire.Lesson, bool) {
	patience := time.NewTimer(3 * time.Second)
	defer patience.Stop()
	for {
		select {
		case l := <-g.lessons:
			if l.ID == before.ID && l.Last != nil && (before.Last == nil || l.Last.CaptureID != before.Last.CaptureID) {
				return l, true
			}
		case <-patience.C:
			return before, false
		case <-g.ctx.Done():
			return before, false
		}
	}
}

func (g *guide) press(key string, times int) error {
	k, err := parseKey(key)
	if err != nil {
		return err
	}
	p, err := g.client.pressKey(g.ctx, k, wire.PressRequest{Times: times})
	if err != nil {
		return err
	}
	often := ""
	if times > 1 {
		often = fmt.Sprintf(" %d times", times)
	}
	g.say("   Replay: %s%s through %s/%s: %s", key, often, p.Station, p.Port, p.Outcome)
	return nil
}

// check waits a moment for an appliance's true state and says whether it is as it should be.
func (g *guide) check(device, fact, want string) {
	got, err := g.await(device, fact, want)
	if err != nil || got != want {
		g.wrong++
		g.say("   ✗ %s: %s should be %s and is %s", device, fact, want, got)
		return
	}
	g.say("   ✓ %s: %s is %s", device, fact, got)
}

// await looks at an appliance's fact until it is one of those wanted, for up to ten seconds.
func (g *guide) await(device, name string, want ...string) (string, error) {
	return g.awaitIn(g.ctx, 10*time.Second, device, name, want...)
}

// awaitIn is await for up to a time.
func (g *guide) awaitIn(ctx context.Context, long time.Duration, device, name string, want ...string) (string, error) {
	ctx, cancel := context.WithTimeout(ctx, long)
	defer cancel()
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	for {
		got, err := g.fact(device, name)
		if err != nil {
			return "", err
		}
		for _, w := range want {
			if got == w {
				return got, nil
			}
		}
		select {
		case <-ctx.Done():
			return got, nil
		case <-tick.C:
		}
	}
}

// fact is the true state of an appliance.
func (g *guide) fact(device, name string) (string, error) {
	var s wire.Stage
	if err := g.client.do(g.ctx, http.MethodGet, "/stage", nil, &s); err != nil {
		return "", err
	}
	for _, ap := range s.Appliances {
		for _, f := range ap.Facts {
			if ap.Slug == device && f.Name == name {
				return f.Value, nil
			}
		}
	}
	return "", fmt.Errorf("the stage has no %s of %s", name, device)
}

// journal shows the last lines of the journal.
func (g *guide) journal() {
	var page wire.JournalPage
	if err := g.client.do(g.ctx, http.MethodGet, "/journal?limit=4", nil, &page); err != nil {
		g.say("the journal cannot be read: %v", err)
		g.wrong++
		return
	}
	g.say("\nThe journal knows who asked:")
	for _, e := range slices.Backward(page.Entries) {
		g.say("   %s  %s", clock(e.At), entryText(e))
	}
}

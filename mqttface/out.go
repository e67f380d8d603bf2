package mqttface

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"time"

	"urbo/core/device"
	"urbo/core/happening"
	broker "urbo/station/mqtt"
	"urbo/wire"
)

// errAway says that there is no broker now.
var errAway = errors.New("the MQTT face is not connected")

// apart is how long it takes at least between two messages of one topic: the last one wins.
const apart = 100 * time.Millisecond

// Measured is what a measurement shows, as it is published.
type Measured struct {
	Value *float64 `json:"value"` // null where nobody knows it
	Unit  string   `json:"unit,omitempty"`
}

// publisher publishes what changes.
type publisher struct {
	*Face
	base  string
	want  map[string][]byte    // what the topics should show now
	shown map[string][]byte    // what they show, since the connection is there
	last  map[string]time.Time // when each was published last
	dirty map[string]bool      // topics that may show something else than they should
	known map[string]bool      // topics of which the broker may keep something: those on disk
	swept bool                 // some of those may be gone
	here  bool                 // it said that it is here
	where string               // its broker
}

func newPublisher(f *Face) *publisher {
	p := &publisher{Face: f, want: map[string][]byte{}, shown: map[string][]byte{}, last: map[string]time.Time{},
		dirty: map[string]bool{}, known: map[string]bool{}, swept: true}
	for _, t := range f.known.Get().Topics {
		p.known[t] = true
	}
	return p
}

// run publishes until ctx ends, and says then that the house is not here.
func (p *publisher) run(ctx context.Context) {
	queue := p.house.Stream.Subscribe()
	defer p.house.Stream.Leave(queue)
	happened := make(chan []happening.Happening)
	go func() {
		defer close(happened)
		for {
			batch, err := queue.Next(ctx)
			if err != nil {
				return
			}
			select {
			case happened <- batch:
			case <-ctx.Done():
				return
			}
		}
	}()
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	s, changed := p.watch()
	p.elsewhere(s)
	p.begin(s)
	for {
		if soon := p.flush(); soon > 0 {
			timer.Reset(soon)
		}
		select {
		case <-ctx.Done():
			p.say("here", []byte("no"), true)
			return
		case <-changed:
			s, changed = p.watch()
			moved, elsewhere := p.base != p.Face.base(s), p.elsewhere(s)
			if moved || elsewhere || !p.on(s) {
				p.leave(moved)
			}
			p.begin(s)
			p.anew()
		case <-p.came: // another connection: the broker may know nothing
			clear(p.shown)
			for t := range p.want {
				p.dirty[t] = true
			}
			p.here, p.swept = false, true
		case batch, open := <-happened:
			if !open {
				happened = nil
				continue
			}
			p.take(batch, s)
		case <-timer.C:
		}
	}
}

// on says whether anything is published.
func (p *publisher) on(s Settings) bool { return s.On && p.at(s) != "" }

// begin works out what everything should show.
func (p *publisher) begin(s Settings) {
	p.base, p.swept = p.Face.base(s), true
	clear(p.want)
	if !p.on(s) {
		return
	}
	for _, l := range p.house.Library.Lines("") {
		p.device(l.ID)
	}
	p.occasions()
	for _, m := range p.house.Measure.List() {
		p.measured(m.Name)
	}
}

// elsewhere says whether settings lead to another broker than before, and remembers that.
func (p *publisher) elsewhere(s Settings) bool {
	was := p.where
	p.where = p.at(s)
	return p.where != was
}

// leave takes back what is published, and says that the house is not here; where it moved to other topics, nothing is
// left of it.
func (p *publisher) leave(moved bool) {
	clear(p.want)
	p.swept = true
	p.flush()
	last := []byte("no")
	if moved {
		last = nil
	}
	p.say("here", last, true)
	p.here = false
}

func (p *publisher) put(topic string, v any) {
	data, err := json.Marshal(v)
	if err != nil {
		slog.Error("publish", "topic", topic, "error", err)
		return
	}
	p.shows(topic, data)
}

// shows notes what a topic should show.
func (p *publisher) shows(topic string, data []byte) {
	topic = p.base + "/" + topic
	if !bytes.Equal(p.want[topic], data) || !bytes.Equal(p.shown[topic], data) {
		p.want[topic], p.dirty[topic] = data, true
	}
}

// device works out what the controls of a device should show.
func (p *publisher) device(id string) {
	slug := p.house.Library.Slug(id)
	states, err := p.house.Beliefs.StatesOf(id)
	if slug == "" || err != nil {
		return
	}
	for _, st := range states {
		p.put("is/"+slug+"/"+st.Control, wire.BeliefOf(st))
	}
}

// occasions works out which occasion is in force in each room.
func (p *publisher) occasions() {
	in := map[string]string{}
	for _, f := range p.house.Occasions.InForce() {
		if o, err := p.house.Occasions.Find(f.Occasion); err == nil {
			for _, room := range f.Rooms {
				in[room] = o.Slug
			}
		}
	}
	for _, r := range p.house.Rooms.List() {
		p.shows("occasion/"+r.Slug, []byte(cmp.Or(in[r.ID], "none")))
	}
}

func (p *publisher) measured(name string) {
	m, err := p.house.Measure.Find(name)
	if err != nil {
		return
	}
	out := Measured{Unit: m.Unit}
	if m.Known() {
		out.Value = &m.Value
	}
	p.put("measured/"+m.Name, out)
}

// take looks at what happened.
func (p *publisher) take(batch []happening.Happening, s Settings) {
	if !p.on(s) {
		return
	}
	anew := false
	for _, h := range batch {
		switch w := h.What.(type) {
		case happening.Believed:
			p.device(w.DeviceID)
		case happening.Measured:
			p.measured(w.Measurement)
		case happening.FellSilent:
			p.measured(w.Measurement)
		case happening.OccasionInForce:
			p.occasions()
		case happening.Heard:
			p.heard(h.At, w)
		case happening.DeviceChanged, happening.DeviceRemoved, happening.RoomChanged, happening.HouseChanged,
			happening.OccasionChanged, happening.MeasurementChanged:
			anew = true
		}
	}
	if !anew {
		return
	}
	moved := p.base != p.Face.base(s)
	if moved {
		p.leave(true)
	}
	p.begin(s)
	if moved { // it is asked at other topics now
		p.anew()
	}
}

// heard publishes a capture, and the key that it is.
func (p *publisher) heard(at time.Time, w happening.Heard) {
	if w.Echo || w.Quiet || w.Capture.Late {
		return
	}
	if data, err := json.Marshal(wire.CaptureOf(w.Capture)); err == nil && len(data) <= mostHeard {
		p.say("heard", data, false)
	}
	if device.CheckSlug("", w.Device) == nil && w.Key != "" {
		data, err := json.Marshal(map[string]any{"at": at.UTC(), "place": w.Place})
		if err == nil {
			p.say("heard/"+w.Device+"/"+w.Key, data, false)
		}
	}
}

// mostHeard is the longest message of a capture, in bytes.
const mostHeard = 64 << 10

// say publishes something that is not kept in the list of what is shown.
func (p *publisher) say(topic string, payload []byte, retain bool) {
	if s := p.Settings(); retain || p.on(s) {
		_ = p.send(broker.Message{Topic: p.base + "/" + topic, Payload: payload, Retain: retain, Once: retain})
	}
}

// send publishes, where there is a connection.
func (f *Face) send(m broker.Message) error {
	out := f.out()
	if out == nil {
		return errAway
	}
	return out(m)
}

// flush publishes what is not shown yet, and says how soon there is more. What the broker may keep is on disk before it
// is published, and for as long as it is not surely taken back.
func (p *publisher) flush() (soon time.Duration) {
	out := p.out()
	if out == nil {
		return 0
	}
	var gone []string
	if p.swept {
		for t := range p.known {
			if p.want[t] == nil {
				gone = append(gone, t)
			}
		}
	}
	fresh := false
	for t := range p.dirty {
		if p.want[t] == nil {
			delete(p.dirty, t)
			continue
		}
		fresh = fresh || !p.known[t]
		p.known[t] = true
	}
	if fresh {
		p.keep()
	}
	now := time.Now()
	for _, t := range slices.Sorted(maps.Keys(p.dirty)) {
		if wait := apart - now.Sub(p.last[t]); wait > 0 && !bytes.Equal(p.shown[t], p.want[t]) {
			if soon == 0 || wait < soon {
				soon = wait
			}
			continue
		}
		if !bytes.Equal(p.shown[t], p.want[t]) {
			if out(broker.Message{Topic: t, Payload: p.want[t], Retain: true, Once: true}) != nil {
				return soon
			}
			p.shown[t], p.last[t] = p.want[t], now
		}
		delete(p.dirty, t)
	}
	for _, t := range gone {
		if out(broker.Message{Topic: t, Retain: true, Once: true}) != nil {
			return soon
		}
		delete(p.known, t)
		delete(p.shown, t)
		delete(p.last, t)
	}
	p.swept = false
	if len(gone) > 0 {
		p.keep()
	}
	if !p.here && soon == 0 && p.on(p.Settings()) { // after all of it
		p.here = out(broker.Message{Topic: p.base + "/here", Payload: []byte("yes"), Retain: true, Once: true}) == nil
	}
	p.note(func(s *Status) { s.Topics = len(p.want) })
	return soon
}

// keep keeps which topics the broker may keep something of.
func (p *publisher) keep() {
	all := slices.Sorted(maps.Keys(p.known))
	_, _, err := p.Face.known.Change(context.Background(), func(topics) (topics, error) { return topics{all}, nil })
	if err != nil {
		slog.Error("which topics are published is not on disk", "error", err)
	}
}

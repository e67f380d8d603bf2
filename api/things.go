package api

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/mqttface"
	"urbo/service/setting"
	"urbo/service/transmit"
	"urbo/wire"
)

// Errors of things.
var (
	errNoControl  = fault.New(fault.NotFound, "unknown control")
	errNotSet     = fault.New(fault.Conflict, "it was not set")
	errThingValue = fault.New(fault.Invalid, "value")
	errNoAction   = fault.New(fault.NotFound, "unknown action: it is over for long, or there was none")
)

// Bounds of things.
const (
	// longestPoll is how long somebody who observes waits for something new.
	longestPoll = 55 * time.Second
	// mostActions is how many actions are remembered, and mostWatched how much is of what observers saw last.
	mostActions, mostWatched = 256, 1024
)

// things is the Web of Things face: Thing Descriptions, and what their forms lead to.
type things struct {
	*API
	mqtt *mqttface.Face

	mu      sync.Mutex
	actions []action           // the oldest first
	saw     map[string]watched // by who observes what
}

// action is something that takes time.
type action struct {
	id, device string
	asked      time.Time
	press      *transmit.Ticket
	set        *setting.Ticket
}

// doubtful is why something that was pressed does not count as set.
const doubtful = "it was pressed, and what it is at now is doubtful: look at it, and say so (urbo tell)"

// anyValue is a value of any kind, as the whole of an answer.
type anyValue struct{ value any }

// MarshalJSON writes the value alone.
func (a anyValue) MarshalJSON() ([]byte, error) { return json.Marshal(a.value) }

// Schema is that of any value.
func (anyValue) Schema(huma.Registry) *huma.Schema { return &huma.Schema{} }

// watched is what an observer saw last.
type watched struct {
	value string
	at    time.Time
}

// PropertyIn names a control in a path.
type PropertyIn struct {
	DeviceIn
	Control string `path:"control" maxLength:"40"`
}

// ActionIn names an action in a path.
type ActionIn struct {
	DeviceIn
	Action string `path:"action" maxLength:"40"`
}

// HostIn is where a request was sent to: Thing Descriptions lead there.
type HostIn struct{ host string }

// Resolve takes the host.
func (h *HostIn) Resolve(ctx huma.Context) []error {
	h.host = ctx.Host()
	return nil
}

// things registers the Web of Things face.
func (a *API) things(r chi.Router, mqtt *mqttface.Face) {
	t := &things{API: a, mqtt: mqtt, saw: map[string]watched{}}
	r.Get("/.well-known/wot", t.introduce)
	call(a, operation{"GET", "/things", "list-things", "All devices as W3C Thing Descriptions", grant.See, filtered, 0},
		func(ctx context.Context, in *HostIn) (wire.Things, error) {
			out := wire.Things{}
			for _, l := range a.lines(ctx, "") {
				if td, err := t.describe(l.Slug, in.host); err == nil {
					out = append(out, td)
				}
			}
			return out, nil
		})
	call(a, operation{"GET", "/things/{device}", "get-thing", "A device as a W3C Thing Description", grant.See,
		ofDevice, 0},
		func(_ context.Context, in *struct {
			DeviceIn
			HostIn
		}) (wire.Thing, error) {
			return t.describe(in.Device, in.host)
		})
	call(a, operation{"GET", "/things/{device}/properties/{control}", "read-thing-property",
		"What a control is believed to be at: a word or a number, or null where nobody knows", grant.See, ofDevice, 0},
		func(_ context.Context, in *PropertyIn) (anyValue, error) {
			b, err := t.belief(in.Device, in.Control)
			return anyValue{b.Value}, err
		})
	remove(a, operation{"PUT", "/things/{device}/properties/{control}", "write-thing-property",
		"Set a control, and wait until it is set", grant.Use, ofDevice, http.StatusNoContent},
		func(ctx context.Context, in *struct {
			PropertyIn
			Body any
		}) error {
			value, err := thingValue(in.Body)
			if err != nil {
				return err
			}
			out, err := a.setDevice(ctx, in.Device, wire.SetRequest{Wants: []control.Want{{Control: in.Control,
				Value: value}}})
			if err == nil && !out.Done {
				err = fmt.Errorf("%w: %s", errNotSet, cmp.Or(out.Reason, doubtful))
			}
			return err
		})
	call(a, operation{"GET", "/things/{device}/beliefs/{control}", "read-thing-belief",
		"What is believed of a control", grant.See, ofDevice, 0},
		func(_ context.Context, in *PropertyIn) (wire.Belief, error) {
			return t.belief(in.Device, in.Control)
		})
	for _, path := range []string{"properties", "beliefs"} {
		call(a, operation{"GET", "/things/{device}/" + path + "/{control}/observe", "observe-thing-" + path,
			"The same, once it is another than the caller observed last; after 55 s also where it is not", grant.See,
			ofDevice, 0}, func(ctx context.Context, in *PropertyIn) (anyValue, error) {
			shown, err := t.observe(ctx, in, path == "properties")
			return anyValue{shown}, err
		})
		o := operation{"HEAD", "/things/{device}/" + path + "/{control}/observe", "can-observe-thing-" + path,
			"Whether it can be observed", grant.See, ofDevice, http.StatusNoContent}
		remove(a, o, func(_ context.Context, in *PropertyIn) error {
			_, err := t.belief(in.Device, in.Control)
			return err
		})
	}
	t.acts()
}

// acts registers what takes time.
func (t *things) acts() {
	type started struct {
		Status   int
		Location string `header:"Location"`
		Body     wire.ThingStatus
	}
	begin := func(slug string, act action) (*started, error) {
		id, err := t.house.Library.ID(slug)
		if err != nil {
			return nil, problem(err)
		}
		act.device, act.asked = id, time.Now()
		t.mu.Lock()
		t.actions = append(t.actions, act)
		t.actions = t.actions[max(0, len(t.actions)-mostActions):]
		t.mu.Unlock()
		status := t.status(act, slug)
		return &started{http.StatusCreated, status.Href, status}, nil
	}
	huma.Register(t.huma, operation{"POST", "/things/{device}/actions/press", "press-thing-key",
		"Press a key; the answer says where to follow it", grant.Use, ofDevice, http.StatusCreated}.describe(t.API),
		func(ctx context.Context, in *struct {
			DeviceIn
			Body wire.ThingPress
		}) (*started, error) {
			o, err := t.order(ctx, device.Ref{Device: in.Device, Key: in.Body.Key})
			if err != nil {
				return nil, problem(err)
			}
			if in.Body.HoldMS > 0 && in.Body.Times > 1 {
				return nil, problem(fmt.Errorf("%w: times or hold_ms, not both", errThingValue))
			}
			o.Times, o.Hold = in.Body.Times, time.Duration(in.Body.HoldMS)*time.Millisecond
			if err := t.house.Setting.Clear(ctx, o.Device.ID); err != nil {
				return nil, problem(err)
			}
			k, err := t.house.Transmit.Start(o)
			if err != nil {
				return nil, problem(err)
			}
			return begin(in.Device, action{id: k.ID, press: k})
		})
	huma.Register(t.huma, operation{"POST", "/things/{device}/actions/set", "set-thing-control",
		"Set a control without waiting; the answer says where to follow it", grant.Use, ofDevice,
		http.StatusCreated}.describe(t.API),
		func(ctx context.Context, in *struct {
			DeviceIn
			Body wire.ThingSet
		}) (*started, error) {
			value, err := thingValue(in.Body.Value)
			if err != nil {
				return nil, problem(err)
			}
			k, err := t.start(ctx, in.Device, control.Want{Control: in.Body.Control, Value: value})
			if err != nil {
				return nil, problem(err)
			}
			return begin(in.Device, action{id: k.ID, set: k})
		})
	call(t.API, operation{"GET", "/things/{device}/actions/{action}", "get-thing-action", "What became of an action",
		grant.See, ofDevice, 0}, func(_ context.Context, in *ActionIn) (wire.ThingStatus, error) {
		act, err := t.find(in)
		if err != nil {
			return wire.ThingStatus{}, err
		}
		return t.status(act, in.Device), nil
	})
	remove(t.API, operation{method: "DELETE", path: "/things/{device}/actions/{action}", id: "cancel-thing-action",
		summary: "End an action at the next safe place", right: grant.Use, where: ofDevice},
		func(_ context.Context, in *ActionIn) error {
			act, err := t.find(in)
			switch {
			case err != nil:
				return err
			case act.press != nil:
				act.press.Enough()
			default:
				act.set.Cancel()
			}
			return nil
		})
}

// start sets a control of a device, and does not wait. Who may not use all of the house is asked about all that obeys.
func (t *things) start(ctx context.Context, slug string, want control.Want) (*setting.Ticket, error) {
	id, err := t.house.Library.ID(slug)
	if err != nil {
		return nil, err
	}
	wish := setting.Wish{Device: id, Wants: []control.Want{want}, Asked: true, By: asking(ctx)}
	if !Caller(ctx).Grant.Where.House {
		r, err := t.house.Setting.Plan(wish)
		if err != nil {
			return nil, err
		}
		if err := t.mayMove(ctx, id, r.Plan); err != nil {
			return nil, err
		}
	}
	return t.house.Setting.Start(wish)
}

// find finds an action of a device.
func (t *things) find(in *ActionIn) (action, error) {
	id, err := t.house.Library.ID(in.Device)
	if err != nil {
		return action{}, err
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	i := slices.IndexFunc(t.actions, func(act action) bool { return act.id == in.Action && act.device == id })
	if i < 0 {
		return action{}, errNoAction
	}
	return t.actions[i], nil
}

// status says what became of an action, without waiting.
func (t *things) status(act action, slug string) wire.ThingStatus {
	out := wire.ThingStatus{Status: "running", Href: "/api/things/" + slug + "/actions/" + act.id, Asked: act.asked}
	now, end := context.WithCancel(context.Background())
	end()
	trouble := ""
	if act.press != nil {
		r, err := act.press.Wait(now)
		switch {
		case errors.Is(err, context.Canceled):
			return out
		case err != nil:
			trouble = err.Error()
		case r.Outcome != happening.Sent:
			trouble = cmp.Or(r.Reason, string(r.Outcome))
		}
	} else {
		r, err := act.set.Wait(now)
		switch {
		case errors.Is(err, context.Canceled):
			return out
		case err != nil:
			trouble = err.Error()
		case !r.Done:
			trouble = cmp.Or(r.Reason, doubtful)
		}
	}
	out.Status = "completed"
	if trouble != "" {
		out.Status, out.Error = "failed", &wire.ThingTrouble{Detail: trouble}
	}
	return out
}

// thingValue is a value as the house writes it.
func thingValue(v any) (string, error) {
	text := ""
	switch v := v.(type) {
	case string:
		text = strings.TrimSpace(v)
	case float64, json.Number, bool:
		text = fmt.Sprint(v)
	}
	if text == "" || len(text) > 100 {
		return "", fmt.Errorf("%w: it is a word or a number, such as \"on\" or 22", errThingValue)
	}
	return text, nil
}

// belief is what is believed of a control.
func (t *things) belief(slug, name string) (wire.Belief, error) {
	states, _, err := t.house.Beliefs.States(slug)
	if err != nil {
		return wire.Belief{}, err
	}
	i := slices.IndexFunc(states, func(s control.State) bool { return s.Control == name })
	if i < 0 {
		return wire.Belief{}, fmt.Errorf("%w %s/%.40s", errNoControl, slug, name)
	}
	return wire.BeliefOf(states[i]), nil
}

// observe waits until a control shows something else than this observer saw last.
func (t *things) observe(ctx context.Context, in *PropertyIn, plain bool) (any, error) {
	ctx, end := context.WithTimeout(ctx, longestPoll)
	defer end()
	who := Caller(ctx).Caller
	revoked, err := t.house.Access.Revoked(ctx, who)
	if err != nil {
		return nil, err
	}
	leave, err := t.streams.enter(who.Door, who.Role == grant.Guest)
	if err != nil {
		return nil, fault.Give(fault.Later, err)
	}
	defer leave()
	queue := t.house.Stream.Subscribe()
	defer t.house.Stream.Leave(queue)
	go func() {
		select {
		case <-revoked:
			end()
		case <-ctx.Done():
		}
	}()
	id, err := t.house.Library.ID(in.Device)
	if err != nil {
		return nil, err
	}
	observer := fmt.Sprint(who.Door, " ", id, "/", in.Control, plain)
	for {
		b, err := t.belief(t.house.Library.Slug(id), in.Control)
		if err != nil {
			return nil, err
		}
		var shown any = b
		if plain {
			shown = b.Value
		}
		text, err := json.Marshal(shown)
		if err != nil {
			return nil, err
		}
		if t.isNew(observer, string(text)) {
			return shown, nil
		}
		for moved := false; !moved; {
			batch, err := queue.Next(ctx)
			if err != nil {
				return shown, nil
			}
			moved = slices.ContainsFunc(batch, func(h happening.Happening) bool {
				switch w := h.What.(type) {
				case happening.Believed:
					return w.DeviceID == id
				case happening.DeviceChanged, happening.DeviceRemoved:
					return true
				}
				return false
			})
		}
	}
}

// isNew says whether an observer has not seen a value yet, and remembers that it has. Who comes for the first time sees
// what is there, and waits for the next.
func (t *things) isNew(observer, value string) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	was, known := t.saw[observer]
	now := time.Now()
	if len(t.saw) >= mostWatched && !known {
		oldest := ""
		for o, w := range t.saw {
			if oldest == "" || w.at.Before(t.saw[oldest].at) {
				oldest = o
			}
		}
		delete(t.saw, oldest)
	}
	t.saw[observer] = watched{value, now}
	return !known || was.value != value || now.Sub(was.at) > 2*longestPoll
}

// introduce answers whoever looks at the well-known address: it says where the directory is, and nothing of the house.
func (t *things) introduce(w http.ResponseWriter, r *http.Request) {
	td := t.thing(r.Host)
	td.Context = append(td.Context, "https://www.w3.org/2022/wot/discovery")
	td.Type, td.ID, td.Title = "ThingDirectory", t.urn("directory"), "Urbo"
	td.Description = "What can be seen and set here. A token of the house opens it."
	td.Properties = map[string]wire.ThingProperty{"things": {ThingSchema: wire.ThingSchema{Type: "array",
		Items: &wire.ThingSchema{Type: "object"}}, ReadOnly: true, Forms: []wire.ThingForm{{Href: "/api/things",
		Op: []string{"readproperty"}, ContentType: "application/ld+json"}}}}
	w.Header().Set("Content-Type", td.ContentType(""))
	w.Header().Set("Cache-Control", "no-store")
	if r.Method != http.MethodHead {
		_ = json.NewEncoder(w).Encode(td)
	}
}

// urn names something of this house for good.
func (t *things) urn(of string) string {
	return "urn:uuid:" + uuid.NewSHA1(uuid.NameSpaceURL, []byte("urbo:"+t.house.ID+":"+of)).String()
}

// thing begins a Thing Description.
func (t *things) thing(host string) wire.Thing {
	scheme, rest, _ := strings.Cut(t.url, "://")
	if host == "" || host == "urbo" { // by the socket
		host = strings.TrimSuffix(rest, "/")
	}
	return wire.Thing{Context: []any{"https://www.w3.org/2022/wot/td/v1.1", map[string]string{"@language": "en",
		"htv": "http://www.w3.org/2011/http#", "mqv": "http://www.example.org/mqtt-binding#"}},
		Base:                scheme + "://" + host,
		SecurityDefinitions: map[string]wire.ThingSecurity{"token": {Scheme: "bearer", In: "header"}},
		Security:            []string{"token"}}
}

// describe describes a device.
func (t *things) describe(slug, host string) (wire.Thing, error) {
	d, err := t.house.Library.Device(slug)
	if err != nil {
		return wire.Thing{}, err
	}
	td := t.thing(host)
	td.ID, td.Title = t.urn(d.ID), d.Name
	td.Description = d.Kind
	td.Properties, td.Actions = map[string]wire.ThingProperty{}, map[string]wire.ThingAction{}
	spec, err := t.house.Beliefs.Spec(d.ID)
	if err == nil {
		t.properties(&td, d.Slug, spec.Controls())
	}
	var keys []string
	for _, k := range d.Keys {
		if k.Learned() {
			keys = append(keys, k.Name)
		}
	}
	status := &wire.ThingSchema{Type: "object", Properties: map[string]wire.ThingSchema{"status": {Type: "string",
		Enum: []string{"pending", "running", "completed", "failed"}}, "href": {Type: "string"}}}
	if len(keys) > 0 {
		most, least := float64(run.MaxTimes), 1.0
		td.Actions["press"] = wire.ThingAction{Title: "Press a key", Output: status,
			Input: &wire.ThingSchema{Type: "object", Required: []string{"key"}, Properties: map[string]wire.ThingSchema{
				"key": {Type: "string", Enum: keys}, "times": {Type: "integer", Minimum: &least, Maximum: &most},
				"hold_ms": {Type: "integer", Unit: "ms"}}},
			Forms: []wire.ThingForm{{Href: "/api/things/" + slug + "/actions/press", Op: []string{"invokeaction"},
				ContentType: "application/json"}}}
	}
	if len(td.Properties) > 0 {
		var names []string
		for _, c := range spec.Controls() {
			names = append(names, c.Name)
		}
		td.Actions["set"] = wire.ThingAction{Title: "Set a control, and follow it", Output: status, Idempotent: true,
			Input: &wire.ThingSchema{Type: "object", Required: []string{"control", "value"},
				Properties: map[string]wire.ThingSchema{"control": {Type: "string", Enum: names}, "value": {
					OneOf: []wire.ThingSchema{{Type: "string"}, {Type: "number"}}}}},
			Forms: []wire.ThingForm{{Href: "/api/things/" + slug + "/actions/set", Op: []string{"invokeaction"},
				ContentType: "application/json"}}}
	}
	return td, nil
}

// properties describes the controls of a device: each as what it is at, and as what is believed of it.
func (t *things) properties(td *wire.Thing, slug string, controls []control.Control) {
	broker, base := t.broker()
	if broker != "" {
		td.SecurityDefinitions["broker"] = wire.ThingSecurity{Scheme: "basic", In: "header",
			Description: "At the house's own broker: the user urbo.program, and a token as the password"}
	}
	possible := wire.ThingSchema{Type: "array", Items: &wire.ThingSchema{Type: "string"}}
	for _, c := range controls {
		schema := schemaOf(c)
		at := "/api/things/" + slug + "/properties/" + c.Name
		p := wire.ThingProperty{ThingSchema: wire.ThingSchema{Title: c.Name, OneOf: []wire.ThingSchema{schema,
			{Type: "null"}}, Unit: schema.Unit}, Observable: true,
			Description: "null where nobody knows it",
			Forms: []wire.ThingForm{
				{Href: at, Op: []string{"readproperty", "writeproperty"}, ContentType: "application/json"},
				{Href: at + "/observe", Op: []string{"observeproperty", "unobserveproperty"}, Subprotocol: "longpoll",
					ContentType: "application/json"}}}
		believed := "/api/things/" + slug + "/beliefs/" + c.Name
		b := wire.ThingProperty{ThingSchema: wire.ThingSchema{Title: c.Name + ", as it is believed", Type: "object",
			Properties: map[string]wire.ThingSchema{"value": {OneOf: []wire.ThingSchema{schema, {Type: "null"}}},
				"possible": possible, "trust": {Type: "string", Enum: []string{"certain", "believed", "doubtful"}},
				"source": {Type: "string"}, "at": {Type: "string"}}}, ReadOnly: true, Observable: true,
			Forms: []wire.ThingForm{{Href: believed, Op: []string{"readproperty"}, ContentType: "application/json"},
				{Href: believed + "/observe", Op: []string{"observeproperty", "unobserveproperty"},
					Subprotocol: "longpoll", ContentType: "application/json"}}}
		if broker != "" {
			p.Forms = append(p.Forms, wire.ThingForm{Href: broker + base + "/want/" + slug + "/" + c.Name,
				Op: []string{"writeproperty"}, ContentType: "application/json", Packet: "publish", QoS: "0",
				Security: []string{"broker"}})
			b.Forms = append(b.Forms, wire.ThingForm{Href: broker + base + "/is/" + slug + "/" + c.Name,
				Op: []string{"observeproperty", "unobserveproperty"}, ContentType: "application/json",
				Packet: "subscribe", Retain: true, Security: []string{"broker"}})
		}
		td.Properties[c.Name], td.Properties[c.Name+"-belief"] = p, b
	}
}

// broker is where the MQTT face is, as the beginning of an address; "" where it is not.
func (t *things) broker() (address, base string) {
	if t.mqtt == nil || !t.mqtt.Settings().On {
		return "", ""
	}
	s := t.mqtt.Status()
	at := s.At
	if at == "own" {
		if s.Listens == "" {
			return "", ""
		}
		at = "mqtt://" + s.Listens
	}
	if at == "" {
		return "", ""
	}
	return strings.TrimSuffix(at, "/") + "/", s.Base
}

// schemaOf is what a control can be at.
func schemaOf(c control.Control) wire.ThingSchema {
	switch c.Kind {
	case control.Dial:
		return wire.ThingSchema{Type: "number", Minimum: c.Least, Maximum: c.Most, MultipleOf: c.Step, Unit: c.Unit}
	case control.Digits:
		return wire.ThingSchema{Type: "integer", Minimum: c.Least, Maximum: c.Most, Unit: c.Unit}
	case control.Travel:
		return wire.ThingSchema{Type: "string"} // an end, or a part of the way such as 40%
	}
	return wire.ThingSchema{Type: "string", Enum: c.Choices()}
}

package api

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/pairing"
	"urbo/service"
	"urbo/service/belief"
	"urbo/service/library"
	"urbo/service/setting"
	"urbo/service/transmit"
	"urbo/wire"
)

// beliefs registers what devices are believed to be set to, and setting them.
func (a *API) beliefs() {
	call(a, operation{"GET", "/state", "list-states", "What all devices with controls are believed to be set to",
		grant.See, filtered, 0}, func(ctx context.Context, in *struct {
		Brief bool `query:"brief" doc:"Leave out what they were before"`
	}) ([]wire.DeviceState, error) {
		out := []wire.DeviceState{}
		for _, l := range a.lines(ctx, "") {
			states, err := a.stateOf(l.Slug)
			for i := range states {
				if in.Brief {
					states[i].History = []wire.ControlWas{}
				}
			}
			switch {
			case errors.Is(err, belief.ErrNoControls), errors.Is(err, library.ErrUnknownDevice):
			case err != nil:
				return nil, err
			default:
				out = append(out, wire.DeviceState{Device: l.Slug, Name: l.Name, Room: l.Room, Controls: states})
			}
		}
		return out, nil
	})
	call(a, operation{"GET", "/devices/{device}/state", "get-state", "What a device is believed to be set to",
		grant.See, ofDevice, 0}, func(_ context.Context, in *DeviceIn) ([]wire.ControlState, error) {
		return a.stateOf(in.Device)
	})
	call(a, operation{"POST", "/devices/{device}/set", "set-controls",
		"Set controls of a device: press what leads there from all that is possible", grant.Use, ofDevice, 0},
		func(ctx context.Context, in *struct {
			DeviceIn
			Body wire.SetRequest
		}) (wire.SetAnswer, error) {
			return a.setDevice(ctx, in.Device, in.Body)
		})
	call(a, operation{"POST", "/devices/{device}/undo-set", "undo-set",
		"Set a device back to what it was believed to be at before the caller set it last, within ten minutes",
		grant.Use, ofDevice, 0}, func(ctx context.Context, in *DeviceIn) (wire.SetAnswer, error) {
		id, err := a.house.Library.ID(in.Device)
		if err != nil {
			return wire.SetAnswer{}, err
		}
		r, err := a.house.Setting.Undo(ctx, id, asking(ctx))
		if err != nil {
			return wire.SetAnswer{}, err
		}
		out := setAnswer(r)
		out.State, err = a.stateOf(in.Device)
		return out, err
	})
	call(a, operation{"POST", "/devices/{device}/tell", "tell-control", "Say what a control really is at", grant.Tell,
		ofDevice,
		0}, func(ctx context.Context, in *struct {
		DeviceIn
		Body wire.TellRequest
	}) ([]wire.ControlState, error) {
		if _, err := a.house.Beliefs.Tell(in.Device, in.Body.Control, in.Body.Value, asking(ctx)); err != nil {
			return nil, err
		}
		return a.stateOf(in.Device)
	})
	call(a, operation{"POST", "/outage", "tell-outage",
		"Say that the mains failed and are back: devices are then at what their controls say", grant.Tell, filtered, 0},
		func(ctx context.Context, in *struct{ Body wire.Outage }) (wire.OutageAnswer, error) {
			if err := a.mayIn(ctx, grant.Tell, in.Body.Room); err != nil {
				return wire.OutageAnswer{}, err
			}
			n, err := a.house.MainsFailed(in.Body.Room, asking(ctx))
			return wire.OutageAnswer{Devices: n}, err
		})
	call(a, operation{"GET", "/devices/{device}/controls/proposal", "propose-controls",
		"Controls as the device's keys suggest them, and what no key tells", grant.See, ofDevice, 0},
		func(_ context.Context, in *DeviceIn) (wire.Proposal, error) {
			controls, questions, err := a.house.Propose(in.Device)
			return wire.Proposal{Controls: listed(controls),
				Questions: listed(questions)}, err
		})
	call(a, operation{"GET", "/devices/{device}/controls/questions", "ask-controls",
		"What can be asked about the controls of a device, and what stands: all about one, or what matters about each",
		grant.See, ofDevice, 0}, func(_ context.Context, in *struct {
		DeviceIn
		Control string `query:"control" maxLength:"40" doc:"The one to ask all about"`
	}) (wire.Proposal, error) {
		d, err := a.house.Library.Device(in.Device)
		if err != nil {
			return wire.Proposal{}, err
		}
		controls, questions, err := d.Questions(in.Control)
		return wire.Proposal{Controls: listed(controls),
			Questions: listed(questions)}, err
	})
	a.controls()
	a.pairing()
	a.measurements()
}

// setDevice sets controls of a device.
func (a *API) setDevice(ctx context.Context, slug string, body wire.SetRequest) (wire.SetAnswer, error) {
	id, err := a.house.Library.ID(slug)
	if err != nil {
		return wire.SetAnswer{}, err
	}
	w := wanted(ctx, id, body)
	if limited := !Caller(ctx).Grant.Where.House; (body.Ask || limited) && !w.Dry {
		first := w
		first.Dry = true
		r, err := a.house.Set(ctx, first)
		if err != nil {
			return wire.SetAnswer{}, err
		}
		if err := a.mayMove(ctx, id, r.Plan); err != nil {
			return wire.SetAnswer{}, err
		}
		w.Dry = body.Ask && len(r.Plan.Asks) > 0
	}
	r, err := a.house.Set(ctx, w)
	if err != nil {
		return wire.SetAnswer{}, err
	}
	out := setAnswer(r)
	out.Also = slices.DeleteFunc(slices.Clone(out.Also), func(slug string) bool {
		other, err := a.house.Library.ID(slug)
		return err != nil || !a.sees(ctx, other)
	})
	if body.Ask && w.Dry && !body.Dry { // nothing was pressed, and somebody is asked
		out.Done = false
	}
	out.State, err = a.stateOf(slug)
	return out, err
}

// mayMove refuses a plan with keys that other devices obey, too, where the caller may not use one of those.
func (a *API) mayMove(ctx context.Context, id string, p control.Plan) error {
	d, err := a.house.Library.ByID(id)
	if err != nil {
		return err
	}
	for _, step := range p.Steps {
		if k, err := d.Key(step.Key); err == nil {
			if err := a.house.MayObey(Caller(ctx).Grant, d.ID, *k); err != nil {
				return err
			}
		}
	}
	return nil
}

// wanted is what a request asks of a device, by its id.
func wanted(ctx context.Context, id string, r wire.SetRequest) service.Wanted {
	return service.Wanted{Wish: setting.Wish{Device: id, Wants: r.Wants, Asked: true, By: asking(ctx)},
		For: time.Duration(r.ForMS) * time.Millisecond, Then: r.Then, Dry: r.Dry}
}

// pairing registers handsets of Urbo's own.
func (a *API) pairing() {
	call(a, operation{"GET", "/pairing", "list-pairing-ways", "Kinds of devices that obey paired handsets only",
		grant.See, anywhere, 0}, func(context.Context, *nothing) ([]wire.PairingWay, error) {
		return list(pairing.Ways(),
			func(w pairing.Way) wire.PairingWay { return wire.PairingWay{Way: w.Name, For: w.For} }), nil
	})
	call(a, operation{"POST", "/devices/{device}/pair", "pair-device",
		"Make a handset of Urbo's own for a device; it is the device's once it is confirmed, and leaves nothing before",
		grant.Teach, ofDevice, 0},
		func(_ context.Context, in *struct {
			DeviceIn
			Body wire.PairRequest
		}) (wire.Pairing, error) {
			w, err := a.house.Library.Pair(in.Device, in.Body.Way)
			if err != nil {
				return wire.Pairing{}, err
			}
			return wire.Pairing{Way: w.Name, First: w.First, Key: w.Pair, Shows: w.Shows,
				Keys: list(w.Keys, func(k pairing.Key) string { return k.Name })}, nil
		})
	call(a, operation{"POST", "/devices/{device}/pair/ask", "ask-to-pair",
		"Let the new handset ask to be paired; it sends nothing else", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *DeviceIn) (wire.Press, error) {
			d, k, err := a.house.Library.AsksToPair(in.Device)
			if err != nil {
				return wire.Press{}, err
			}
			r, err := a.house.Transmit.Press(ctx, transmit.Order{Key: k, Owner: d.ID, By: asking(ctx),
				Device: device.Device{Transmitter: d.Transmitter, RoomID: d.RoomID, Room: d.Room},
				What:   "the new handset of " + d.Slug})
			return wire.PressOf(r), err
		})
	call(a, operation{"POST", "/devices/{device}/pair/took", "confirm-pairing",
		"Say that the device took the new handset: its keys send it from now on, and what they sent before is kept",
		grant.Teach, ofDevice, 0}, func(ctx context.Context, in *DeviceIn) (wire.Device, error) {
		return as(a.deviceFor(ctx))(a.house.Library.Paired(ctx, in.Device, note(ctx)))
	})
	remove(a, operation{"DELETE", "/devices/{device}/pair", "cancel-pairing",
		"Forget the new handset; everything is as it was", grant.Teach, ofDevice, http.StatusNoContent},
		func(_ context.Context, in *DeviceIn) error { return a.house.Library.Unpair(in.Device) })
}

// stateOf is what a device is believed to be set to.
func (a *API) stateOf(slug string) ([]wire.ControlState, error) {
	states, history, err := a.house.Beliefs.States(slug)
	if err != nil {
		return nil, err
	}
	out := list(states, func(s control.State) wire.ControlState { return controlOf(s, history[s.Control]) })
	d, err := a.house.Library.Device(slug)
	if err != nil {
		return nil, err
	}
	for _, s := range d.Sensors {
		i := slices.IndexFunc(out, func(w wire.ControlState) bool { return w.Control == s.Control })
		if m, err := a.house.Measure.Get(s.Measurement); err == nil && i >= 0 {
			out[i].Beside = append(out[i].Beside, gauge(m))
		}
	}
	return out, nil
}

func controlOf(s control.State, history []belief.Was) wire.ControlState {
	w := wire.ControlState{Control: s.Control, Kind: s.Kind, Value: s.Value, About: s.About, Near: s.Near,
		May:  listed(s.May),
		Word: s.Word, Unit: s.Unit, Phase: s.Phase, Until: wire.Time(s.Until), Moving: s.Moving, Source: s.Source,
		At: wire.Time(s.At), Presses: s.Presses, Deaf: s.Deaf, Wrong: s.Wrong, History: []wire.ControlWas{}}
	for _, h := range slices.Backward(history) {
		w.History = append(w.History,
			wire.ControlWas{Value: h.Value, At: wire.Time(h.At), Source: h.Source, Cause: h.Cause})
	}
	return w
}

func setAnswer(r setting.Result) wire.SetAnswer {
	w := wire.SetAnswer{Done: r.Done, Doubtful: r.Doubtful, Sure: r.Plan.Sure, Steps: []wire.PlanStep{},
		TakesMS: int(r.Plan.Takes.Milliseconds()),
		Already: r.Plan.Already, Also: r.Plan.Also, Asks: r.Plan.Asks, Helps: r.Plan.Helps, Reason: r.Reason,
		Ends:    list(r.Ends, func(e setting.End) string { return string(e) }),
		Presses: list(r.Presses, func(p happening.Receipt) wire.Press { return wire.PressOf(p) })}
	for _, s := range r.Plan.Steps {
		w.Steps = append(w.Steps, wire.PlanStep{Key: s.Key, Frame: s.Frame, Times: s.Times,
			HoldMS: int(s.Hold.Milliseconds()), WaitMS: int(s.Wait.Milliseconds()),
			NotLaterMS: int(s.NotLater.Milliseconds())})
	}
	return w
}

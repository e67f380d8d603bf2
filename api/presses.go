package api

import (
	"cmp"
	"context"
	"net/http"
	"time"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/service/explain"
	"urbo/service/transmit"
	"urbo/wire"
)

// usualLease is how long a key is held where a request does not say.
const usualLease = 1500 * time.Millisecond

// HeldIn names a key that is held.
type HeldIn struct {
	Press string `path:"press" maxLength:"40"`
}

// order finds what a key sends. Where it cannot be pressed that is in the journal.
func (a *API) order(ctx context.Context, ref device.Ref) (transmit.Order, error) {
	o := transmit.Order{By: asking(ctx)}
	d, k, err := a.house.Library.Key(ref)
	if err != nil {
		o.Device.ID = d.ID
		a.house.Transmit.Refused(o, ref, err)
		return o, err
	}
	o.Device, o.Key = d, k
	return o, a.house.MayObey(Caller(ctx).Grant, d.ID, k)
}

// presses registers pressing and holding keys.
func (a *API) presses() {
	call(a, operation{"POST", "/devices/{device}/keys/{key}/press", "press-key",
		"Press a key and wait for the receipt; whoever hangs up lets go of it", grant.Use, ofDevice, 0},
		func(ctx context.Context, in *struct {
			KeyIn
			Body *wire.PressRequest `required:"false"`
		}) (wire.Press, error) {
			o, err := a.order(ctx, in.ref())
			if err != nil {
				return wire.Press{}, err
			}
			if in.Body != nil {
				o.Times, o.Hold = in.Body.Times, time.Duration(in.Body.HoldMS)*time.Millisecond
				o.Anyway = in.Body.Anyway
				if in.Body.From != "" {
					if err := Caller(ctx).Grant.May(grant.Use); err != nil { // a transmitter is heard in other rooms
						return wire.Press{}, err
					}
					if o.Transmitter, err = a.house.Stations.Place(in.Body.From); err != nil {
						a.house.Transmit.Refused(o, in.ref(), err)
						return wire.Press{}, err
					}
				}
				o.Within = time.Duration(in.Body.WithinMS) * time.Millisecond
			}
			if err := a.house.Setting.Clear(ctx, o.Device.ID); err != nil {
				return wire.Press{}, err
			}
			return as(wire.PressOf)(a.house.Transmit.Press(ctx, o))
		})
	call(a, operation{"GET", "/devices/{device}/keys/{key}/explain", "explain-press",
		"Why nothing happens when a key is pressed: its code, its way, who hears it, its last press. Nothing is sent",
		grant.See, ofDevice, 0}, func(ctx context.Context, in *KeyIn) ([]wire.PressFinding, error) {
		found, err := a.house.Explain.Key(ctx, in.ref())
		return list(found, func(f explain.Finding) wire.PressFinding {
			return wire.PressFinding{About: f.About, Is: string(f.Is), Text: f.Text, Do: f.Do, At: wire.Time(f.At)}
		}), err
	})
	call(a, operation{"POST", "/devices/{device}/keys/{key}/hold", "hold-key",
		"Begin to hold a key: it is one press until it is let go", grant.Use, ofDevice, http.StatusCreated},
		func(ctx context.Context, in *struct {
			KeyIn
			Body *wire.HoldRequest `required:"false"`
		}) (wire.Held, error) {
			o, err := a.order(ctx, in.ref())
			if err != nil {
				return wire.Held{}, err
			}
			o.Lease = lease(in.Body)
			if err := a.house.Setting.Clear(ctx, o.Device.ID); err != nil {
				return wire.Held{}, err
			}
			k, err := a.house.Transmit.Start(o)
			if err != nil {
				return wire.Held{}, err
			}
			return wire.Held{ID: k.ID, LeaseMS: int(o.Lease.Milliseconds())}, nil
		})
	call(a, operation{"POST", "/held/{press}", "go-on-holding", "Go on holding a key", grant.Use, ofPress, 0},
		func(_ context.Context, in *struct {
			HeldIn
			Body *wire.HoldRequest `required:"false"`
		}) (wire.Held, error) {
			k, err := a.house.Transmit.Ticket(in.Press)
			if err != nil {
				return wire.Held{}, err
			}
			l := lease(in.Body)
			return wire.Held{ID: k.ID, LeaseMS: int(l.Milliseconds())}, k.Hold(l)
		})
	call(a, operation{"DELETE", "/held/{press}", "let-go", "Let go of a key, and wait for the receipt", grant.Use,
		ofPress,
		0}, func(ctx context.Context, in *HeldIn) (wire.Press, error) {
		k, err := a.house.Transmit.Ticket(in.Press)
		if err != nil {
			return wire.Press{}, err
		}
		k.LetGo()
		return as(wire.PressOf)(k.Wait(ctx))
	})
}

func lease(r *wire.HoldRequest) time.Duration {
	if r == nil {
		return usualLease
	}
	return cmp.Or(time.Duration(r.LeaseMS)*time.Millisecond, usualLease)
}

package transmit

import (
	"context"
	"fmt"
	"time"

	"urbo/core/fault"
	"urbo/core/happening"
	"urbo/service/stations"
)

// Ticket is a press that was asked for: it waits, is on the air, or is over.
type Ticket struct {
	ID string // of the receipt, and in the journal

	transmit *Transmit
	order    Order
	parts    []part
	legs     []leg     // at least one
	missing  []string  // why others do not send as well
	by       time.Time // dropped when it has not begun by then
	done     chan struct{}
	heard    chan struct{} // that a receiver heard it; nil where that is not verified

	// Guarded by transmit.mu.
	began    bool
	asked    int       // how often it was asked for while it waited: more than once is still one press
	given    int       // how many of those do not want it any more
	letGo    bool      // nothing holds it any more
	givenUp  bool      // nobody wants it any more
	holds    bool      // what is on the air is held by leases
	held     time.Time // until when it is held, where it is held by leases
	most     time.Time // until when it can be held
	sending  *stations.Sending
	finished time.Time

	shape happening.Receipt // what its receipt will say, for the trace; its worker's

	// Set before done is closed.
	receipt happening.Receipt
	err     error
}

// DeviceID is the id of the device that is pressed, "" where the codes belong to none.
func (k *Ticket) DeviceID() string { return k.order.Device.ID }

// Wait waits for what becomes of the press. Errors say that nothing was sent; what went wrong on the air is in the
// receipt's outcome. Where ctx ends first its error is returned, and the press goes on.
func (k *Ticket) Wait(ctx context.Context) (happening.Receipt, error) {
	select {
	case <-k.done:
		return k.receipt, k.err
	default:
	}
	select {
	case <-k.done:
		return k.receipt, k.err
	case <-ctx.Done():
		return happening.Receipt{}, ctx.Err()
	}
}

// Hold goes on holding the key for a lease from now, at most MaxHold in all. The error wraps ErrOver where it is not
// held any more.
func (k *Ticket) Hold(lease time.Duration) error {
	t := k.transmit
	t.mu.Lock()
	now := t.now()
	if k.letGo || !k.finished.IsZero() || k.order.Lease == 0 || k.began && !now.Before(k.held) {
		t.mu.Unlock()
		return fmt.Errorf("hold %s: %w", k.order.subject(), ErrOver)
	}
	k.held = earlier(now.Add(min(lease, MaxLease)), k.most)
	left, sending, holds := k.held.Sub(now), k.sending, k.holds
	t.mu.Unlock()
	if sending == nil || !holds || left <= 0 {
		return nil
	}
	return sending.Hold(context.Background(), left)
}

// LetGo ends the holding of a key. A press that waits goes out all the same, and so do the frames that every press has.
func (k *Ticket) LetGo() {
	t := k.transmit
	t.mu.Lock()
	over := k.letGo
	k.letGo = true
	sending := k.sending
	holds := k.holds
	t.mu.Unlock()
	if sending != nil && holds && !over {
		_ = sending.Hold(context.Background(), 0) // a station that has no link any more lets go by itself
	}
}

// Enough ends an order of several presses after the one that is on the air, which goes out whole. One that waits is
// dropped.
func (k *Ticket) Enough() {
	t := k.transmit
	t.mu.Lock()
	began := k.began
	k.letGo = k.letGo || began
	t.mu.Unlock()
	if !began {
		k.Cancel()
	}
}

// Cancel ends a press: one that waits is dropped, one on the air ends with the frame that is going out. A press that
// others asked for as well goes on for them.
func (k *Ticket) Cancel() { k.cancel(false) }

func (k *Ticket) cancel(forAll bool) {
	t := k.transmit
	t.mu.Lock()
	if k.given++; k.given < k.asked && !forAll {
		t.mu.Unlock()
		return
	}
	k.letGo, k.givenUp = true, true
	waits := t.drop(k)
	sending := k.sending
	t.mu.Unlock()
	if waits {
		t.finish(k, happening.Receipt{}, ErrGivenUp)
	}
	if sending != nil {
		_ = sending.Cancel(context.Background())
	}
}

func earlier(a, b time.Time) time.Time {
	if b.Before(a) {
		return b
	}
	return a
}

// Errors that callers ask for.
var (
	ErrBusy    = fault.New(fault.Busy, "too many presses wait for this transmitter")
	ErrMuch    = fault.New(fault.Invalid, "it would take the transmitter for too long")
	ErrLate    = fault.New(fault.Conflict, "its turn came too late, and it was dropped")
	ErrOver    = fault.New(fault.Conflict, "it is not held any more")
	ErrGivenUp = fault.New(fault.Conflict, "given up while it waited")
	ErrEnding  = fault.New(fault.Later, "the service is ending: press it again when it is back")
	ErrUnknown = fault.New(fault.NotFound, "unknown press")
)

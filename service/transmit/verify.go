package transmit

import (
	"strings"
	"time"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/signal"
)

// earshot is how long after a send it is waited for whether a receiver heard it: until the receiver's press is over,
// and what it said has come in.
const earshot = signal.PressSilence*time.Microsecond + signal.EchoLate

// verify waits until a receiver has heard a press of a device whose presses are to be verified. What only sets
// something, and was not heard, is sent once more; what toggles or steps never is.
func (t *Transmit) verify(k *Ticket, r *happening.Receipt) {
	o := k.order
	if !o.Device.Verify || r.Outcome != happening.Sent {
		return
	}
	on, listeners := device.Channel{Medium: k.parts[0].echo.medium, Hz: k.legs[0].through.Hz}, false
	for _, l := range k.legs {
		listeners = listeners || t.stations.Listens(on, l.through.Room)
	}
	if !listeners {
		r.Note = note(r.Note, "Nobody listens there, so it could not be verified.")
		return
	}
	heard := k.wasHeard()
	switch once := o.Times == 1 && o.Hold == 0 && o.Lease == 0 && o.Device.SetsKey(o.Key.Name); {
	case heard:
	case !once:
		r.Note = note(r.Note, "No receiver heard it. It is not sent again by itself.")
	default:
		again := happening.Receipt{Outcome: happening.Sent}
		if err := t.oneTime(k, 0, &again); err != nil || again.Outcome != happening.Sent {
			r.Note = note(r.Note, "No receiver heard it, and it could not be sent once more.")
			break
		}
		r.Took += again.Took
		if heard = k.wasHeard(); heard {
			r.Note = note(r.Note, "No receiver heard it at first: it was sent once more, and heard.")
		} else {
			r.Note = note(r.Note, "No receiver heard it, nor when it was sent once more.")
		}
	}
	r.Heard = &heard
}

// wasHeard waits until a receiver has heard the press.
func (k *Ticket) wasHeard() bool {
	timeout := time.NewTimer(earshot)
	defer timeout.Stop()
	select {
	case <-k.heard:
		return true
	case <-timeout.C:
		return false
	}
}

// note puts another sentence behind what is said.
func note(said, more string) string { return strings.TrimSpace(said + " " + more) }

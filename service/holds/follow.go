package holds

import (
	"context"
	"slices"
	"strings"

	"urbo/core/control"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/library"
	"urbo/service/wake"
)

// follow takes what happens to what is held until the context ends.
func (h *Holds) follow(ctx context.Context) {
	for {
		batch, err := h.queue.Next(ctx)
		if err != nil { // the context or the stream ended
			return
		}
		for _, one := range batch {
			h.mu.Lock()
			h.take(one)
			h.mu.Unlock()
		}
	}
}

// take takes one happening. The caller holds mu.
func (h *Holds) take(what happening.Happening) {
	if len(h.all) == 0 {
		return
	}
	switch w := what.What.(type) {
	case happening.Pressed:
		if w.Outcome == happening.Failed {
			return
		}
		h.touched(w.DeviceID, what, what.Cause, func(one *Hold, spec *control.Spec) bool {
			if w.Frame != nil { // a frame says everything: only what it says otherwise counts
				value, says := w.Frame[one.Control]
				return says && value != one.Value
			}
			return spec.Touches(w.Key, one.Control)
		}, "it was pressed by "+who(what))
	case happening.Heard:
		if w.Echo || w.Key == "" {
			return
		}
		h.touched(w.DeviceID, what, "", func(one *Hold, spec *control.Spec) bool {
			return spec.Touches(w.Key,
				one.Control)
		},
			"somebody pressed "+w.Device+"/"+w.Key+" on a handset")
	case happening.WasSet:
		h.touched(w.DeviceID, what, what.ID, func(one *Hold, spec *control.Spec) bool {
			return slices.ContainsFunc(w.Wants, func(want string) bool {
				name, value, _ := strings.Cut(want, " ")
				return name == one.Control || spec.IsOff(control.Want{Control: name, Value: value})
			})
		}, "it was set by "+who(what))
	case happening.Contradicted:
		h.disagrees(w.DeviceID, w.Control, "it is "+w.Value+", as was "+w.By)
	case happening.Believed:
		h.disagrees(w.DeviceID, w.Control, "it is at something else")
		if w.Value != "" && w.Source != "sent" {
			h.known(w.DeviceID, w.Control)
		}
	case happening.MainsFailed:
		h.mains(w.RoomID)
	case happening.DeviceRemoved:
		h.each(w.DeviceID, run.DeviceGone)
		h.purged()
	case happening.DeviceChanged:
		if w.Back {
			h.each(w.DeviceID, run.DeviceBack)
		}
	}
}

// own says whether a wish was for any hold of a device. The caller holds mu.
func (h *Holds) own(device, ticket string) bool {
	return ticket != "" && (slices.Contains(h.ours, ticket) || slices.ContainsFunc(h.all, func(one *Hold) bool {
		return one.DeviceID == device && (ticket == one.Set || ticket == one.Back || ticket == one.Last)
	}))
}

func who(h happening.Happening) string {
	if by := h.By.String(); by != "" {
		return by
	}
	return "somebody else"
}

// touched ends the holds of a device that something was done to. The caller holds mu.
func (h *Holds) touched(device string, what happening.Happening, cause string, is func(*Hold, *control.Spec) bool,
	reason string) {
	if h.own(device, cause) {
		return
	}
	spec, err := h.Beliefs.Spec(device)
	if err != nil {
		return
	}
	for _, one := range slices.Clone(h.all) {
		if one.DeviceID == device && !slices.Contains(one.older, cause) && h.since(one, what) && is(one, spec) {
			h.event(one, run.Other, reason)
		}
	}
}

// since says whether something happened after a hold began. Times only place what is told late, and what a process
// before this one left behind. The caller holds mu.
func (h *Holds) since(one *Hold, what happening.Happening) bool {
	heard, is := what.What.(happening.Heard)
	if is && what.At.Before(one.Since) { // it is read when its silence is over, and the hold began meanwhile
		return false
	}
	if set, is := what.What.(happening.WasSet); is && set.Asked > 0 && set.Asked <= one.after {
		return false // it was asked for before the hold, and is told when it is over
	}
	if is && heard.Capture.Late || one.after == 0 && what.Seq <= h.began {
		return !what.At.Before(one.Since)
	}
	return what.Seq > one.after
}

// disagrees ends the hold of a control that is surely at something else. Only what is held counts: while something is
// being set it passes by other values. The caller holds mu.
func (h *Holds) disagrees(device, name, reason string) {
	one := h.top(device, name)
	if one == nil || one.Phase != run.Held || h.Beliefs.Holds(device, []control.Want{{Control: name,
		Value: one.Value}}) {
		return
	}
	states, err := h.Beliefs.StatesOf(device)
	if err != nil {
		return
	}
	i := slices.IndexFunc(states, func(s control.State) bool { return s.Control == name })
	if i < 0 || states[i].Value == "" || states[i].Value == one.Value || states[i].Moving != 0 {
		return
	}
	for _, other := range slices.Clone(h.all) {
		if other.DeviceID == device && other.Control == name {
			h.event(other, run.Other, reason)
		}
	}
}

// known lets what is owed go back at once, now that it is known what a control is at. The caller holds mu.
func (h *Holds) known(device, name string) {
	if one := h.top(device, name); one != nil && one.Phase == run.Owed {
		one.Retry = h.Now()
		wake.Up(h.look)
	}
}

// mains ends what is held in a room, or everywhere, as the mains failed. The caller holds mu.
func (h *Holds) mains(room string) {
	for _, one := range slices.Clone(h.all) {
		if d, err := h.Library.ByID(one.DeviceID); err == nil && (room == "" || d.RoomID == room) {
			h.event(one, run.Mains, "the mains failed")
		}
	}
}

// each is something that happens to all holds of a device. The caller holds mu.
func (h *Holds) each(device string, what run.HoldHappened) {
	for _, one := range slices.Clone(h.all) {
		if one.DeviceID == device {
			h.event(one, what, "")
		}
	}
	wake.Up(h.look)
}

// purged ends what is held of devices that can no longer be brought back. The caller holds mu.
func (h *Holds) purged() {
	removed, err := h.Library.Removed(context.Background())
	if err != nil {
		return
	}
	for _, one := range slices.Clone(h.all) {
		there := h.Library.Slug(one.DeviceID) != "" || slices.ContainsFunc(removed, func(r library.Removed) bool {
			return r.ID == one.DeviceID
		})
		if !there {
			h.event(one, run.Purged, "")
		}
	}
}

package run

import "time"

// HoldPhase is where a hold is: a control that is set for a time.
type HoldPhase string

// The phases of a hold.
const (
	HoldSetting HoldPhase = "setting" // its value is being set
	Held        HoldPhase = "held"
	GoingBack   HoldPhase = "going back" // what was before is being set
	Owed        HoldPhase = "owed"       // that failed, and is tried again
	HoldEnded   HoldPhase = "ended"
)

// HoldState is where a hold is, and where it goes on.
type HoldState struct {
	Phase  HoldPhase `json:"phase"`
	Over   bool      `json:"over,omitempty"`   // its time ended while it was being set
	Frozen bool      `json:"frozen,omitempty"` // its device is removed: nothing happens until it is back
	Tries  int       `json:"tries,omitempty"`  // how often going back failed
	Retry  time.Time `json:"retry,omitzero"`   // when it is tried again
	Reason string    `json:"reason,omitempty"` // why it ended, or is owed
}

// HoldHappened is what can happen to a hold.
type HoldHappened string

// What can happen to a hold.
const (
	HoldDone    HoldHappened = "done"    // what was being set is there
	HoldFailed  HoldHappened = "failed"  // nothing surely came of it
	HoldUnknown HoldHappened = "unknown" // nobody knows whether the presses went out
	TimeOver    HoldHappened = "time"    // its time ends, or somebody ends it
	Other       HoldHappened = "other"   // somebody else set it, or a sensor says otherwise
	Mains       HoldHappened = "mains"   // they failed
	Newer       HoldHappened = "newer"   // it is held for something else, on top of this
	RunStopped  HoldHappened = "stopped" // the run that began it
	DeviceGone  HoldHappened = "gone"    // it can be brought back
	DeviceBack  HoldHappened = "back"
	Purged      HoldHappened = "purged" // gone for good
	HouseAgain  HoldHappened = "restart"
	RetryDue    HoldHappened = "retry"
)

// HoldAct is what has to be done.
type HoldAct string

// The acts of a hold.
const (
	HoldNothing HoldAct = ""
	CancelSet   HoldAct = "cancel" // what is being set is ended at the next safe place
	GoBack      HoldAct = "back"   // what was before is set
)

const (
	// firstRetry and lastRetry are the pauses after going back failed: they double.
	firstRetry = 15 * time.Second
	lastRetry  = 30 * time.Minute
	// owing is how often it is tried: for about a day.
	owing = 54
)

// Next is what something makes of a hold. What cannot happen changes nothing.
func (s HoldState) Next(what HoldHappened, reason string, now time.Time) (HoldState, HoldAct) {
	switch what {
	case Purged:
		return s.end("its device is gone")
	case DeviceGone:
		s.Frozen = true
		return s, HoldNothing
	case DeviceBack:
		s.Frozen = false
		return s.thawed(now)
	case HouseAgain:
		return s.again(now)
	}
	if s.Frozen && what != Other && what != Mains { // what fails now is the device's being away
		return s, HoldNothing
	}
	switch what {
	case Other, Mains:
		busy := s.Phase == HoldSetting || s.Phase == GoingBack
		s, _ = s.end(reason)
		if busy {
			return s, CancelSet
		}
		return s, HoldNothing
	case RunStopped:
		if s.Phase == HoldSetting {
			s, _ = s.end(reason)
			return s, CancelSet
		}
		return s, HoldNothing
	}
	switch s.Phase {
	case HoldSetting:
		return s.setting(what, reason)
	case Held:
		if what == TimeOver {
			return HoldState{Phase: GoingBack}, GoBack
		}
	case GoingBack:
		return s.goingBack(what, reason, now)
	case Owed:
		if what == RetryDue {
			s.Phase = GoingBack
			return s, GoBack
		}
		return s.goingBack(what, reason, now)
	}
	return s, HoldNothing
}

func (s HoldState) setting(what HoldHappened, reason string) (HoldState, HoldAct) {
	switch what {
	case TimeOver:
		s.Over = true
	case HoldFailed:
		return s.end(reason)
	case HoldDone, HoldUnknown:
		if s.Over {
			return HoldState{Phase: GoingBack}, GoBack
		}
		return HoldState{Phase: Held}, HoldNothing
	}
	return s, HoldNothing
}

func (s HoldState) goingBack(what HoldHappened, reason string, now time.Time) (HoldState, HoldAct) {
	switch what {
	case HoldDone:
		return s.end("")
	case HoldUnknown:
		return s.end("nobody knows whether it is back: " + reason)
	case HoldFailed:
		return s.owe(reason, now)
	}
	return s, HoldNothing
}

// owe tries it again later, with growing pauses.
func (s HoldState) owe(reason string, now time.Time) (HoldState, HoldAct) {
	if s.Tries+1 >= owing {
		return s.end("it was given up: " + reason)
	}
	pause := min(firstRetry<<min(s.Tries, 20), lastRetry)
	return HoldState{Phase: Owed, Tries: s.Tries + 1, Retry: now.Add(pause), Reason: reason}, HoldNothing
}

// again is a hold after the house was away: what was under way may or may not have gone out.
func (s HoldState) again(now time.Time) (HoldState, HoldAct) {
	switch s.Phase {
	case HoldSetting:
		s.Phase = Held
	case GoingBack, Owed:
		s.Phase, s.Retry = Owed, now
	}
	return s.thawed(now)
}

// thawed goes on where a hold stands still.
func (s HoldState) thawed(now time.Time) (HoldState, HoldAct) {
	if s.Frozen {
		return s, HoldNothing
	}
	switch {
	case s.Phase == HoldSetting:
		s.Phase = Held
	case s.Phase == GoingBack:
		s.Phase, s.Retry = Owed, now
	}
	if s.Phase == Held && s.Over {
		s = HoldState{Phase: Owed, Retry: now}
	}
	return s, HoldNothing
}

func (s HoldState) end(reason string) (HoldState, HoldAct) {
	return HoldState{Phase: HoldEnded, Reason: reason}, HoldNothing
}

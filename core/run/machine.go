package run

import (
	"cmp"
	"fmt"
	"strings"
	"time"
)

// Phase is where a run is.
type Phase string

// The phases.
const (
	Queued  Phase = "queued"  // it waits for its turn
	InStep  Phase = "step"    // something is pressed or set
	Waiting Phase = "waiting" // for a time, or until something is so
	Asking  Phase = "asking"  // until somebody says what something is at
	Ended   Phase = "ended"
)

// End is how a run ended.
type End string

// The ends.
const (
	Done        End = "done"
	Failed      End = "failed"      // a step failed, or it is not known what became of it
	Stopped     End = "stopped"     // by somebody
	Dropped     End = "dropped"     // its turn did not come
	Interrupted End = "interrupted" // the house ended in the middle of a step
)

// State is where a run is, and where it goes on.
type State struct {
	Phase    Phase     `json:"phase"`
	At       int       `json:"at"`             // the op under way, or the one that is next
	Until    time.Time `json:"until,omitzero"` // when its waiting is over, or given up
	Stopping bool      `json:"stop,omitempty"` // it ends when the step under way is at a safe place
	Asks     string    `json:"asks,omitempty"` // what is not known, as DEVICE/CONTROL
	End      End       `json:"end,omitempty"`
	Reason   string    `json:"reason,omitempty"` // why it ended, where it is not done; or what is missing
	// Missing is what failed and was passed over.
	Missing string `json:"missing,omitempty"`
}

// Happened is what can happen to a run.
type Happened string

// What can happen. Due is that its step is done, its time is over, what it waits for is so, or what it asks is
// answered.
const (
	Turn       Happened = "turn" // its turn has come
	Due        Happened = "due"
	NotSo      Happened = "no"         // the condition of a branch is not so
	LimitOver  Happened = "limit"      // the time for it is over
	Stop       Happened = "stop"       // somebody stops it
	Superseded Happened = "superseded" // somebody wished something else meanwhile
	Removed    Happened = "removed"    // a device is gone
	Restarted  Happened = "restart"    // the house was away
	Trouble    Happened = "trouble"    // the step failed, or nobody knows
	Doubt      Happened = "doubt"      // the step needs to know what something is at
	Later      Happened = "later"      // the step waits so long
)

// Event is something that happens to a run.
type Event struct {
	What   Happened
	At     time.Time
	Reason string        // of Trouble, Doubt, Removed and Stop, in words
	Gone   Target        // of Removed
	Limit  time.Duration // of Doubt: how long it is asked; of Later, how long it waits
}

// Act is what has to be done next.
type Act string

// The acts.
const (
	Nothing  Act = ""
	Begin    Act = "begin"    // the op is pressed, set or told
	Judge    Act = "judge"    // the condition of the op is answered
	Sleep    Act = "wait"     // it waits, until its state says
	Ask      Act = "ask"      // somebody is asked
	Withdraw Act = "withdraw" // what was asked is not asked any more; then the state says whether it ended
	Cancel   Act = "cancel"   // the step under way is ended at the next safe place
	Finish   Act = "finish"   // it ended
)

// mostMissing is how long what is missing may be told, in bytes.
const mostMissing = 1000

// late is by how much a wait may have passed while the house was away.
const late = 10 * time.Minute

// Next is what an event makes of a run, and what has to be done. What cannot happen in a phase changes nothing.
func (p Program) Next(s State, e Event) (State, Act) {
	next, act := s, Nothing
	switch s.Phase {
	case Queued:
		next, act = p.queued(s, e)
	case InStep:
		next, act = p.inStep(s, e)
	case Waiting:
		next, act = p.waiting(s, e)
	case Asking:
		next, act = p.asking(s, e)
	}
	next.Missing = cmp.Or(next.Missing, s.Missing)
	if next.End == Done {
		next.Reason = next.Missing
	}
	return next, act
}

// passOver goes on behind an op that failed, and keeps why.
func (p Program) passOver(s State, reason string, now time.Time) (State, Act) {
	next, act := p.enter(s.At+1, now)
	if next.Missing = s.Missing; len(next.Missing) < mostMissing {
		next.Missing = strings.TrimPrefix(next.Missing+"; "+reason, "; ")
	}
	return next, act
}

// eased says whether what fails of an op is passed over.
func (p Program) eased(at int) bool { return at < len(p) && p[at].Set != nil && p[at].Set.Eased }

func (p Program) queued(s State, e Event) (State, Act) {
	switch e.What {
	case Turn:
		return p.enter(s.At, e.At)
	case LimitOver:
		return s.end(Dropped, "its turn did not come in time")
	case Stop:
		return s.end(Dropped, e.Reason)
	case Restarted:
		return s.end(Dropped, "the house ended while it waited for its turn")
	case Removed:
		if p.About(s.At, e.Gone) && !p.eased(s.At) {
			return s.end(Failed, e.Reason)
		}
	}
	return s, Nothing
}

func (p Program) inStep(s State, e Event) (State, Act) {
	switch e.What {
	case Due, NotSo, Superseded:
		if s.Stopping {
			return s.end(Stopped, s.Reason)
		}
		if e.What == NotSo && p[s.At].Branch != nil {
			return p.enter(p[s.At].Branch.Else, e.At)
		}
		return p.enter(s.At+1, e.At)
	case Trouble:
		if s.Stopping {
			return s.end(Stopped, s.Reason)
		}
		if p.eased(s.At) {
			return p.passOver(s, e.Reason, e.At)
		}
		return s.end(Failed, e.Reason)
	case Doubt:
		if s.Stopping {
			return s.end(Stopped, s.Reason)
		}
		return State{Phase: Asking, At: s.At, Until: e.At.Add(e.Limit), Asks: e.Reason}, Ask
	case Later:
		if s.Stopping {
			return s.end(Stopped, s.Reason)
		}
		return State{Phase: Waiting, At: s.At, Until: e.At.Add(e.Limit)}, Sleep
	case Stop:
		if s.Stopping {
			return s, Nothing
		}
		s.Stopping, s.Reason = true, e.Reason
		return s, Cancel
	case Removed:
		if p.Does(s.At, e.Gone) && !p.eased(s.At) {
			s.Stopping = true
			s.Phase, s.End, s.Reason = Ended, Failed, e.Reason
			return s, Cancel
		}
	case Restarted:
		return s.end(Interrupted, fmt.Sprintf("the house ended in step %d of %d, which is not begun again",
			p.Number(s.At), p.Steps()))
	}
	return s, Nothing
}

func (p Program) waiting(s State, e Event) (State, Act) {
	switch e.What {
	case Due:
		return p.enter(s.At+1, e.At)
	case LimitOver:
		switch wait := p[s.At].Wait; {
		case wait.Until != nil:
			return s.end(Failed, "what it waited for was not so in time")
		case wait.Happens != nil:
			return s.end(Failed, "what it waited for did not happen in time")
		}
		return p.enter(s.At+1, e.At)
	case Stop:
		return s.end(Stopped, e.Reason)
	case Removed: // it ends at the step that needs it
		if p.Does(s.At, e.Gone) {
			return s.end(Failed, e.Reason)
		}
	case Restarted:
		if over := e.At.Sub(s.Until); over > late {
			return s.end(Interrupted, fmt.Sprintf("the house was away, and step %d of %d was over more than %s before",
				p.Number(s.At), p.Steps(), Dur(late)))
		}
		return s.within(e.At, p[s.At].longest()), Sleep
	}
	return s, Nothing
}

// within waits no longer than a wait may take in all: the clock may be behind what it was.
func (s State) within(now time.Time, most time.Duration) State {
	if latest := now.Add(most); s.Until.After(latest) {
		s.Until = latest
	}
	return s
}

func (p Program) asking(s State, e Event) (State, Act) {
	switch e.What {
	case Due:
		return State{Phase: InStep, At: s.At}, p.actOf(s.At)
	case LimitOver:
		reason := "nobody said what " + s.Asks + " is at"
		if p.eased(s.At) {
			return p.passOver(s, reason, e.At)
		}
		return s.end(Failed, reason)
	case Stop:
		s, _ = s.end(Stopped, e.Reason)
		return s, Withdraw
	case Superseded:
		return p.enter(s.At+1, e.At)
	case Removed:
		switch {
		case !p.Does(s.At, e.Gone):
		case p.eased(s.At): // the others of the step may be asked about
			return State{Phase: InStep, At: s.At}, p.actOf(s.At)
		default:
			s, _ = s.end(Failed, e.Reason)
			return s, Withdraw
		}
	case Restarted:
		return s.within(e.At, e.Limit), Ask
	}
	return s, Nothing
}

// end ends a run.
func (s State) end(end End, reason string) (State, Act) {
	return State{Phase: Ended, At: s.At, End: end, Reason: reason}, Finish
}

// enter begins an op, or ends a run that has none left.
func (p Program) enter(at int, now time.Time) (State, Act) {
	for at < len(p) && p[at].jumps() {
		at = p[at].Jump
	}
	if at >= len(p) {
		return State{Phase: Ended, At: at, End: Done}, Finish
	}
	if wait := p[at].limit(); wait > 0 {
		return State{Phase: Waiting, At: at, Until: now.Add(wait)}, Sleep
	}
	return State{Phase: InStep, At: at}, p.actOf(at)
}

// actOf is what an op does.
func (p Program) actOf(at int) Act {
	if p[at].Branch != nil {
		return Judge
	}
	return Begin
}

package auditions

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/audition"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/plain"
)

// New is what an audition is to be.
type New struct {
	Device   string          // slug
	Function string          // the key that is played; "" is power
	Sets     []string        // slugs of the sets to try; none is all, those that fit the device first
	Kind     string          // only sets of this kind
	Sweep    *audition.Sweep // or the values of a field
	Pause    time.Duration   // between two codes; 0 is the usual one
	By       grant.By
}

// Plan is what an audition would play.
type Plan struct {
	Codes   int                  // different ones
	Sets    []string             // their names, in their order; empty for a sweep
	Airtime time.Duration        // in all
	Takes   time.Duration        // until all were played
	Moves   []happening.KeyMatch // keys of the library that some of them are, one for each device
	Text    string               // in words
}

// Plan says what an audition would play, and how long it would take. Errors wrap audition.ErrPlan, or are the
// library's.
func (as *Auditions) Plan(n New) (Plan, error) {
	s, plan, err := as.prepare(n)
	if err == nil {
		plan.Moves = as.moves(s.Core)
	}
	return plan, err
}

// prepare makes an audition that has not begun.
func (as *Auditions) prepare(n New) (*running, Plan, error) {
	plan := Plan{Sets: []string{}}
	d, err := as.library.Device(n.Device)
	if err != nil {
		return nil, plan, err
	}
	s := &running{DeviceID: d.ID, By: n.By, Pause: usualPause}
	if n.Pause > 0 {
		s.Pause = max(n.Pause, leastPause)
	}
	if n.Function == "" {
		n.Function = "power"
		if d.Whole != nil || device.SendsWholeState(d.Kind) {
			n.Function = audition.Climate
		}
	}
	if err := device.CheckSlug("key", n.Function); err != nil {
		return nil, plan, err
	}
	if s.Core, err = as.candidates(n, d); err != nil {
		return nil, plan, err
	}
	us, err := s.Core.Airtime(as.book)
	if err != nil {
		return nil, plan, err
	}
	plan.Codes, plan.Airtime = s.Core.Len(), time.Duration(us)*time.Microsecond
	plan.Takes = Left(s.Core, s.Pause) + plan.Airtime
	for _, set := range s.Core.Sets {
		plan.Sets = append(plan.Sets, set.Name)
	}
	if plan.Takes > longest {
		return nil, plan, fmt.Errorf("%w: %d codes would take %.0f minutes, the most is %.0f: narrow the range, or "+
			"shorten the pause", audition.ErrPlan, plan.Codes, plan.Takes.Minutes(), longest.Minutes())
	}
	plan.Text = fmt.Sprintf("%s, %.1f s apart: %s until all were played, %.0f s of it on the air.",
		plain.Count(plan.Codes, "code", "codes"), s.Pause.Seconds(),
		minutes(plan.Takes), plan.Airtime.Seconds())
	if plan.Codes == 1 {
		plan.Text = "One code to play."
	}
	return s, plan, nil
}

// moves are the keys of the library that codes of an audition are, one for each device.
func (as *Auditions) moves(a *audition.Audition) (out []happening.KeyMatch) {
	for try := range a.Len() {
		for _, m := range as.library.Sending(a.Codes(try)) {
			if !slices.ContainsFunc(out, func(o happening.KeyMatch) bool { return o.DeviceID == m.DeviceID }) {
				out = append(out, m)
			}
		}
	}
	return out
}

// Left is about how long it takes until all is played, at a pause between two codes.
func Left(a *audition.Audition, pause time.Duration) time.Duration {
	return time.Duration(max(a.Len()-a.Next, 0)) * pause
}

func minutes(d time.Duration) string {
	if d < 100*time.Second {
		return fmt.Sprintf("%.0f seconds", d.Seconds())
	}
	return fmt.Sprintf("about %.0f minutes", max(d.Minutes(), 2))
}

// candidates are a sweep, the named code sets, or all, those of the device's maker and kind first.
func (as *Auditions) candidates(n New, d device.Device) (*audition.Audition, error) {
	if n.Sweep != nil {
		if err := n.Sweep.Check(as.book); err != nil {
			return nil, err
		}
		return audition.NewSweep(n.Function, *n.Sweep), nil
	}
	if len(n.Sets) > 0 {
		var sets []device.Device
		for _, slug := range n.Sets {
			set, err := as.library.Set(slug)
			if err != nil {
				return nil, err
			}
			sets = append(sets, set)
		}
		return audition.New(n.Function, as.sendable(n.Function, sets))
	}
	sets := as.sendable(n.Function, as.library.Sets())
	if n.Kind != "" {
		if err := device.CheckKind(n.Kind); err != nil {
			return nil, err
		}
		sets = slices.DeleteFunc(sets, func(s device.Device) bool { return s.Kind != n.Kind })
	}
	rank := func(s device.Device) int {
		switch {
		case d.Maker != "" && strings.EqualFold(s.Maker, d.Maker):
			return 0
		case s.Kind == d.Kind:
			return 1
		}
		return 2
	}
	slices.SortStableFunc(sets, func(a, b device.Device) int { return rank(a) - rank(b) })
	return audition.New(n.Function, sets)
}

// sendable leaves out code sets whose frames are of a line code that is not known here.
func (as *Auditions) sendable(function string, sets []device.Device) []device.Device {
	if function != audition.Climate {
		return sets
	}
	return slices.DeleteFunc(sets, func(s device.Device) bool {
		if s.Whole == nil {
			return true
		}
		_, err := as.book.Sheet(s.Whole.Sheet)
		return err != nil
	})
}

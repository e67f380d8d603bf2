package audition

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/audition"
	"urbo/core/pack"
	"urbo/service/library"
	"urbo/store"
	"urbo/wire"
)

// prepare makes an audition that has not begun.
func (as *Auditions) prepare(n wire.NewAudition) (*session, wire.AuditionPlan, error) {
	plan := wire.AuditionPlan{Sets: []string{}}
	d, err := as.library.Device(n.Device)
	if err != nil {
		return nil, plan, err
	}
	s := &session{id: store.NewID(), device: d.Slug, started: as.now(), pause: usualPause}
	if n.PauseMS > 0 {
		s.pause = max(time.Duration(n.PauseMS)*time.Millisecond, leastPause)
	}
	if n.Function == "" {
		n.Function = "power"
	}
	if err := library.CheckSlug("key", n.Function); err != nil {
		return nil, plan, err
	}
	if s.core, err = as.core(n, d); err != nil {
		return nil, plan, err
	}
	us, err := s.core.Airtime(as.book)
	if err != nil {
		return nil, plan, err
	}
	plan.Codes, plan.Airtime = s.core.Len(), float64(us)/1e6
	plan.Seconds = s.left(0, plan.Airtime)
	for _, set := range s.core.Sets {
		plan.Sets = append(plan.Sets, set.Name)
	}
	if plan.Seconds > longest.Seconds() {
		return nil, plan, fmt.Errorf("%w: %d codes would take %.0f minutes, the most is %.0f: narrow the range, or shorten the pause", audition.ErrPlan, plan.Codes, plan.Seconds/60, longest.Minutes())
	}
	plan.Text = fmt.Sprintf("%d codes, %.1f s apart: %s until all were played, %.0f s of it on the air.", plan.Codes, s.pause.Seconds(), minutes(plan.Seconds), plan.Airtime)
	if plan.Codes == 1 {
		plan.Text = "One code to play."
	}
	return s, plan, nil
}

// left is how many seconds it takes from a try on, at so many seconds on the air in all.
func (s *session) left(from int, airtime float64) float64 {
	n := s.core.Len() - from
	if n <= 0 {
		return 0
	}
	return float64(n)*s.pause.Seconds() + airtime*float64(n)/float64(s.core.Len())
}

func minutes(seconds float64) string {
	if seconds < 100 {
		return fmt.Sprintf("%.0f seconds", seconds)
	}
	return fmt.Sprintf("about %.0f minutes", max(seconds/60, 2))
}

// core makes the candidates: a sweep, the named code sets, or all, those of the device's maker and kind first.
func (as *Auditions) core(n wire.NewAudition, d wire.Device) (*audition.Audition, error) {
	if n.Sweep != nil {
		fields, err := library.FieldsFromWire(n.Sweep.Fields)
		if err != nil {
			return nil, fmt.Errorf("%w: %w", audition.ErrPlan, err)
		}
		sweep := audition.Sweep{Code: pack.Code{Sheet: n.Sweep.Sheet, Fields: fields, UnitUS: n.Sweep.Unit}, Field: n.Sweep.Field, From: n.Sweep.From, To: n.Sweep.To}
		if err := sweep.Check(as.book); err != nil {
			return nil, err
		}
		return audition.NewSweep(n.Function, sweep), nil
	}
	sets := as.library.PackSets()
	if len(n.Sets) > 0 {
		sets = nil
		for _, slug := range n.Sets {
			set, err := as.library.PackSet(slug)
			if err != nil {
				return nil, err
			}
			sets = append(sets, set)
		}
		return audition.New(n.Function, sets)
	}
	if n.Kind != "" {
		sets = slices.DeleteFunc(sets, func(s pack.Device) bool { return s.Kind != n.Kind })
	}
	rank := func(s pack.Device) int {
		switch {
		case d.Maker != "" && strings.EqualFold(s.Maker, d.Maker):
			return 0
		case s.Kind == d.Kind:
			return 1
		}
		return 2
	}
	slices.SortStableFunc(sets, func(a, b pack.Device) int { return rank(a) - rank(b) })
	return audition.New(n.Function, sets)
}

// Plan says what an audition would play, and how long it would take. Errors wrap audition.ErrPlan, or the library's.
func (as *Auditions) Plan(n wire.NewAudition) (wire.AuditionPlan, error) {
	_, plan, err := as.prepare(n)
	return plan, err
}

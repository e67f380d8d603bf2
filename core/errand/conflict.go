package errand

import (
	"fmt"
	"slices"
	"time"

	"urbo/core/moment"
	"urbo/core/run"
)

// Named is an errand with its id.
type Named struct {
	ID string
	Errand
}

const (
	// meets is how near each other the cues of two errands are that meet.
	meets = time.Minute
	// looked is how many coming times of each are looked at, and lookedFor how far.
	looked, lookedFor = 400, 60 * 24 * time.Hour
	// mostConflicts is the most that are told.
	mostConflicts = 10
)

// Conflicts says, in words, what is odd about an errand beside the others: it sets itself off, two set each other off,
// or two want something else of one control at the same time. paths finds the controls of a target.
func Conflicts(one Named, others []Named, paths Paths, now time.Time, w moment.Where) (out []string) {
	sets := wants(one.Errand, paths)
	if path, is := setsOff(one.Errand, one.Errand, paths); is {
		out = append(out, fmt.Sprintf("it sets %s, which is what it begins at: it sets itself off", path))
	}
	for _, o := range others {
		if o.ID == one.ID || len(out) >= mostConflicts {
			continue
		}
		if _, is := setsOff(one.Errand, o.Errand, paths); is {
			if _, back := setsOff(o.Errand, one.Errand, paths); back {
				out = append(out, fmt.Sprintf("%s and it set each other off", o.Name))
				continue
			}
		}
		theirs := wants(o.Errand, paths)
		for path, value := range sets {
			other, is := theirs[path]
			if !is || other == value || other == "" || value == "" {
				continue
			}
			if at, is := meet(one, o, now, w); is {
				out = append(out, fmt.Sprintf("%s sets %s to %s at the same time (%s), and the later one wins", o.Name,
					name(o.Errand, path, paths), other, at.In(w.Zone).Format("2006-01-02 15:04")))
				break
			}
		}
	}
	slices.Sort(out)
	return out
}

// name is a control as an errand calls it.
func name(e Errand, path string, paths Paths) string {
	said := path
	each(e.Do, func(c run.Wanted) {
		if slices.Contains(paths(c.On, c.Control), path) {
			said = c.On.Was + "/" + c.Control
		}
	})
	return said
}

// each goes through all that steps set.
func each(steps []run.Step, f func(run.Wanted)) {
	for _, s := range steps {
		if s.Set != nil {
			for _, c := range s.Set.Changes {
				f(c)
			}
		}
		if s.If != nil {
			each(s.If.Do, f)
			each(s.If.Else, f)
		}
	}
}

// wants are the values that an errand sets, by path; "" where it sets several.
func wants(e Errand, paths Paths) map[string]string {
	out := map[string]string{}
	each(e.Do, func(c run.Wanted) {
		for _, p := range paths(c.On, c.Control) {
			if was, is := out[p]; is && was != c.Value {
				out[p] = ""
			} else {
				out[p] = c.Value
			}
		}
	})
	return out
}

// setsOff says whether what an errand sets is what another begins at, and what that is.
func setsOff(e, other Errand, paths Paths) (string, bool) {
	sets := wants(e, paths)
	for _, c := range other.When {
		if c.Sudden == nil || c.Sudden.Becomes == nil {
			continue
		}
		b := c.Sudden.Becomes
		if b.By != "" && b.By != "errand" {
			continue
		}
		for _, p := range paths(b.On, b.Control) {
			value, is := sets[p]
			if is && (value == "" || (value == b.Value) != b.Leaves) {
				return b.On.Was + "/" + b.Control, true
			}
		}
	}
	return "", false
}

// meet is when two errands are next due at the same time.
func meet(a, b Named, now time.Time, w moment.Where) (time.Time, bool) {
	x, xIs := a.Next(a.ID, now, w)
	y, yIs := b.Next(b.ID, now, w)
	for range looked {
		switch {
		case !xIs || !yIs || x.Sub(now) > lookedFor || y.Sub(now) > lookedFor:
			return now, false
		case x.Sub(y).Abs() <= meets:
			return x, true
		case x.Before(y):
			x, xIs = a.Next(a.ID, x, w)
		default:
			y, yIs = b.Next(b.ID, y, w)
		}
	}
	return now, false
}

package occasion

import (
	"cmp"
	"fmt"
	"slices"

	"urbo/core/control"
	"urbo/core/run"
)

// Part is what is wanted of one device.
type Part struct {
	Device string         `json:"device"` // id
	Wants  []control.Want `json:"wants"`
}

// Stage is devices that are set side by side.
type Stage []Part

// House answers which devices things are now.
type House interface {
	// With are the ids of the devices of something that have a control.
	With(on run.Target, control string) []string
	// Needs are the devices that have to be set before this one: what feeds it, and what it follows.
	Needs(device string) []string
}

// Stages are what is wanted of each device, in order. A device is set in the first stage that names it, and after those
// that it needs. What names a device itself counts before what names a group, and that before a room; of two that are
// alike the later counts. The error wraps ErrOccasion where there are too many devices.
func (o Occasion) Stages(h House) ([]Stage, error) {
	type place struct{ device, control string }
	rank := map[run.Kind]int{run.Room: 1, run.Group: 2, run.Device: 3}
	won := map[place]run.Wanted{}
	var order []place
	first := map[string]int{} // the stage of a device
	for i, set := range o.Wants {
		for _, c := range set.Changes {
			for _, id := range h.With(c.On, c.Control) {
				at := place{id, c.Control}
				if _, known := first[id]; !known {
					first[id] = i
				}
				was, there := won[at]
				if !there {
					order = append(order, at)
				}
				if !there || rank[c.On.Kind] >= rank[was.On.Kind] {
					won[at] = c
				}
			}
		}
	}
	if len(first) > MaxParts {
		return nil, fmt.Errorf("%w: it sets %d devices, the most is %d", ErrOccasion, len(first), MaxParts)
	}
	stages := make([]Stage, len(o.Wants))
	for _, at := range order {
		stage := &stages[first[at.device]]
		i := slices.IndexFunc(*stage, func(p Part) bool { return p.Device == at.device })
		if i < 0 {
			i = len(*stage)
			*stage = append(*stage, Part{Device: at.device})
		}
		(*stage)[i].Wants = append((*stage)[i].Wants, control.Want{Control: at.control, Value: won[at].Value})
	}
	var out []Stage
	for _, s := range stages {
		out = append(out, s.inTurn(h)...)
	}
	return out, nil
}

// inTurn parts a stage where devices need each other. Those in a circle stay side by side.
func (s Stage) inTurn(h House) (out []Stage) {
	rest := s
	for len(rest) > 0 {
		waits := func(p Part) bool {
			return slices.ContainsFunc(h.Needs(p.Device), func(id string) bool {
				return id != p.Device && slices.ContainsFunc(rest, func(o Part) bool { return o.Device == id })
			})
		}
		var now, then Stage
		for _, p := range rest {
			if waits(p) {
				then = append(then, p)
			} else {
				now = append(now, p)
			}
		}
		if len(now) == 0 {
			now, then = then, nil
		}
		out, rest = append(out, now), then
	}
	return out
}

// Devices are the ids of the devices in stages.
func Devices(stages []Stage) (out []string) {
	for _, s := range stages {
		for _, p := range s {
			out = append(out, p.Device)
		}
	}
	return out
}

// Difference is a control that is not at what an occasion wants.
type Difference struct {
	Device  string
	Control string
	Wanted  string
	Value   string // what it is believed to be at, "" where that is not known
	Unsure  bool   // nobody knows for sure
}

// Believed answers what devices are believed to be at.
type Believed interface {
	// States are what a device is believed to be at; none where it is gone, or nothing can be set on it.
	States(device string) []control.State
	// Reached says whether a control is believed to be at a value, as exactly as anything is known.
	Reached(device string, w control.Want) bool
}

// Differs lists what is not as stages want it. Where they want a device to be off and it is, nothing else of it
// matters. Of a device that is gone nothing is said.
func Differs(stages []Stage, b Believed) (out []Difference) {
	for _, s := range stages {
		for _, p := range s {
			out = append(out, p.differs(b)...)
		}
	}
	return out
}

func (p Part) differs(b Believed) (out []Difference) {
	states := b.States(p.Device)
	for _, w := range p.Wants {
		i := slices.IndexFunc(states, func(st control.State) bool { return st.Control == w.Control })
		if i < 0 {
			continue
		}
		st := states[i]
		so := st.Word != control.Doubtful && b.Reached(p.Device, w) || st.Moving != 0 // what moves is on its way
		if off := st.Kind == control.Power && w.Value == "off"; off && so {
			return nil
		}
		if !so {
			out = append(out, Difference{Device: p.Device, Control: w.Control, Wanted: w.Value,
				Value: cmp.Or(st.Value, st.Near), Unsure: st.Value == "" || st.Word == control.Doubtful})
		}
	}
	return out
}

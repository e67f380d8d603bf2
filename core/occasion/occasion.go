// Package occasion is wanted states of controls, for one room or the whole house: how they are written, which devices
// they are about now, what comes to an end where one begins, and what differs from it. It keeps nothing, sends nothing
// and reads no clock.
package occasion

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/fault"
	"urbo/core/run"
)

// ErrOccasion is wrapped where an occasion cannot be kept: the text says why.
var ErrOccasion = fault.New(fault.Invalid, "occasion")

// Bounds of an occasion.
const (
	// MaxStays is the most things that stay as they are.
	MaxStays = 100
	// MaxParts is the most devices that an occasion sets.
	MaxParts = 200
)

// Occasion is a wanted state. Its room is where it holds; without one it holds in every room that it sets something in.
type Occasion struct {
	Room   string            `json:"room,omitempty"`   // id
	Wants  []run.Set         `json:"wants"`            // one after another, what stands in one side by side
	Stays  []run.Target      `json:"stays,omitempty"`  // what is left as it is at the end
	Reins  map[Rein]run.Path `json:"reins,omitempty"`  // who has them while it is in force
	Leaves bool              `json:"leaves,omitempty"` // at its end all devices stay as they are
}

// Rein is a part of a handset that goes to the device that an occasion gives it to.
type Rein string

// The reins. Volume is a dial; the others are keys.
const (
	Volume Rein = "volume" // louder, softer and mute
	Arrows Rein = "arrows" // up, down, left, right, ok, back and menu
	Digits Rein = "digits" // 0 to 9
	Play   Rein = "play"   // play, pause, stop, next and previous
)

// Reins are all of them.
var Reins = []Rein{Volume, Arrows, Digits, Play}

// reinKeys are the keys of each rein.
var reinKeys = map[Rein][]string{
	Volume: {"volume-up", "volume-down", "mute"},
	Arrows: {"up", "down", "left", "right", "ok", "back", "menu"},
	Digits: {"0", "1", "2", "3", "4", "5", "6", "7", "8", "9"},
	Play:   {"play", "pause", "stop", "next", "previous"},
}

// Keys are the keys of a rein, by their usual names.
func (r Rein) Keys() []string { return reinKeys[r] }

// ReinOf is the rein that a key belongs to. The error wraps ErrOccasion and lists the keys.
func ReinOf(key string) (Rein, error) {
	var all []string
	for _, r := range Reins {
		if slices.Contains(reinKeys[r], key) {
			return r, nil
		}
		all = append(all, reinKeys[r]...)
	}
	return "", fmt.Errorf("%w: %.40q is no key of the reins: those are %s", ErrOccasion, key, strings.Join(all, ", "))
}

// Check says whether an occasion can be kept. The error wraps ErrOccasion, or run.ErrSteps.
func (o Occasion) Check() error {
	steps := make([]run.Step, len(o.Wants))
	for i := range o.Wants {
		steps[i] = run.Step{Set: &o.Wants[i]}
	}
	if err := run.Check(steps); err != nil {
		return err
	}
	if _, err := WantsOf(steps); err != nil {
		return err
	}
	if len(o.Stays) > MaxStays {
		return fmt.Errorf("%w: %d things stay, the most is %d", ErrOccasion, len(o.Stays), MaxStays)
	}
	for r, path := range o.Reins {
		switch {
		case !slices.Contains(Reins, r):
			return fmt.Errorf("%w: %.20q is no rein: they are volume, arrows, digits and play", ErrOccasion, r)
		case path.On.Kind != run.Device:
			return fmt.Errorf("%w: the rein %s goes to one device, and %s is a %s", ErrOccasion, r, path.On.Was,
				path.On.Kind)
		case r == Volume && path.Name == "":
			return fmt.Errorf("%w: the rein volume goes to a control, such as %s/volume", ErrOccasion, path.On.Was)
		case r != Volume && path.Name != "":
			return fmt.Errorf("%w: the rein %s goes to a device: write %s, without /%.40s", ErrOccasion, r,
				path.On.Was, path.Name)
		}
	}
	return nil
}

// WantsOf reads what is wanted from steps: an occasion sets controls at values, and nothing else. The error wraps
// ErrOccasion.
func WantsOf(steps []run.Step) ([]run.Set, error) {
	out := make([]run.Set, 0, len(steps))
	for i, s := range steps {
		wrong := func(format string, args ...any) error {
			return fmt.Errorf("%w: step %d: "+format, append([]any{ErrOccasion, i + 1}, args...)...)
		}
		switch {
		case s.Set == nil:
			return nil, wrong("an occasion only sets controls: write set DEVICE/CONTROL to VALUE, and let a sequence " +
				"do all else")
		case s.Set.Hold != 0:
			return nil, wrong("an occasion lasts until another one begins: leave out for")
		}
		for _, c := range s.Set.Changes {
			if c.On.Kind == run.Reins {
				return nil, wrong("the reins are what an occasion gives: name the device itself")
			}
			if strings.HasPrefix(c.Value, "up ") || strings.HasPrefix(c.Value, "down ") {
				return nil, wrong("%s/%s: an occasion wants a value, and by is none: write to and a number", c.On.Was,
					c.Control)
			}
		}
		out = append(out, *s.Set)
	}
	return out, nil
}

// Steps are what is wanted as steps of a run.
func (o Occasion) Steps() []run.Step {
	out := make([]run.Step, len(o.Wants))
	for i := range o.Wants {
		out[i] = run.Step{Set: &o.Wants[i]}
	}
	return out
}

// Targets lists what an occasion is about, each once.
func (o Occasion) Targets() []run.Target {
	out := run.Targets(o.Steps())
	for _, path := range o.Reins {
		if !slices.ContainsFunc(out, func(t run.Target) bool { return t.Kind == path.On.Kind && t.ID == path.On.ID }) {
			out = append(out, path.On)
		}
	}
	return out
}

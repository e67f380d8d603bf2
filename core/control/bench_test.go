package control_test

import (
	"testing"
	"time"

	"urbo/core/control"
)

// amplifier is a device with a bit of everything.
func amplifier(b *testing.B) *control.Spec {
	b.Helper()
	s, err := control.Compile([]string{"power", "volume-up", "volume-down", "mute", "source", "a", "b"},
		control.Forms{Controls: []control.Control{
			{Name: "power", Kind: control.Power, Round: "power", WarmUpMS: 5000},
			{Name: "volume", Kind: control.Dial, Most: number(60), Up: "volume-up", Down: "volume-down"},
			{Name: "mute", Kind: control.Selector, Values: []string{"off", "on"}, Round: "mute"},
			{Name: "source", Kind: control.Selector, Values: []string{"a", "b", "c"}, Round: "source"},
		}})
	if err != nil {
		b.Fatal(err)
	}
	return s
}

// BenchmarkFold folds a day of 5,000 presses.
func BenchmarkFold(b *testing.B) {
	s := amplifier(b)
	keys := []string{"volume-up", "mute", "volume-down", "source", "power"}
	for b.Loop() {
		belief := s.Nothing()
		for n := range 5000 {
			belief = s.After(belief, control.Press{Key: keys[n%5], At: epoch.Add(time.Duration(n) * 17 * time.Second),
				Outcome: control.Sent})
		}
	}
}

// BenchmarkPlan plans for one device: what can be, and what cannot be sure.
func BenchmarkPlan(b *testing.B) {
	s := amplifier(b)
	known := s.Nothing()
	for control, value := range map[string]string{"power": "off", "volume": "14", "mute": "off", "source": "a"} {
		known, _, _ = s.Tell(known, control, value, "told", epoch)
	}
	want := []control.Want{{Control: "power", Value: "on"}, {Control: "source", Value: "c"},
		{Control: "volume", Value: "22"}}
	for name, belief := range map[string]control.Belief{"sure": known, "cannot": s.Nothing()} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				p, err := s.Plan(belief, control.Request{Wants: want, Asked: true}, epoch)
				if err != nil || p.Sure != (name == "sure") {
					b.Fatal(p, err)
				}
			}
		})
	}
}

// BenchmarkPlanMany plans for 20 devices, one after another.
func BenchmarkPlanMany(b *testing.B) {
	specs, beliefs := make([]*control.Spec, 20), make([]control.Belief, 20)
	for i := range specs {
		specs[i] = amplifier(b)
		beliefs[i] = specs[i].Nothing()
		for control, value := range map[string]string{"power": "off", "volume": "14", "mute": "off", "source": "a"} {
			beliefs[i], _, _ = specs[i].Tell(beliefs[i], control, value, "told", epoch)
		}
	}
	want := []control.Want{{Control: "power", Value: "on"}, {Control: "source", Value: "c"},
		{Control: "volume", Value: "22"}}
	for b.Loop() {
		for i, s := range specs {
			if p, err := s.Plan(beliefs[i], control.Request{Wants: want, Asked: true}, epoch); err != nil || !p.Sure {
				b.Fatal(p, err)
			}
		}
	}
}

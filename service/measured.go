package service

import (
	"context"
	"slices"
	"strconv"
	"time"

	"urbo/core/errand"
	"urbo/core/run"
	"urbo/service/measure"
)

// usersOf lists who uses a measurement: errands, and devices that are sensed by it.
func (h *House) usersOf(name string) (out []string) {
	for _, one := range h.Errands.List() {
		if slices.ContainsFunc(one.Doc.Errand.Targets(), func(t run.Target) bool {
			return t.Kind == run.Measurement && t.ID == name
		}) {
			out = append(out, "the errand "+one.Slug)
		}
	}
	for _, l := range h.Library.Lines("") {
		d, err := h.Library.ByID(l.ID)
		if err != nil {
			continue
		}
		for _, s := range d.Sensors {
			if s.Measurement == name {
				out = append(out, "the device "+d.Slug)
				break
			}
		}
	}
	return out
}

// measurementsKept is how long the history of measurements is kept, by their names.
func (h *House) measurementsKept() map[string]time.Duration {
	out := map[string]time.Duration{}
	for _, m := range h.Measure.List() {
		out[m.Name] = m.Spec.KeptFor()
	}
	return out
}

// measuredBefore is what was measured before the house was there.
func (h *House) measuredBefore(ctx context.Context) (out []measure.Measurement, err error) {
	facts, err := h.History.Last(ctx, h.Calendar.Now())
	at := map[string]int{}
	for _, f := range facts {
		switch f.Kind {
		case errand.OfMeasurement:
			v, bad := strconv.ParseFloat(f.Value, 64)
			if bad != nil { // it fell silent
				continue
			}
			at[f.Of] = len(out)
			out = append(out, measure.Measurement{Name: f.Of, Value: v, At: h.Started.Add(h.Calendar.Until(f.At))})
		case errand.OfBattery:
			if i, is := at[f.Of]; is {
				out[i].Battery = f.Value
			}
		}
	}
	return out, err
}

package phrase

import (
	"slices"
	"strings"

	"urbo/core/control"
	"urbo/core/plain"
	"urbo/core/run"
)

// words says a meaning to people.
func (g *Grammar) words(m Meaning) string {
	switch m.Does {
	case Again:
		return "the same again"
	case Undo:
		return "what was set last is set back"
	case RunErrand:
		return "run the errand " + m.Errand.Slug
	}
	parts := make([]string, len(m.Steps))
	for i, s := range m.Steps {
		parts[i] = g.step(s)
	}
	return strings.Join(parts, ", then ")
}

// step says one step.
func (g *Grammar) step(s run.Step) string {
	switch {
	case s.Set != nil:
		parts := make([]string, len(s.Set.Changes))
		for i, c := range s.Set.Changes {
			parts[i] = g.change(c)
		}
		text := join(parts)
		if s.Set.Hold > 0 {
			text += " for " + run.Dur(s.Set.Hold) + " and back"
		}
		return text
	case s.Press != nil:
		text := "press " + s.Press.Key + " of " + g.called(s.Press.On)
		if s.Press.Times > 1 {
			text += " " + plain.Count(s.Press.Times, "time", "times")
		}
		return text
	case s.Start != nil:
		return "start " + nameIn(g.house.Occasions, s.Start.On)
	case s.End != nil:
		return "end " + nameIn(g.house.Occasions, *s.End)
	case s.Call != nil:
		return "run " + nameIn(g.house.Sequences, *s.Call)
	case s.Wait != nil && s.Wait.Point != nil:
		return "wait until " + run.PointText(*s.Wait.Point)
	case s.Wait != nil:
		return "wait " + run.Dur(s.Wait.For)
	}
	return run.Print([]run.Step{s}, func(t run.Target) string { return t.Was })
}

func nameIn(all []Named, t run.Target) string {
	for _, n := range all {
		if n.ID == t.ID {
			return n.Name
		}
	}
	return t.Was
}

// change says what a control is set to.
func (g *Grammar) change(c run.Wanted) string {
	of := g.controlOf(c)
	value := c.Value
	switch {
	case strings.HasPrefix(value, "up ") || strings.HasPrefix(value, "down "):
		if value = strings.TrimSuffix(value, " 1"); strings.Contains(value, " ") {
			value += " steps"
		}
	case of != nil && of.Kind == control.Travel && !slices.Contains(of.Choices(), value):
		value += " %"
	case of != nil && of.Unit != "" && of.Kind == control.Dial:
		value += " " + of.Unit
	}
	if of != nil && (of.Kind == control.Power || of.Kind == control.Travel) {
		return g.called(c.On) + " " + value
	}
	return g.called(c.On) + ": " + c.Control + " " + value
}

// controlOf is the control of a change, of any device that it is about.
func (g *Grammar) controlOf(c run.Wanted) *control.Control {
	for i := range g.house.Devices {
		d := &g.house.Devices[i]
		if d.ID != c.On.ID && !slices.Contains(g.members[c.On.ID], i) {
			continue
		}
		for k := range d.Controls {
			if d.Controls[k].Name == c.Control {
				return &d.Controls[k]
			}
		}
	}
	return nil
}

// called is the name of a device, group or room; of one that has the name of another, with its short name.
func (g *Grammar) called(t run.Target) string {
	for i := range g.house.Devices {
		if d := &g.house.Devices[i]; d.ID == t.ID {
			if g.alike[d.Name] > 1 {
				return d.Name + " (" + d.Slug + ")"
			}
			return d.Name
		}
	}
	for _, gr := range g.house.Groups {
		if gr.ID == t.ID {
			return gr.Name
		}
	}
	return nameIn(g.house.Rooms, t)
}

// join joins texts as people do.
func join(all []string) string {
	if len(all) < 2 {
		return strings.Join(all, "")
	}
	return strings.Join(all[:len(all)-1], ", ") + " and " + all[len(all)-1]
}

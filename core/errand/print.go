package errand

import (
	"strings"

	"urbo/core/run"
)

// Print writes an errand as Parse reads it: each clause in a line of its own. Things are called what name says now;
// what it does not know, what they were called when it was written.
func (e Errand) Print(name func(run.Target) string) string {
	w := &writer{remarks: e.Remarks}
	w.line("errand", "errand "+e.Name)
	if e.While != nil {
		w.line("while", "while "+e.While.Text(name))
	} else {
		cues := make([]string, len(e.When))
		for i, c := range e.When {
			cues[i] = c.Text(name)
		}
		w.line("when", "when "+strings.Join(cues, "\n  or "))
	}
	if e.Only != nil {
		w.line("only if", "only if "+e.Only.Text(name))
	}
	w.line("do", "do "+steps(e.Do, name))
	switch {
	case e.Back:
		w.line("afterwards", "afterwards back")
	case len(e.After) > 0:
		w.line("afterwards", "afterwards "+steps(e.After, name))
	}
	w.rules(e.Rules)
	return strings.Join(w.lines, "\n")
}

func steps(all []run.Step, name func(run.Target) string) string {
	return strings.ReplaceAll(run.Print(all, name), "\nthen ", "\n  then ")
}

// writer collects lines, with the remarks that belong to them.
type writer struct {
	lines   []string
	remarks []Remark
}

func (w *writer) line(clause, text string) {
	for _, r := range w.remarks {
		switch {
		case r.Clause != clause:
		case r.Alone:
			w.lines = append(w.lines, "# "+r.Text)
		default:
			text += " # " + r.Text
		}
	}
	w.lines = append(w.lines, text)
}

func (w *writer) rules(r Rules) {
	if r.Missed != "" {
		w.line("missed", strings.TrimSuffix("if missed "+r.Missed+" within "+run.Dur(r.RunWithin), " within 0 s"))
	}
	if r.Unknown != "" {
		w.line("unknown", strings.TrimSuffix("if unknown "+r.Unknown+" after "+run.Dur(r.EndAfter), " after 0 s"))
	}
	if r.Doubtful != "" {
		text := "if doubtful " + r.Doubtful
		switch {
		case r.AskFor > 0:
			text += " for " + run.Dur(r.AskFor)
		case r.AskUntil != nil:
			text += " until " + r.AskUntil.String()
		}
		w.line("doubtful", text)
	}
	if r.Busy != "" {
		w.line("busy", "if busy "+r.Busy)
	}
}

// Text is a cue as it is written.
func (c Cue) Text(name func(run.Target) string) string {
	text := run.OffsetText(c.Offset)
	times := make([]string, len(c.Times))
	for i, t := range c.Times {
		times[i] = t.String()
	}
	switch {
	case c.Date != nil:
		text += "on " + c.Date.String() + " at " + times[0]
	case len(times) > 0:
		text += "at " + strings.Join(times, ", ")
	case c.Every != nil:
		text += "every " + run.Dur(c.Every.Each)
		if c.Every.From != nil {
			text += " from " + c.Every.From.String() + " to " + c.Every.To.String()
		}
	case c.Sun != "":
		text += string(c.Sun)
	case c.Level != nil:
		text += c.Level.Text(name)
	default:
		text += c.Sudden.Text(name)
	}
	if c.Scatter > 0 {
		text += " give or take " + run.Dur(c.Scatter)
	}
	for _, l := range c.Limits {
		text += " not " + map[bool]string{true: "before ", false: "after "}[l.Before] + l.At.String()
	}
	if c.Skip {
		text += " else skip"
	}
	if len(c.On.Of) > 0 {
		text += " on " + c.On.String()
	}
	return text
}

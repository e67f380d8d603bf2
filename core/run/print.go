package run

import (
	"strconv"
	"strings"
)

// Print writes steps as Parse reads them, each in a line of its own. Things are called what name says now; what it
// does not know, what they were called when it was written.
func Print(steps []Step, name func(Target) string) string {
	lines := make([]string, len(steps))
	for i, s := range steps {
		lines[i] = s.text(name)
	}
	return strings.Join(lines, "\nthen ")
}

func called(t Target, name func(Target) string) string {
	if now := name(t); now != "" {
		return now
	}
	return t.Was
}

func pathOf(t Target, of string, name func(Target) string) string { return called(t, name) + "/" + of }

func (s Step) text(name func(Target) string) string {
	switch {
	case s.Press != nil:
		text := "press " + pathOf(s.Press.On, s.Press.Key, name)
		if s.Press.Times > 1 {
			text += " " + strconv.Itoa(s.Press.Times) + " times"
		}
		if s.Press.Held > 0 {
			text += " held " + Dur(s.Press.Held)
		}
		return text
	case s.Set != nil:
		return s.Set.text(name)
	case s.Call != nil:
		return "run " + called(*s.Call, name)
	case s.Wait != nil && s.Wait.Point != nil:
		return "wait until " + PointText(*s.Wait.Point)
	case s.Wait != nil && s.Wait.Happens != nil:
		return "wait until " + s.Wait.Happens.text(name) + " at most " + Dur(s.Wait.For)
	case s.Wait != nil && s.Wait.Until != nil:
		return "wait until " + s.Wait.Until.text(name, 0) + " at most " + Dur(s.Wait.For)
	case s.Wait != nil:
		return "wait " + Dur(s.Wait.For)
	case s.If != nil:
		text := "if " + s.If.Cond.text(name, 0) + " do " + part(s.If.Do, name)
		if len(s.If.Else) > 0 {
			text += " else " + part(s.If.Else, name)
		}
		return text
	}
	return s.errandText(name)
}

// errandText is a step that only errands have, or a notice.
func (s Step) errandText(name func(Target) string) string {
	switch {
	case s.Start != nil && s.Start.Over:
		return "start " + called(s.Start.On, name) + " over people"
	case s.Start != nil:
		return "start " + called(s.Start.On, name)
	case s.End != nil:
		return "end " + called(*s.End, name)
	case s.Mark != "":
		return "mark " + s.Mark
	case s.Unmark != "":
		return "unmark " + s.Unmark
	case s.Send != nil && s.Send.Text != "":
		return "send " + s.Send.Name + " " + quote(s.Send.Text)
	case s.Send != nil:
		return "send " + s.Send.Name
	}
	return "notify " + quote(s.Notify)
}

// part is steps in brackets: so it is plain what belongs to a condition.
func part(steps []Step, name func(Target) string) string {
	texts := make([]string, len(steps))
	for i, s := range steps {
		texts[i] = s.text(name)
	}
	return "(" + strings.Join(texts, " then ") + ")"
}

func (s *Set) text(name func(Target) string) string {
	paths, parts := make([]string, len(s.Changes)), make([]string, len(s.Changes))
	same := true
	for i, c := range s.Changes {
		paths[i] = pathOf(c.On, c.Control, name)
		parts[i] = paths[i] + " " + c.Value
		if by := amount(c.Value); by != c.Value {
			parts[i] = paths[i] + " by " + by
		}
		same = same && c.Value == s.Changes[0].Value
	}
	text := "set (" + strings.Join(parts, ", ") + ")"
	if same {
		text = "set " + strings.Join(paths, " and ") + " to " + s.Changes[0].Value
		if by := amount(s.Changes[0].Value); by != s.Changes[0].Value {
			text = "set " + strings.Join(paths, " and ") + " by " + by
		}
	}
	if s.Hold > 0 || s.Until != nil {
		if text += " for " + Dur(s.Hold) + " and back"; s.Until != nil {
			text = strings.TrimSuffix(text, " for "+Dur(s.Hold)+" and back") + " until " + PointText(*s.Until) +
				" and back"
		}
		if s.Then != "" {
			text = strings.TrimSuffix(text, "back") + "then " + s.Then
		}
	}
	return text
}

// amount is +3 of "up 3", and a value as it is.
func amount(value string) string {
	if n, is := strings.CutPrefix(value, "up "); is {
		return "+" + n
	}
	if n, is := strings.CutPrefix(value, "down "); is {
		return "-" + n
	}
	return value
}

// text is a condition; inner ones that bind less stand in brackets.
func (c Cond) text(name func(Target) string, tight int) string {
	var all []string
	join, level := "", 0
	switch {
	case c.Not != nil:
		return "not " + c.Not.text(name, 3)
	case c.Test != nil:
		return c.Test.text(name)
	case c.isMoment():
		return c.momentText(name)
	case len(c.Any) > 0:
		join, level = " or ", 1
	default:
		join, level = " and ", 2
	}
	for _, inner := range append(c.Any, c.All...) {
		all = append(all, inner.text(name, level+1))
	}
	text := strings.Join(all, join)
	if level < tight || tight == 3 {
		return "(" + text + ")"
	}
	return text
}

// text is a test as it is written.
func (t Test) text(name func(Target) string) string {
	text := strings.TrimSpace(t.Which+" "+t.Path(name)) + " " + string(t.Is) + " " +
		Quantity{t.Value, t.Unit}.String()
	if t.Until != nil {
		text += " until " + t.Until.String()
	}
	if t.For > 0 {
		text += " for " + Dur(t.For)
	}
	return text
}

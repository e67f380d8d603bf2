package errand

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"urbo/core/moment"
	"urbo/core/run"
	"urbo/core/sun"
)

// words are names; many of them are words of the language.
var words = []string{"boardwalk", "at", "on", "then", "if", "do", "for", "over", "not", "sun", "when", "back", "mon",
	"first", "dusk", "a", "or", "within", "low", "x-1", "pressed", "until", "afterwards", "missed"}

func word(r *rapid.T) string { return rapid.SampledFrom(words).Draw(r, "name") }

func thing(r *rapid.T, kind run.Kind) run.Target {
	name := word(r)
	return run.Target{Kind: kind, ID: "id of " + name, Was: name}
}

func measured(r *rapid.T) run.Target {
	id := "m-" + word(r) + "/" + word(r)
	return run.Target{Kind: run.Measurement, ID: id, Was: id}
}

func maybe(r *rapid.T) bool { return rapid.Bool().Draw(r, "maybe") }

func oneOf(r *rapid.T, of ...string) string { return rapid.SampledFrom(of).Draw(r, "word") }

func span(r *rapid.T) time.Duration {
	return time.Duration(rapid.IntRange(1, 300).Draw(r, "count")) *
		rapid.SampledFrom([]time.Duration{time.Millisecond, time.Second, time.Minute}).Draw(r, "unit")
}

func clock(r *rapid.T) moment.Clock { return moment.Clock(rapid.IntRange(0, 24*60-1).Draw(r, "clock")) }

func number(r *rapid.T) string { return oneOf(r, "0", "5", "22.5", "-3", "100") }

func amount(r *rapid.T) run.Quantity {
	return run.Quantity{Number: number(r), Unit: oneOf(r, "", "%", "°C", "W", "m", "ppm")}
}

func point(r *rapid.T) moment.Point {
	p := moment.Point{}
	if maybe(r) {
		p.Sun = rapid.SampledFrom(sun.Events).Draw(r, "event")
	} else {
		p.Clock = clock(r)
	}
	if maybe(r) {
		p.Offset = span(r) * time.Duration(rapid.SampledFrom([]int{-1, 1}).Draw(r, "sign"))
	}
	return p
}

func days(r *rapid.T) moment.Days {
	switch rapid.IntRange(0, 3).Draw(r, "days") {
	case 0:
		return moment.Days{Of: moment.Weekdays}
	case 1:
		return moment.Days{Of: []time.Weekday{time.Weekday(rapid.IntRange(0, 6).Draw(r, "day"))},
			Nth: rapid.SampledFrom([]int{1, 2, 3, 4, moment.Last}).Draw(r, "nth")}
	}
	var d moment.Days
	for range rapid.IntRange(1, 3).Draw(r, "count") {
		if day := time.Weekday(rapid.IntRange(0, 6).Draw(r, "day")); !slices.Contains(d.Of, day) {
			d.Of = append(d.Of, day)
		}
	}
	return d
}

func value(r *rapid.T) string {
	return oneOf(r, "on", "off", "then", "back", "5", "-3", "for", "b", "2.5")
}

func controlTest(r *rapid.T, level bool) *run.Test {
	t := &run.Test{Is: rapid.SampledFrom([]run.Relation{run.Equals, run.MayBe, run.Above, run.Below}).Draw(r, "is"),
		Value: number(r)}
	numeric := t.Is == run.Above || t.Is == run.Below
	if maybe(r) {
		t.On = measured(r)
	} else {
		t.On, t.Control = thing(r, run.Device), word(r)
		t.Which = oneOf(r, "", "control")
		if !numeric {
			t.Value = value(r)
		}
	}
	if numeric {
		t.Unit = oneOf(r, "", "%", "W")
		if level && maybe(r) {
			q := amount(r)
			t.Until = &q
		}
	}
	if t.Value == "b" {
		t.Value = "a-b"
	}
	if maybe(r) {
		t.For = span(r)
	}
	return t
}

func drawLeaf(r *rapid.T, level bool) run.Cond {
	switch rapid.IntRange(0, 9).Draw(r, "leaf") {
	case 0:
		b := &moment.Between{From: point(r), To: point(r)}
		if maybe(r) {
			b.On = days(r)
		}
		return run.Cond{Between: b}
	case 1:
		d := days(r)
		return run.Cond{On: &d}
	case 2:
		return run.Cond{Span: &moment.Span{From: moment.Date{Month: 12, Day: 1}, To: moment.Date{Month: 1, Day: 6}}}
	case 3:
		return run.Cond{Sky: &run.Sky{Is: oneOf(r, "up", "down")}}
	case 4:
		return run.Cond{Sky: &run.Sky{Is: oneOf(r, "above", "below"), Angle: oneOf(r, "-18", "3.5")}}
	case 5:
		on := thing(r, run.Occasion)
		return run.Cond{In: &on}
	case 6:
		return run.Cond{Marker: word(r)}
	case 7:
		return run.Cond{Ran: &run.Ran{Errand: thing(r, run.Errand), Within: span(r)}}
	case 8:
		p := &run.Past{What: oneOf(r, "changed", "unchanged", "pressed"), Within: span(r)}
		if p.On = measured(r); p.What == "pressed" || maybe(r) {
			p.On, p.Name = thing(r, run.Device), word(r)
			if p.What != "pressed" {
				p.Which = oneOf(r, "", "control")
			}
		}
		if p.What == "changed" {
			p.By = oneOf(r, "", "handset", "person", "program", "errand")
		}
		return run.Cond{Past: p}
	}
	return run.Cond{Test: controlTest(r, level)}
}

func drawCond(r *rapid.T, depth int, level bool) run.Cond {
	if depth > 2 {
		return drawLeaf(r, level)
	}
	several := func() (out []run.Cond) {
		for range rapid.IntRange(2, 3).Draw(r, "parts") {
			out = append(out, drawCond(r, depth+1, level))
		}
		return out
	}
	switch rapid.IntRange(0, 5).Draw(r, "cond") {
	case 0:
		return run.Cond{All: several()}
	case 1:
		return run.Cond{Any: several()}
	case 2:
		c := drawCond(r, depth+1, level)
		return run.Cond{Not: &c}
	}
	return drawLeaf(r, level)
}

func drawSudden(r *rapid.T) *run.Sudden {
	switch rapid.IntRange(0, 12).Draw(r, "sudden") {
	case 0:
		return &run.Sudden{Pressed: &run.Pressed{On: thing(r, run.Device), Key: word(r),
			How: oneOf(r, "", "twice", "thrice", "held")}}
	case 1:
		s := &run.Sudden{Becomes: &run.Becomes{On: thing(r, run.Device), Control: word(r), Leaves: maybe(r),
			Value: value(r),
			By:    oneOf(r, "", "handset", "errand")}}
		if maybe(r) {
			s.For = span(r)
		}
		return s
	case 2:
		m := &run.Moves{On: measured(r), Falls: maybe(r), By: amount(r), Within: span(r)}
		if maybe(r) {
			m.On, m.Control, m.Which = thing(r, run.Device), word(r), oneOf(r, "", "control")
		}
		return &run.Sudden{Moves: m}
	case 3:
		on := measured(r)
		return &run.Sudden{Silent: &on, For: span(r)}
	case 4:
		on := measured(r)
		return &run.Sudden{Battery: &on}
	case 5:
		return &run.Sudden{Occasion: &run.Occurs{On: thing(r, run.Occasion), Ends: maybe(r)}}
	case 6:
		return &run.Sudden{Station: &run.Occurs{On: thing(r, run.Station), Ends: maybe(r)}}
	case 7:
		return &run.Sudden{Phrase: oneOf(r, "talk in ten minutes", "a \"b\"", "if do")}
	case 8:
		m := &run.Message{Topic: oneOf(r, "club/lamp", "at"), Pointer: oneOf(r, "", "/state")}
		if maybe(r) {
			is := oneOf(r, "go", "is")
			m.Is = &is
		}
		return &run.Sudden{Message: m}
	case 9:
		return &run.Sudden{Hook: word(r)}
	case 10:
		return &run.Sudden{Calendar: &run.Calendar{Name: word(r), Ends: maybe(r), Titled: oneOf(r, "", "public night")}}
	case 11:
		return &run.Sudden{Mains: true}
	}
	return &run.Sudden{House: true}
}

func drawSet(r *rapid.T) *run.Set {
	s := &run.Set{}
	v := value(r)
	for range rapid.IntRange(1, 3).Draw(r, "changes") {
		if maybe(r) {
			v = oneOf(r, "on", "5", "up 3", "down 1", "then")
		}
		s.Changes = append(s.Changes, run.Wanted{On: thing(r, run.Device), Control: word(r), Value: v})
	}
	switch rapid.IntRange(0, 3).Draw(r, "hold") {
	case 0:
		s.Hold = span(r)
	case 1:
		p := point(r)
		s.Until = &p
	default:
		return s
	}
	if len(s.Changes) == 1 && maybe(r) {
		s.Then = value(r)
	}
	return s
}

func drawStep(r *rapid.T, depth int) run.Step {
	most := 11
	if depth > 1 {
		most = 10
	}
	switch rapid.IntRange(0, most).Draw(r, "step") {
	case 0:
		p := &run.Press{On: thing(r, run.Device), Key: word(r)}
		if maybe(r) {
			p.Times = rapid.IntRange(2, 9).Draw(r, "times")
		} else if maybe(r) {
			p.Held = 2 * time.Second
		}
		return run.Step{Press: p}
	case 1, 2:
		return run.Step{Set: drawSet(r)}
	case 3:
		return run.Step{Start: &run.Start{On: thing(r, run.Occasion), Over: maybe(r)}}
	case 4:
		on := thing(r, run.Occasion)
		return run.Step{End: &on}
	case 5:
		on := thing(r, run.Sequence)
		return run.Step{Call: &on}
	case 6:
		w := &run.Wait{For: span(r)}
		switch rapid.IntRange(0, 3).Draw(r, "wait") {
		case 0:
			p := point(r)
			w.Point, w.For = &p, 0
		case 1:
			c := drawCond(r, 1, false)
			w.Until = &c
		case 2:
			w.Happens = drawSudden(r)
		}
		return run.Step{Wait: w}
	case 7:
		return run.Step{Mark: word(r)}
	case 8:
		return run.Step{Unmark: word(r)}
	case 9:
		return run.Step{Send: &run.Send{Name: word(r), Text: oneOf(r, "", "a text")}}
	case 10:
		return run.Step{Notify: oneOf(r, "the projector is on", "if a \"b\" # c")}
	}
	c := &run.Choice{Cond: drawCond(r, 1, false), Do: drawSteps(r, depth+1)}
	if maybe(r) {
		c.Else = drawSteps(r, depth+1)
	}
	return run.Step{If: c}
}

func drawSteps(r *rapid.T, depth int) (out []run.Step) {
	for range rapid.IntRange(1, 3).Draw(r, "steps") {
		out = append(out, drawStep(r, depth))
	}
	return out
}

func drawPlanned(r *rapid.T) (c Cue) {
	switch rapid.IntRange(0, 3).Draw(r, "planned") {
	case 0:
		c.Times = []moment.Clock{clock(r)}
		if t := clock(r); t != c.Times[0] {
			c.Times = append(c.Times, t)
		}
	case 1:
		c.Date, c.Times = &moment.Date{Year: 2026, Month: 10, Day: 25}, []moment.Clock{clock(r)}
	case 2:
		c.Every = &Every{Each: time.Duration(rapid.IntRange(2, 9).Draw(r, "each")) * 11 * time.Minute}
		if from, to := clock(r), clock(r); from < to {
			c.Every.From, c.Every.To = &from, &to
		}
	default:
		c.Sun = rapid.SampledFrom(sun.Events).Draw(r, "event")
	}
	if maybe(r) {
		c.Offset = span(r) * time.Duration(rapid.SampledFrom([]int{-1, 1}).Draw(r, "sign"))
	}
	if maybe(r) {
		c.Scatter = span(r)
	}
	for range rapid.IntRange(0, 2).Draw(r, "limits") {
		c.Limits = append(c.Limits, Limit{Before: maybe(r), At: clock(r)})
	}
	c.Skip = len(c.Limits) > 0 && maybe(r)
	if maybe(r) {
		c.On = days(r)
	}
	return c
}

func drawErrand(r *rapid.T) Errand {
	e := Errand{Name: word(r)}
	if maybe(r) {
		for range rapid.IntRange(1, 3).Draw(r, "cues") {
			c := Cue{}
			switch rapid.IntRange(0, 3).Draw(r, "cue") {
			case 0:
				c.Sudden = drawSudden(r)
				if maybe(r) {
					c.Offset = span(r)
				}
			case 1:
				c.Level = &run.Test{On: measured(r), Is: run.Above, Value: number(r), Unit: oneOf(r, "", "W")}
				if maybe(r) {
					c.Level.For = span(r)
				}
			default:
				c = drawPlanned(r)
			}
			e.When = append(e.When, c)
		}
		if maybe(r) {
			c := drawCond(r, 0, false)
			e.Only = &c
		}
	} else {
		c := drawCond(r, 0, true)
		e.While = &c
		switch rapid.IntRange(0, 2).Draw(r, "after") {
		case 0:
			e.Back = true
		case 1:
			e.After = drawSteps(r, 0)
		}
	}
	e.Do = drawSteps(r, 0)
	drawRules(r, &e)
	if maybe(r) {
		e.Remarks = append(e.Remarks, Remark{"do", "why it is so", true})
	}
	if maybe(r) {
		e.Remarks = append(e.Remarks, Remark{"do", "behind", false})
	}
	return e
}

func drawRules(r *rapid.T, e *Errand) {
	if e.Rules.Missed = oneOf(r, "", "run", "skip"); e.Rules.Missed == "run" {
		e.Rules.RunWithin = span(r)
	}
	if e.Rules.Unknown = oneOf(r, "", "run", "skip", "end"); e.Rules.Unknown == "end" {
		if e.Rules.EndAfter = span(r); e.While == nil {
			e.Rules.Unknown, e.Rules.EndAfter = "", 0
		}
	}
	if e.Rules.Doubtful = oneOf(r, "", "ask", "press", "skip"); e.Rules.Doubtful == "ask" {
		if until := clock(r); maybe(r) {
			e.Rules.AskUntil = &until
		} else if maybe(r) {
			e.Rules.AskFor = span(r)
		}
	}
	e.Rules.Busy = oneOf(r, "", "stretch", "start over", "follow", "drop")
}

// TestParse_ReadsWhatPrintWrites for every production of the grammar, with its words as names.
func TestParse_ReadsWhatPrintWrites(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(r *rapid.T) {
		e := drawErrand(r)
		if e.Check() != nil {
			r.Skip()
		}
		text := e.Print(now)
		got, err := Parse(text, names{})
		require.NoError(r, err, text)
		require.Equal(r, e, got, text)
	})
}

func FuzzParse(f *testing.F) {
	f.Add("errand dusk when 10 min after dusk not after 22:30 do set (boardwalk/power on, boardwalk/colour amber) " +
		"if missed run within 2 h")
	f.Add("errand dry while dome/humidity above 85 % until 75 % do set dew/power to on afterwards back # why")
	f.Fuzz(func(t *testing.T, text string) {
		e, err := Parse(text, names{})
		if err != nil {
			return
		}
		again, err := Parse(e.Print(now), names{})
		require.NoError(t, err, e.Print(now))
		require.Equal(t, e.Print(now), again.Print(now))
	})
}

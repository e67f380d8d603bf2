package control

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Question is something about a control that no key tells. Each is answered by trying it on the device.
type Question struct {
	Control string `json:"control"`
	Field   string `json:"field" doc:"Member of the form that the answer goes to"`
	Text    string `json:"text"`
	How     string `json:"how" doc:"How an answer is written"`
	Try     string `json:"try,omitempty" doc:"Key to press to find out"`
	Stands  string `json:"stands,omitempty" doc:"What the form says now, as an answer is written; left out where it says nothing"`
}

// Answer is what somebody says to a question.
type Answer struct {
	Control string `json:"control" minLength:"1" maxLength:"40"`
	Field   string `json:"field" minLength:"1" maxLength:"40" doc:"As of the question"`
	Text    string `json:"text" maxLength:"2000" doc:"As of how; empty leaves it as it is"`
}

// asked is a question that can be asked of controls.
type asked struct {
	field string
	main  bool                    // it is asked without being asked for
	of    func(c *Control) bool   // the controls that it is asked of
	text  func(c *Control) string // of the question
	try   func(c *Control) string // key that shows the answer; "" where none does
	how   string
}

func always(text string) func(*Control) string { return func(*Control) string { return text } }

func isKind(kinds ...Kind) func(*Control) bool {
	return func(c *Control) bool { return slices.Contains(kinds, c.Kind) }
}

const (
	howTime = "a time such as 20s, or no"
	howHour = "a time such as 4h, or no"
)

// onKey switches a device on, as far as its form says.
func onKey(c *Control) string {
	if key := c.Keys["on"]; key != "" {
		return key
	}
	return c.Round
}

// questions are all that are asked, in their order.
var questions = []asked{
	{"keys", true, func(c *Control) bool { return c.Kind == Power && c.Round != "" && len(c.Keys) == 0 },
		func(c *Control) string { return "Does " + c.Round + " switch it on and off in turn, or only on?" },
		func(c *Control) string { return c.Round }, "turn, or on"},
	{"again_ms", true, func(c *Control) bool { return c.Kind == Power && c.Keys["off"] != "" },
		always("Does off have to be pressed twice? Within how long?"),
		func(c *Control) string { return c.Keys["off"] }, howTime},
	{"warm_up_ms", true, isKind(Power), always("How long after switching on does it not obey yet?"), onKey, howTime},
	{"goes_off_s", false, isKind(Power), always("Does it switch itself off? After how long?"), nil, howHour},
	{"goes_off_from", false, func(c *Control) bool { return c.GoesOffS > 0 },
		always("Does that time count from when it was switched on, or from the last key?"), nil, "on, or key"},
	{"mains_fail", false, isKind(Power), always("What is it at when the mains failed and are back?"), nil,
		"keep, a value, or no where nobody knows"},
	{"most", true, isKind(Dial, Digits), func(c *Control) string {
		if c.Kind == Digits {
			return "What are its lowest and highest number?"
		}
		return "What are its lowest and highest value?"
	}, func(c *Control) string { return c.Up }, "numbers such as 0 to 60, or the highest alone"},
	{"rate", false, func(c *Control) bool { return c.Kind == Dial && c.Up != "" && c.Hold == "" },
		func(c *Control) string { return "How many steps does it make in a second while " + c.Up + " is held?" }, nil,
		"a number, or no where nobody knows"},
	{"rate", true, func(c *Control) bool { return c.Hold != "" },
		func(c *Control) string {
			return "How many steps does it make in a second while " + c.Hold + " is held?"
		}, nil,
		"a number"},
	{"hold_begins", true, func(c *Control) bool { return c.Hold != "" },
		always("Which way does the first hold go after switching on?"), nil, "up, down, or no where it differs"},
	{"values", true, func(c *Control) bool {
		return c.Kind == Selector && c.Round != "" && (c.size() > 2 || slices.Contains(c.Guessed, "values"))
	},
		always("What does it go through, in which order?"), func(c *Control) string { return c.Round },
		"names such as a b network"},
	{"skips", false, func(c *Control) bool { return c.Kind == Selector && c.Round != "" && c.size() > 2 },
		always("Which of them does it pass over where nothing is plugged in?"), nil,
		"names such as b network, all, or no"},
	{"after_s", true, func(c *Control) bool { return c.Kind == Selector && (isTimer(c.Name) || len(c.AfterS) > 0) },
		always("After how long does the device switch itself off, at each value?"), nil,
		"times such as 30=30m 60=1h, or no"},
	{"lapses_ms", true, func(c *Control) bool { return c.Kind == Selector && (c.Name == "menu" || c.LapsesMS > 0) },
		always("After how long without a key does it close by itself?"), nil, howTime},
	{"rest_ms", false, func(c *Control) bool { return (c.Kind == Dial || c.Kind == Selector) && c.Hold == "" },
		always("Left alone for a while, does the first press only show it? After how long?"), nil, howTime},
	{"on_start", false, func(c *Control) bool { return c.Kind != Power && c.Kind != Travel },
		always("What is it at when the device is switched on?"), nil, "keep, unknown, or a value"},
	{"timeout_ms", false, isKind(Digits), always("How long after the last digit does the number count?"), nil, howTime},
	{"open_ms", true, isKind(Travel), func(c *Control) string {
		if c.SlatsOf != "" {
			return "How long do the slats turn, from closed to open?"
		}
		return "How long does the full way take?"
	}, func(c *Control) string { return c.Open }, "a time such as 18s"},
	{"close_ms", false, func(c *Control) bool { return c.Kind == Travel && c.SlatsOf == "" },
		always("How long does the way back take?"), func(c *Control) string { return c.Close },
		"a time such as 16s, or no where it is the same"},
	{"delay_ms", false, func(c *Control) bool { return c.Kind == Travel && c.SlatsOf == "" },
		always("How long after its key does it begin to move?"), nil, howTime},
}

// isTimer says whether a control is the timer of a device, by its name.
func isTimer(name string) bool { return name == "sleep" || name == "timer" }

// Questions are what can be asked about a control: the few that matter, or all.
func (c *Control) Questions(all bool) (out []Question) {
	for _, q := range questions {
		if !q.of(c) || !all && !q.main {
			continue
		}
		one := Question{Control: c.Name, Field: q.field, Text: q.text(c), How: q.how, Stands: c.stands(q.field)}
		if q.try != nil {
			one.Try = q.try(c)
		}
		out = append(out, one)
	}
	return out
}

// AskAbout are the controls of a device that are asked about, with the questions: all about the named one, or the few
// that matter about each.
func AskAbout(controls []Control, name string) (about []Control, out []Question) {
	for i := range controls {
		if c := controls[i]; name == "" || c.Name == name {
			about = append(about, c)
			out = append(out, askEach(controls[i:i+1], hasPower(controls[:i]), name != "")...)
		}
	}
	return about, out
}

func hasPower(all []Control) bool {
	return slices.ContainsFunc(all, func(c Control) bool { return c.Kind == Power })
}

// askEach are the questions about controls. second says that there is a power before them: those beside the first one
// cannot warm up, nor want their key twice.
func askEach(controls []Control, second, all bool) (out []Question) {
	for i := range controls {
		c := &controls[i]
		out = append(out, slices.DeleteFunc(c.Questions(all), func(q Question) bool {
			return second && (q.Field == "warm_up_ms" || q.Field == "again_ms")
		})...)
		second = second || c.Kind == Power
	}
	return out
}

// times are the members that are times, with their unit.
func (c *Control) times() map[string]struct {
	to   *int
	unit time.Duration
} {
	type member = struct {
		to   *int
		unit time.Duration
	}
	milli := time.Millisecond
	return map[string]member{"again_ms": {&c.AgainMS, milli}, "warm_up_ms": {&c.WarmUpMS, milli},
		"goes_off_s": {&c.GoesOffS, time.Second}, "lapses_ms": {&c.LapsesMS, milli}, "rest_ms": {&c.RestMS, milli},
		"timeout_ms": {&c.TimeoutMS, milli}, "open_ms": {&c.OpenMS, milli}, "close_ms": {&c.CloseMS, milli},
		"delay_ms": {&c.DelayMS, milli}}
}

// texts are the members that are one word.
func (c *Control) texts() map[string]*string {
	return map[string]*string{"goes_off_from": &c.GoesOffFrom, "mains_fail": &c.MainsFail, "on_start": &c.OnStart,
		"hold_begins": &c.HoldBegins}
}

// stands is what a member says now, as an answer is written; "" where it says nothing.
func (c *Control) stands(field string) string {
	if t, is := c.times()[field]; is {
		return timeText(time.Duration(*t.to) * t.unit)
	}
	if t, is := c.texts()[field]; is {
		return *t
	}
	switch field {
	case "most":
		if c.Most == nil { // a dial without is not one yet, and digits go to 99
			return ""
		}
		return fmt.Sprintf("%g to %g", given(c.Least, 0), *c.Most)
	case "rate":
		if c.Rate > 0 {
			return strconv.FormatFloat(c.Rate, 'g', -1, 64)
		}
	case "values":
		return strings.Join(c.Values, " ")
	case "skips":
		return strings.Join(c.Skips, " ")
	case "after_s":
		var all []string
		for _, v := range c.values() {
			if s, ok := c.AfterS[v]; ok {
				all = append(all, v+"="+timeText(seconds(s)))
			}
		}
		return strings.Join(all, " ")
	case "keys":
		return "turn"
	}
	return ""
}

// timeText is a time as people write it: 4h, 90s, 1.5s; "" for none.
func timeText(d time.Duration) string {
	switch {
	case d == 0:
		return ""
	case d%time.Hour == 0:
		return fmt.Sprintf("%dh", d/time.Hour)
	case d%time.Minute == 0:
		return fmt.Sprintf("%dm", d/time.Minute)
	}
	return strconv.FormatFloat(d.Seconds(), 'g', -1, 64) + "s"
}

var timeRule = regexp.MustCompile(`^(\d{1,7}(?:[.,]\d{1,3})?)\s*(ms|s|sec|seconds?|m|min|minutes?|h|hours?)?$`)

// readTime reads a time as people write it: 20, 20s, 4,5 s, 2 min, 1h; no is none.
func readTime(text string) (time.Duration, bool) {
	if text == "no" || text == "none" {
		return 0, true
	}
	m := timeRule.FindStringSubmatch(text)
	if m == nil {
		return 0, false
	}
	n, err := strconv.ParseFloat(strings.Replace(m[1], ",", ".", 1), 64)
	unit := time.Second
	switch {
	case m[2] == "ms":
		unit = time.Millisecond
	case strings.HasPrefix(m[2], "m"):
		unit = time.Minute
	case strings.HasPrefix(m[2], "h"):
		unit = time.Hour
	}
	return time.Duration(n * float64(unit)), err == nil
}

var numberRule = regexp.MustCompile(`-?\d{1,6}(?:\.\d{1,4})?`)

// list reads words with spaces or commas between.
func list(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return r == ' ' || r == ',' || r == '\t' })
}

// Reply puts the answer to a question into the form; an empty one leaves it as it is. The error wraps ErrForm, and says
// how to write it.
func (c *Control) Reply(field, text string) error {
	text = strings.ToLower(strings.TrimSpace(text))
	if text == "" {
		return nil
	}
	i := slices.IndexFunc(questions, func(q asked) bool { return q.field == field && q.of(c) })
	if i < 0 {
		return fmt.Errorf("%w %s: nothing is asked about %.40q of it", ErrForm, c.Name, field)
	}
	next := *c
	if !next.take(field, text) {
		return fmt.Errorf("%w %s: %.60q: write %s", ErrForm, c.Name, text, questions[i].how)
	}
	next.Said(field)
	if err := next.check(true); err != nil {
		return err
	}
	*c = next
	return nil
}

// take reads an answer; false where it cannot be read.
func (c *Control) take(field, text string) bool {
	if t, is := c.times()[field]; is {
		d, ok := readTime(text)
		*t.to = int(d / t.unit)
		return ok && (field != "open_ms" || d > 0)
	}
	if t, is := c.texts()[field]; is {
		if *t = text; text == "no" || text == "none" {
			*t = ""
		}
		return true
	}
	switch field {
	case "most":
		numbers := numberRule.FindAllString(text, 3)
		if len(numbers) == 0 || len(numbers) > 2 {
			return false
		}
		n, _ := strconv.ParseFloat(numbers[len(numbers)-1], 64)
		c.Most = &n
		if len(numbers) == 2 {
			least, _ := strconv.ParseFloat(numbers[0], 64)
			c.Least = &least
		}
	case "rate":
		n, err := strconv.ParseFloat(text, 64)
		if text == "no" && c.Hold == "" {
			n, err = 0, nil
		}
		c.Rate = n
		return err == nil
	case "values":
		if c.Values = list(text); len(c.Values) < 2 {
			return false
		}
		for v := range c.Keys {
			if !slices.Contains(c.Values, v) {
				return false
			}
		}
		c.Skips = slices.DeleteFunc(slices.Clone(c.Skips), func(v string) bool { return !slices.Contains(c.Values, v) })
	case "skips":
		switch c.Skips = list(text); text {
		case "no", "none":
			c.Skips = nil
		case "all":
			c.Skips = slices.Clone(c.values())
		}
	case "after_s":
		if c.AfterS = nil; text == "no" {
			return true
		}
		c.AfterS = map[string]int{}
		for _, pair := range list(text) {
			value, after, is := strings.Cut(pair, "=")
			d, ok := readTime(after)
			if !is || !ok || d < time.Second {
				return false
			}
			c.AfterS[value] = int(d / time.Second)
		}
	case "keys":
		switch text {
		case "turn":
		case "on":
			c.Keys, c.Round = map[string]string{"on": c.Round}, ""
		default:
			return false
		}
	default:
		return false
	}
	return true
}

// Answered puts answers into forms, each into the control that it is about. The error wraps ErrForm.
func (f *Forms) Answered(all []Answer) error {
	f.Controls = slices.Clone(f.Controls)
	for _, a := range all {
		i := slices.IndexFunc(f.Controls, func(c Control) bool { return c.Name == a.Control })
		if i < 0 {
			return fmt.Errorf("%w %.40q: there is no such control", ErrForm, a.Control)
		}
		if err := f.Controls[i].Reply(a.Field, a.Text); err != nil {
			return err
		}
	}
	return nil
}

package control_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

var mutants = flag.Int("mutants", 8000, "how many stories are told to each changed rule")

// rules are changes of single rules: of phases, of what is typed, of travel, of trust and of plans. The stories have to
// find every one.
var rules = []struct{ name, file, old, new string }{
	{"a press that failed counts", "press.go", "if p.Outcome == Failed {", "if false {"},
	{"an unknown press counts as sent", "press.go", "if p.Outcome == Unknown {", "if false {"},
	{"a device that ignores keys obeys", "press.go", "	if bit == 0 {\n		return []Case{*c}\n	}\n", ""},
	{"keys need no power", "press.go", "if e.while&bit == 0 {", "if false {"},
	{"another key interrupts no typing", "press.go", "next.Possible[i].Typed != nil && !s.types(p.Key, i)", "false"},
	{"another key always ends the asking", "press.go", "cases = []Case{still, next}",
		"_, cases = still, []Case{next}"},
	{"another key never ends the asking", "press.go", "cases = []Case{still, next}", "cases = []Case{still}"},
	{"a key that wakes does no more", "press.go", "	if wakes {", "	if false {"},
	{"a key that wakes does all at once", "press.go", "out = append(out, more)", "out[i] = more"},
	{"a key that wakes does not wake", "press.go",
		"			if was == 0 {\n				return s.switched(c, was, max(e.arg, 1), p.At)\n			}", ""},
	{"off is off at once", "press.go", "	if form.AgainMS == 0 {\n		return []Case{off}\n	}\n",
		"	return []Case{off}\n"},
	{"off twice is in time to the moment", "press.go", "<= less(ms(form.AgainMS)) {", "<= ms(form.AgainMS) {"},
	{"off twice is late to the moment", "time.go", "now.Sub(c.Armed.To) > more(again)",
		"now.Sub(c.Armed.To) > again"},
	{"off twice is never sure", "press.go", "<= less(ms(form.AgainMS)) {", "< 0 {"},
	{"no warm-up", "press.go", "if form.WarmUpMS > 0 {", "if false {"},
	{"no cool-down", "press.go", "if form.CoolDownMS > 0 {", "if false {"},
	{"a warm-up ends to the moment", "press.go",
		"next.Until = Span{at.Add(less(ms(form.WarmUpMS))), at.Add(more(ms(form.WarmUpMS)))}",
		"next.Until = Span{at.Add(ms(form.WarmUpMS)), at.Add(ms(form.WarmUpMS))}"},
	{"what starts with anything keeps", "press.go", "	case StartUnknown:\n		return s.anything(i)\n",
		"	case StartUnknown:\n		return p\n"},
	{"what starts with a value keeps", "press.go", "return Possible{Ranges: only(n)}\n	}\n}",
		"_ = n\n		return p\n	}\n}"},
	{"a dial that goes round stops", "press.go", "round := c.Ends == EndsRound || c.Kind == Selector",
		"round := false"},
	{"a dial that stops goes round", "press.go", "round := c.Ends == EndsRound || c.Kind == Selector",
		"round := true"},
	{"a held key makes one step", "press.go", "case held <= short:", "case true:"},
	{"a held key is exact", "press.go", "return max(n-1, 1), max(n+1, 1)", "return max(n, 1), max(n, 1)"},
	{"a vague key does nothing", "press.go", "	case OpVague, OpOn:\n	}\n	return s.anything(e.control)",
		"	case OpVague, OpOn:\n	}\n	return was"},
	{"a warm-up never ends", "time.go", "if (c.Phase == Warming || c.Phase == Cooling) && !now.Before(c.Until.To) {",
		"if false {"},
	{"the asking never ends", "time.go", "now.Sub(c.Armed.To) > more(again)", "again < 0"},
	{"a warm-up has not ended at its edge", "time.go", "return []Case{*c, ended}", "return []Case{*c}"},
	{"a warm-up has ended at its edge", "time.go", "return []Case{*c, ended}", "return []Case{ended}"},
	{"a number never times out", "time.go", "	if p.Typed != nil {\n		p = s.waited(c, p, now)\n	}\n", ""},
	{"nothing arrives", "time.go", "p.Motions = arrived(c, p.Motions, now)", ""},
	{"a digit always begins anew", "typing.go", "digits, before = t.Digits+digits, t.Before", "before = t.Before"},
	{"a late digit is in time",
		"typing.go", `t.Digits == "", since > less(c.timeout()):`, `t.Digits == "", since > 2*c.timeout():`},
	{"a number counts before its digits are there", "typing.go", "len(digits) >= c.digits() && c.Enter == \"\"",
		"c.Enter == \"\""},
	{"a number never counts by its digits", "typing.go", "len(digits) >= c.digits() && c.Enter == \"\"", "false"},
	{"fewer digits than needed count", "typing.go", "return Possible{Ranges: before.or(only(n - least))}",
		"return Possible{Ranges: only(n - least)}"},
	{"a number that waits does not count yet", "typing.go", "p.Ranges = p.Ranges.or(t.May)", ""},
	{"enter does nothing", "typing.go", "	return counted(c, t.Digits, t.Before)\n}\n\n// waited",
		"	return was\n}\n\n// waited"},
	{"what was not entered counts", "typing.go",
		"		return Possible{Ranges: t.Before}\n	}\n	return counted",
		"	}\n	return counted"},
	{"what was interrupted does not count", "typing.go", "may := was.Ranges.or(was.Typed.May)", "may := was.Ranges"},
	{"motors are exact", "travel.go", "uneven = 0.05", "uneven = 0.0"},
	{"travel begins at once", "travel.go", "passed-more(delay)", "passed"},
	{"stop does not stop", "travel.go", "			out = append(out, m.stands(where))\n		default",
		"			out = append(out, m)\n		default"},
	{"a key that goes round forgets which way", "travel.go",
		"	case 1:\n		next = nextCloses\n	case -1:\n		next = nextOpens\n", ""},
	{"what may have arrived moves", "travel.go", "if m.Dir == 0 || may {", "if m.Dir == 0 {"},
	{"what moves has arrived", "travel.go", "			if m.Dir != 0 {\n				out = append(out, " +
		"m.stands(where))\n			}\n			if m.Dir == 0 || may {", "			if m.Dir == 0 || may {"},
	{"a direction is not turned", "travel.go", "if m.Dir != e.arg || may {", "if m.Dir == 0 {"},
	{"close opens", "travel.go", "return where, where.To <= 0, where.From <= 0", "return m.From, false, false"},
	{"setting is no certain moment", "trust.go", "			t.set(e.arg, p.At)\n		default",
		"			t.Presses++\n		default"},
	{"setting again counts once", "trust.go", "			t.Sets++\n", ""},
	{"setting again is no certain moment", "trust.go", "			t.Sets++\n			t.Certain = p.At\n",
		"			t.Sets++\n"},
	{"steps do not count", "trust.go", "		default:\n			t.Presses++\n", "		default:\n"},
	{"unknown presses do not count", "trust.go", "		case p.Outcome == Unknown:\n			t.Presses++\n",
		"		case p.Outcome == Unknown:\n"},
	{"an end is never sure", "trust.go", "if end := c.endAfter(t.Run); end >= 0 {",
		"if end := c.endAfter(0); end >= 0 {"},
	{"an end without presses to spare", "trust.go", "case run >= n+spare(n):", "case run >= n:"},
	{"the lower end without presses to spare", "trust.go", "case -run >= n+spare(n):", "case -run >= n:"},
	{"steps both ways are one run", "trust.go", "e.op == OpStep && e.arg*t.Run >= 0", "e.op == OpStep"},
	{"more toggles are believed", "trust.go", "mostToggles = 5", "mostToggles = 6"},
	{"fewer toggles are believed", "trust.go", "mostToggles = 5", "mostToggles = 4"},
	{"more steps are believed", "trust.go", "mostSteps   = 3", "mostSteps   = 4"},
	{"what was set once is certain", "trust.go", "sure = 2", "sure = 1"},
	{"what was set is certain for ever", "trust.go", "&& now.Sub(t.Certain).Abs() <= fresh", ""},
	{"several values are believed", "trust.go", "case values != 1, t.Deaf,", "case t.Deaf,"},
	{"what nobody said is believed", "trust.go", " t.Source == Assumed,", ""},
	{"told is not sure", "tell.go", "	t.set(n, now)\n	t.Sets = sure\n", "	t.set(n, now)\n"},
	{"told changes nothing", "tell.go", "cases = append(cases, kept)",
		"_ = kept\n				cases = append(cases, c)"},
	{"a certain value is pressed", "plan_set.go", "case !p.ask.Asked && p.certainly(w):", "case false:"},
	{"a certain power is pressed", "plan_power.go",
		"case !p.ask.Asked && p.certainly(w), key == \"\" && p.already(w):",
		"case key == \"\" && p.already(w):"},
	{"a person's wish is left out", "plan_set.go", "	case key != \"\":\n		p.press(Step{Key: key})",
		"	case key != \"\" && !already:\n		p.press(Step{Key: key})"},
	{"what is believed so goes round", "plan_set.go",
		"	case already:\n		p.leave(w.control)\n		if p.ask.Asked {\n			p.offer(w)\n		}\n",
		""},
	{"off is pressed once", "plan_power.go",
		"	if twice {\n		p.press(Step{Key: key, NotLater: less(again)})\n	}\n", ""},
	{"presses wait for nothing", "plan.go", "at := later(p.now.Add(step.Wait), later(p.due, p.awake()))",
		"at := p.now.Add(step.Wait)"},
	{"an end without presses to spare is gone to", "plan_set.go",
		"toBottom, toTop := hi+spare(hi), n-1-lo+spare(n-1-lo)", "toBottom, toTop := hi-1, n-2-lo"},
	{"what was typed is typed on", "plan_set.go",
		"p.due = later(p.due, t.At.Add(more(c.timeout())+time.Millisecond))",
		"_ = t"},
	{"leading zeros are left out",
		"plan_set.go", `fmt.Sprintf("%0*d", c.Fewest, w.value`, `fmt.Sprintf("%0*d", 0*c.Fewest, w.value`},
	{"enter is left out", "plan_set.go", `case c.Enter != "":`, "case false:"},
	{"a number is over at once", "plan_set.go", "p.hold(more(c.timeout()) + time.Millisecond)", ""},
	{"an end is reached at once", "plan_move.go", "	p.settle(p.way(c, end))\n", ""},
	{"a part of the way from an end that is not reached", "plan_move.go", "		p.hold(p.way(c, end))\n", ""},
	{"from anywhere a part of the way", "plan_move.go", "if len(may) != 1 || may[0].To-may[0].From > 2*nearby {",
		"if false {"},
	{"moves by parts for ever", "plan_move.go", "m.Dir != 0 || m.Moves >= mostMoves", "m.Dir != 0"},
	{"stop comes late", "plan_move.go", "after := ms(c.DelayMS) + time.Duration(part)",
		"after := ms(c.DelayMS) + time.Duration(part+200)"},
	{"a sequence is its last key", "sequence.go", "value, begun := c.led(keys)",
		"value, begun := c.led(keys)\n		for i, v := range c.values() {\n			if value < 0 && " +
			"c.Sequences[v][len(c.Sequences[v])-1] == key {\n				value = i\n			}\n		}"},
	{"what is late goes on a sequence", "sequence.go",
		"lost := t.Lost || !t.At.IsZero() && at.Sub(t.At) > less(c.forgets())",
		"lost := t.Lost"},
	{"what was lost is found again", "sequence.go", "lost := t.Lost || ", "lost := "},
	{"the end of no sequence does nothing", "sequence.go", "if c.endsOne(key) {", "if false {"},
	{"what goes on sets nothing", "sequence.go", "		if value >= 0 {\n			next.Ranges",
		"		if value >= 0 && !begun {\n			next.Ranges"},
	{"what a sequence sets ends it", "sequence.go", "		if begun {\n			next.Part",
		"		if begun && value < 0 {\n			next.Part"},
	{"a sequence makes certain", "sequence.go", "		t.set(value, p.At)\n",
		"		t.set(value, p.At)\n		t.Sets = sure\n"},
	{"other keys interrupt no sequence", "press.go", "t != nil && !s.parts(p.Key, i)",
		"t != nil && t.Lost && !s.parts(p.Key, i)"},
	{"what was begun is gone on with", "sequence.go",
		"p.due = later(p.due, t.At.Add(more(c.forgets())+time.Millisecond))", "_ = t"},
	{"a frame changes only what is known", "whole.go", "next.Possible[i] = Possible{Ranges: only(n)}",
		"next.Possible[i] = c.Possible[i].or(Possible{Ranges: only(n)})"},
	{"a frame does not switch", "whole.go", "if n == 0 {\n				next.Phase = Off",
		"if false {\n				next.Phase = Off"},
	{"a frame takes the rest from nowhere", "whole.go", "n, known := p.single(i)", "n, known := 0, true"},
	{"what needs power is sent without", "whole.go", "power != nil && power.want == nil && !p.always(power.mask)",
		"false"},
	{"steps from nowhere", "whole.go", "if w.relative != 0 && !known {", "if false {"},
	{"a certain frame is sent", "whole.go", "false, p.ask.Asked\n", "false, true\n"},
	{"a key is held too shortly", "plan_set.go", "float64(steps+1) / c.Rate", "float64(steps)/2 / c.Rate"},
	{"a key is let go at once", "plan.go", "p.now = p.now.Add(step.Hold)", "_ = step.Hold"},
	{"a held key makes certain", "trust.go", "if least == 1 {", "if least > 0 {"},
	{"a held key is one step of a run", "trust.go", "e.arg * least", "e.arg"},
	{"after a mains failure it is as it was", "mains.go", "		all := make([]int, form.size())\n",
		"		all := make([]int, 1)\n"},
	{"what should be kept is off after a mains failure", "mains.go",
		"return []int{c.Mode}\n		}\n		return []int{0}",
		"return []int{0}\n		}\n		return []int{0}"},
	{"a mains failure needs no warm-up", "mains.go", "one.Phase == On && warm > 0", "false"},
	{"a mains failure moves nothing back", "mains.go", "return p.or(s.started(i, p))", "return p"},
	{"what moved goes on after a mains failure", "mains.go", "still := m.stands(where)",
		"still := m\n		_ = where"},
	{"a mains failure changes no direction", "mains.go", "still.Next = nextOpens + nextCloses - still.Next",
		"_ = still"},
	{"a mains failure is certain", "mains.go", "t.Sets, t.Run = min(t.Sets, 1), 0", "t.Run = 0"},
	{"a plan is always sure", "plan.go", "p.plan.Sure = !p.stuck", "p.plan.Sure = true"},
	{"what is wanted is not looked at in the end", "plan.go", "w.relative == 0 && !s.holds(final, w, end)",
		"w.relative == 0 && !s.holds(final, w, end) && len(p.wants) > 99"},
}

// TestRules_TheStoriesFindEveryOneThatIsChanged builds the package with one rule changed at a time, and tells it
// stories.
func TestRules_TheStoriesFindEveryOneThatIsChanged(t *testing.T) {
	here, err := os.Getwd()
	require.NoError(t, err)
	for _, rule := range rules {
		t.Run(strings.ReplaceAll(rule.name, " ", "-"), func(t *testing.T) {
			t.Parallel()
			text, err := os.ReadFile(rule.file)
			require.NoError(t, err)
			require.Equal(t, 1, strings.Count(string(text), rule.old), "the rule is not there, or not the only one: %q",
				rule.old)
			dir := t.TempDir()
			changed := filepath.Join(dir, rule.file)
			require.NoError(t, os.WriteFile(changed, []byte(strings.Replace(string(text), rule.old, rule.new, 1)),
				0o600))
			overlay, err := json.Marshal(map[string]any{"Replace": map[string]string{filepath.Join(here,
				rule.file): changed}})
			require.NoError(t, err)
			plan := filepath.Join(dir, "overlay.json")
			require.NoError(t, os.WriteFile(plan, overlay, 0o600))
			cmd := exec.CommandContext(t.Context(), "go", "test", "-overlay", plan, "-vet=off", "-run",
				"^TestStories|^TestPlan", ".",
				"-stories", fmt.Sprint(*mutants))
			cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
			out, err := cmd.CombinedOutput()
			require.Error(t, err, "no story finds it")
			assert.Contains(t, string(out), "--- FAIL: Test", "it fails otherwise: %.2000s", out)
		})
	}
}

// TestEffects_TheStoriesFindEveryOneThatIsChanged drops or turns one effect of each device at a time: stories of
// devices with such keys have to find it.
func TestEffects_TheStoriesFindEveryOneThatIsChanged(t *testing.T) {
	for _, change := range control.EffectChanges {
		t.Run(change.Name, func(t *testing.T) {
			t.Parallel()
			found := tellAll(*mutants, func(s *control.Spec, _ *rand.Rand) { change.Do(s) })
			assert.NotEmpty(t, found, "no story finds it")
		})
	}
}

package errand

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"urbo/core/run"
)

// Parse reads an errand as people write it. Errors wrap run.ErrSteps and have line and column, wrap ErrErrand, or are
// those of names.
func Parse(text string, names run.AllNames) (Errand, error) {
	e, err := parse(text, names)
	if errors.Is(err, run.ErrSteps) {
		err = said{err}
	}
	return e, err
}

// said is an error of what errands and sequences have in common, as one of an errand.
type said struct{ error }

func (s said) Error() string {
	return ErrErrand.Error() + strings.TrimPrefix(s.error.Error(), run.ErrSteps.Error())
}

func (s said) Unwrap() error { return s.error }

func parse(text string, names run.AllNames) (Errand, error) {
	r, err := run.NewReader(text, names)
	if err != nil {
		return Errand{}, err
	}
	p := &parser{Reader: r}
	e, err := p.errand()
	if err != nil {
		return e, err
	}
	e.Remarks = p.remarks()
	return e, e.Check()
}

type parser struct {
	*run.Reader
	clauses []clause
}

// clause is a part of the sentence, and the token that it begins with.
type clause struct {
	name string
	from int
}

func (p *parser) begin(name string) { p.clauses = append(p.clauses, clause{name, p.At()}) }

func (p *parser) errand() (e Errand, err error) {
	p.begin("errand")
	if err := p.Want("errand"); err != nil {
		return e, fmt.Errorf("%w: an errand begins with errand and its name, such as errand morning when at 7:00 do "+
			"turn on radio", err)
	}
	if e.Name, err = p.Slug("the name of the errand"); err != nil {
		return e, err
	}
	switch {
	case p.IsNext("when"):
		err = p.when(&e)
	case p.IsNext("while"):
		err = p.while(&e)
	default:
		err = p.Expected("when or while")
	}
	for err == nil && !p.Ended() {
		if !p.IsRule() {
			return e, p.Expected("then, a rule such as if missed skip, or the end")
		}
		err = p.rule(&e.Rules)
	}
	return e, err
}

func (p *parser) when(e *Errand) error {
	p.begin("when")
	p.Is("when")
	for {
		c, err := p.cue()
		if err != nil {
			return err
		}
		if e.When = append(e.When, c); !p.Is("or") {
			break
		}
	}
	if p.IsNext("only") {
		p.begin("only if")
		p.Is("only")
		if err := p.Want("if"); err != nil {
			return err
		}
		c, err := p.Cond()
		if err != nil {
			return err
		}
		e.Only = &c
	}
	return p.do(e)
}

func (p *parser) while(e *Errand) error {
	p.begin("while")
	p.Is("while")
	c, err := p.Cond()
	if err != nil {
		return err
	}
	e.While = &c
	if err := p.do(e); err != nil {
		return err
	}
	if !p.IsNext("afterwards") {
		return nil
	}
	p.begin("afterwards")
	p.Is("afterwards")
	if e.Back = p.Is("back"); e.Back {
		return nil
	}
	e.After, err = p.Steps()
	return err
}

func (p *parser) do(e *Errand) (err error) {
	p.begin("do")
	if err := p.Want("do"); err != nil {
		return err
	}
	e.Do, err = p.Steps()
	return err
}

// cue reads one cue.
func (p *parser) cue() (c Cue, err error) {
	c.Offset, _ = p.Offset()
	if err := p.what(&c); err != nil {
		return c, err
	}
	if p.Ahead("give", "or", "take") {
		if c.Scatter, err = p.Dur(); err != nil {
			return c, err
		}
	}
	for p.Is("not") {
		l := Limit{Before: p.Is("before")}
		if !l.Before && !p.Is("after") {
			return c, p.Expected("before or after, and a time")
		}
		if l.At, err = p.Clock(); err != nil {
			return c, err
		}
		c.Limits = append(c.Limits, l)
	}
	if len(c.Limits) > 0 && p.Is("else") {
		if c.Skip, err = true, p.Want("skip"); err != nil {
			return c, err
		}
	}
	if p.Is("on") {
		c.On, err = p.Days()
	}
	return c, err
}

// what reads what a cue is.
func (p *parser) what(c *Cue) (err error) {
	switch {
	case p.Is("at"), p.Ahead("every", "day", "at"):
		return p.times(c)
	case p.IsNext("on"):
		p.Is("on")
		d, err := p.Date()
		if err != nil {
			return err
		}
		if d.Year == 0 {
			return p.Wrong(1,
				"a day with its year, such as 2026-12-05; for one of every year write at … only if from … to …")
		}
		c.Date = &d
		if err := p.Want("at"); err != nil {
			return err
		}
		t, err := p.Clock()
		c.Times = append(c.Times, t)
		return err
	case p.Is("every"):
		return p.every(c)
	}
	if e, is := p.Event(); is {
		c.Sun = e
		switch { // people also write "sunset - 30 min"
		case p.Is("+"):
			c.Offset, err = p.Dur()
		case p.Is("-"):
			c.Offset, err = p.Dur()
			c.Offset = -c.Offset
		}
		return err
	}
	if p.IsNumber() {
		return p.Expected("at before a time of day, such as at 7:00, or a time before or after something, such as " +
			"10 min after dusk")
	}
	s, level, err := p.Sudden()
	if c.Level = level; level == nil {
		c.Sudden = &s
	}
	return err
}

func (p *parser) times(c *Cue) error {
	for {
		t, err := p.Clock()
		if err != nil {
			return err
		}
		if !slices.Contains(c.Times, t) {
			c.Times = append(c.Times, t)
		}
		if !p.Is(",") {
			return nil
		}
	}
}

func (p *parser) every(c *Cue) (err error) {
	c.Every = &Every{}
	if c.Every.Each, err = p.Dur(); err != nil || !p.Is("from") {
		return err
	}
	from, err := p.Clock()
	if err != nil {
		return err
	}
	if err := p.Want("to"); err != nil {
		return err
	}
	to, err := p.Clock()
	c.Every.From, c.Every.To = &from, &to
	return err
}

// rule reads what happens where something is in the way.
func (p *parser) rule(r *Rules) (err error) {
	from := p.At()
	p.Is("if")
	for _, one := range []struct {
		name string
		was  string
		read func(*Rules) error
	}{{"missed", r.Missed, p.missed}, {"unknown", r.Unknown, p.unknown}, {"doubtful", r.Doubtful, p.doubtful},
		{"busy", r.Busy, p.busy}} {
		if !p.Is(one.name) {
			continue
		}
		p.clauses = append(p.clauses, clause{one.name, from})
		if one.was != "" {
			return p.Wrong(1, "what happens if %s is said twice: leave one out", one.name)
		}
		return one.read(r)
	}
	return p.Expected("missed, unknown, doubtful or busy")
}

func (p *parser) missed(r *Rules) (err error) {
	switch {
	case p.Is("skip"):
		r.Missed = "skip"
	case p.Is("run"):
		r.Missed = "run"
		if err = p.Want("within"); err == nil {
			r.RunWithin, err = p.Dur()
		}
	default:
		err = p.Expected("run within and a time, or skip")
	}
	return err
}

func (p *parser) unknown(r *Rules) (err error) {
	switch {
	case p.Is("run"):
		r.Unknown = "run"
	case p.Is("skip"):
		r.Unknown = "skip"
	case p.Is("end"):
		r.Unknown = "end"
		if err = p.Want("after"); err == nil {
			r.EndAfter, err = p.Dur()
		}
	default:
		err = p.Expected("run, skip, or end after and a time")
	}
	return err
}

func (p *parser) doubtful(r *Rules) (err error) {
	switch {
	case p.Is("press"):
		r.Doubtful = "press"
	case p.Is("skip"):
		r.Doubtful = "skip"
	case p.Is("ask"):
		r.Doubtful = "ask"
		switch {
		case p.Is("for"):
			r.AskFor, err = p.Dur()
		case p.Is("until"):
			until, e := p.Clock()
			r.AskUntil, err = &until, e
		}
	default:
		err = p.Expected("ask, press or skip")
	}
	return err
}

func (p *parser) busy(r *Rules) error {
	switch {
	case p.Is("stretch"):
		r.Busy = "stretch"
	case p.Ahead("start", "over"):
		r.Busy = "start over"
	case p.Is("follow"):
		r.Busy = "follow"
	case p.Is("drop"):
		r.Busy = "drop"
	default:
		return p.Expected("stretch, start over, follow or drop")
	}
	return nil
}

// remarks gives each remark to its clause: behind some text to that, alone to the next.
func (p *parser) remarks() (out []Remark) {
	behind := map[string]bool{}
	for _, r := range p.Remarks {
		at := r.Next
		if !r.Alone {
			at--
		}
		name := p.clauses[0].name
		for _, c := range p.clauses {
			if c.from <= at {
				name = c.name
			}
		}
		alone := r.Alone || behind[name] // one fits behind a clause
		if !alone {
			behind[name] = true
		}
		if r.Text != "" {
			out = append(out, Remark{name, r.Text, alone})
		}
	}
	return out
}

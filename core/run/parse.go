package run

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"urbo/core/device"
)

// Names finds what people call things. Errors of its methods say what to write instead.
type Names interface {
	// Target finds a device, group, room or measurement: "boardwalk", "room/dome".
	Target(name string) (Target, error)
	// Sequence finds a sequence.
	Sequence(name string) (Target, error)
	// Key says whether a device has a key.
	Key(t Target, key string) error
	// Control says whether a device has a control, or any of a group or room, and whether it may be at a value; "" is
	// any.
	Control(t Target, control, value string) error
}

// Parse reads steps as people write them:
//
//	press amplifier/power then wait 3 s then press amplifier/input-2
//
// Errors wrap ErrSteps and have line and column, or are those of names.
func Parse(text string, names Names) ([]Step, error) {
	tokens, err := lex(text)
	if err != nil {
		return nil, err
	}
	p := &parser{tokens: tokens, names: names}
	if len(tokens) == 0 {
		return nil, Check(nil)
	}
	steps, err := p.steps(0)
	if err != nil {
		return nil, err
	}
	if !p.ended() {
		return nil, p.expected("then, or the end")
	}
	return steps, Check(steps)
}

type parser struct {
	tokens []token
	next   int
	names  Names
	full   AllNames // of an errand; nil refuses what only those have
	offers []Offer  // what was looked for where the text ends; nil does not collect it

	// looked are the words that were looked for at the token that is furthest, and lookedAt is that.
	looked   []string
	lookedAt int
}

// look keeps which words were looked for at a token, for what somebody may have meant there.
func (p *parser) look(at int, words ...string) {
	switch {
	case at < p.lookedAt:
		return
	case at > p.lookedAt:
		p.lookedAt, p.looked = at, nil
	}
	p.looked = append(p.looked, words...)
}

// meant says which word may have been meant where none of those stands that were looked for; "" where none is near.
func (p *parser) meant() string {
	if p.lookedAt < p.next || p.lookedAt >= len(p.tokens) || p.tokens[p.lookedAt].quoted {
		return ""
	}
	t := p.tokens[p.lookedAt]
	word, is := device.Typo(t.text, p.looked)
	switch {
	case !is:
		return ""
	case p.lookedAt > p.next:
		return fmt.Sprintf(", or did you mean %q instead of %q", word, t.text)
	}
	return fmt.Sprintf(": did you mean %q", word)
}

// Offer is something that may stand next: a word, or something of a kind.
type Offer struct {
	Word string // "" of a kind
	Kind string // control, key, measurement, value, occasion, …; "" of a word
	Of   string // of a value: the path of its control
}

// offer keeps what may stand where the text ends.
func (p *parser) offer(o ...Offer) {
	if p.offers == nil || !p.ended() {
		return
	}
	for _, one := range o {
		if !slices.Contains(p.offers, one) {
			p.offers = append(p.offers, one)
		}
	}
}

func (p *parser) offerWords(words ...string) {
	p.look(p.next, words...)
	if p.ended() {
		p.offerBehind(words...)
	}
}

// offerBehind keeps words that may stand behind what is next, where that is the last of the text.
func (p *parser) offerBehind(words ...string) {
	if p.offers == nil {
		return
	}
	for _, w := range words {
		if o := (Offer{Word: w}); !slices.Contains(p.offers, o) {
			p.offers = append(p.offers, o)
		}
	}
}

// AllNames finds all that errands name.
type AllNames interface {
	Names
	Occasion(name string) (Target, error)
	Errand(name string) (Target, error)
	Station(name string) (Target, error)
}

func (p *parser) ended() bool { return p.next >= len(p.tokens) }

// peek is the token that is next; "" at the end.
func (p *parser) peek() token {
	if p.ended() {
		end := token{line: 1, column: 1}
		if len(p.tokens) > 0 {
			last := p.tokens[len(p.tokens)-1]
			end.line, end.column = last.line, last.column+len([]rune(last.text))
		}
		return end
	}
	return p.tokens[p.next]
}

// is says whether one of some words is next, and takes it.
func (p *parser) is(words ...string) bool {
	p.offerWords(words...)
	if t := p.peek(); !p.ended() && !t.quoted && slices.Contains(words, t.text) {
		p.next++
		return true
	}
	return false
}

// ahead says whether words follow each other next, and takes them.
func (p *parser) ahead(words ...string) bool {
	for i, w := range words {
		p.look(p.next+i, w)
		if p.next+i >= len(p.tokens) {
			p.offerBehind(w)
		}
		if p.next+i >= len(p.tokens) || p.tokens[p.next+i].quoted || p.tokens[p.next+i].text != w {
			return false
		}
	}
	p.next += len(words)
	return true
}

func (p *parser) want(word string) error {
	if !p.is(word) {
		return p.expected(word)
	}
	return nil
}

// expected says what should stand where something else does.
func (p *parser) expected(what string) error {
	if p.ended() {
		return at(p.peek(), "expected %s, and the text ends", what)
	}
	return at(p.peek(), "expected %s, not %.40q%s", what, p.peek().text, p.meant())
}

// verbs begin steps, and errandVerbs those that only errands have.
var (
	verbs       = []string{"press", "set", "run", "wait", "if", "notify"}
	errandVerbs = append(slices.Clone(verbs), "start", "end", "mark", "unmark", "send")
)

func (p *parser) verbs() []string {
	if p.full != nil {
		return errandVerbs
	}
	return verbs
}

// rules are the words behind "if" that begin a rule of an errand instead of a step.
var rules = []string{"missed", "unknown", "doubtful", "busy"}

// isRule says whether a rule of an errand comes next.
func (p *parser) isRule() bool {
	if p.full != nil && p.isNext("if") && p.next+1 == len(p.tokens) {
		p.offerBehind(rules...)
	}
	return p.full != nil && p.isNext("if") && p.next+1 < len(p.tokens) && !p.tokens[p.next+1].quoted &&
		slices.Contains(rules, p.tokens[p.next+1].text)
}

// steps reads steps until something comes that is none.
func (p *parser) steps(depth int) (out []Step, err error) {
	if depth > MaxDepth {
		return nil, at(p.peek(), "conditions are more than %d deep in each other: make a sequence of the inner ones",
			MaxDepth)
	}
	for {
		s, err := p.step(depth)
		if err != nil {
			return nil, err
		}
		if out = append(out, s); len(out) > MaxSteps {
			return nil, at(p.peek(), "there are more than %d steps: make several sequences, and run one from the other",
				MaxSteps)
		}
		switch {
		case p.is(";"), p.ahead(",", "then"), p.is("then"):
		case p.isRule():
			return out, nil
		case p.next+1 < len(p.tokens) && p.peek().text == "," && slices.Contains(p.verbs(), p.tokens[p.next+1].text):
			p.next++
		case p.next > 0 && !p.ended() && p.peek().line > p.tokens[p.next-1].line &&
			slices.Contains(p.verbs(), p.peek().text): // a step in a line of its own
		default:
			return out, nil
		}
		if p.ended() || p.isRule() || p.isNext(")", "afterwards") { // a last ; or then
			return out, nil
		}
	}
}

func (p *parser) step(depth int) (Step, error) {
	begin := p.peek()
	var s Step
	var err error
	switch {
	case p.is("press"):
		s.Press, err = p.press()
	case p.is("set"):
		s.Set, err = p.set()
	case p.is("run"):
		s.Call, err = p.call()
	case p.is("wait"):
		s.Wait, err = p.wait()
	case p.is("if"):
		s.If, err = p.choice(depth)
	case p.is("notify"):
		if !p.peek().quoted {
			return s, p.expected(`a text in quotation marks, such as "the dome is open"`)
		}
		s.Notify = p.peek().text
		p.next++
		if strings.TrimSpace(s.Notify) == "" {
			return s, at(begin, "the notice says nothing: write a text between the quotation marks")
		}
	case p.full != nil && p.isNext("start", "end", "mark", "unmark", "send"):
		return p.errandStep()
	case p.ahead("turn", "on"), p.ahead("switch", "on"):
		return p.turn("on")
	case p.ahead("turn", "off"), p.ahead("switch", "off"):
		return p.turn("off")
	case p.is("toggle"):
		return p.toggle()
	default:
		text := begin.text
		if near := device.Nearest(text, p.verbs()); text != "" {
			return s, at(begin, "%.40q is no step: write %s; nearest are %s", text, strings.Join(p.verbs(), ", "), near)
		}
		return s, p.expected("a step: " + strings.Join(p.verbs(), ", "))
	}
	return s, err
}

// turn reads what people also write for setting the power of something: turn on boardwalk.
func (p *parser) turn(to string) (Step, error) {
	c, err := p.power()
	if err == nil {
		c.Value, err = to, p.names.Control(c.On, c.Control, to)
	}
	s := &Set{Changes: []Wanted{c}}
	if err == nil {
		err = p.hold(s)
	}
	return Step{Set: s}, err
}

// toggle reads what people also write for: if it is on, set it to off, else to on.
func (p *parser) toggle() (Step, error) {
	c, err := p.power()
	if err != nil {
		return Step{}, err
	}
	to := func(value string) []Step {
		c.Value = value
		return []Step{{Set: &Set{Changes: []Wanted{c}}}}
	}
	return Step{If: &Choice{Cond: Cond{Test: &Test{On: c.On, Control: c.Control, Is: Equals, Value: "on"}},
		Do: to("off"), Else: to("on")}}, nil
}

// power reads a device, group or room of which the power is meant, or the control itself.
func (p *parser) power() (Wanted, error) {
	t := p.peek()
	if p.has(0, "/") && !strings.HasPrefix(t.text, "room/") {
		c, _, err := p.control()
		return c, err
	}
	on, err := p.named("device", p.names.Target)
	if err == nil {
		if err = p.names.Control(on, "power", ""); err != nil {
			err = at(t, "%w", err)
		}
	}
	return Wanted{On: on, Control: "power"}, err
}

// errandStep reads a step that only errands have.
func (p *parser) errandStep() (s Step, err error) {
	switch {
	case p.is("start"):
		on, err := p.named("occasion", p.full.Occasion)
		s.Start = &Start{On: on}
		if err == nil && p.is("over") {
			s.Start.Over, err = true, p.want("people")
		}
		return s, err
	case p.is("end"):
		on, err := p.named("occasion", p.full.Occasion)
		s.End = &on
		return s, err
	case p.is("mark"):
		s.Mark, err = p.slug("the name of a marker")
	case p.is("unmark"):
		s.Unmark, err = p.slug("the name of a marker")
	case p.is("send"):
		s.Send = &Send{}
		if s.Send.Name, err = p.slug("the name of what is sent"); err == nil && p.peek().quoted && !p.ended() {
			s.Send.Text, err = p.text("a text")
		}
	}
	return s, err
}

// path reads DEVICE/NAME, of which the last part is a key or control.
func (p *parser) path(what string) (Target, string, token, error) {
	p.offer(Offer{Kind: map[string]string{"DEVICE/KEY": "key", "DEVICE/CONTROL": "control"}[what]})
	t := p.peek()
	i := strings.LastIndexByte(t.text, '/')
	if t.quoted || i <= 0 || i == len(t.text)-1 {
		return Target{}, "", t, p.expected(what + ", such as boardwalk/power")
	}
	p.next++
	on, err := p.names.Target(t.text[:i])
	if err != nil {
		return on, "", t, at(t, "%w", err)
	}
	return on, t.text[i+1:], t, nil
}

func (p *parser) press() (*Press, error) {
	on, key, t, err := p.path("DEVICE/KEY")
	if err != nil {
		return nil, err
	}
	if on.Kind != Device && on.Kind != Reins {
		return nil, at(t, "a key is pressed on one device, and %s is a %s", on.Was, on.Kind)
	}
	if err := p.names.Key(on, key); err != nil {
		return nil, at(t, "%w", err)
	}
	s := &Press{On: on, Key: key}
	if n, ok := p.count(); ok {
		s.Times = n
	}
	if p.is("held") {
		p.is("for")
		s.Held, err = p.dur()
	}
	if s.Times == 1 {
		s.Times = 0
	}
	return s, err
}

// count reads "2 times".
func (p *parser) count() (int, bool) {
	if p.is("twice") {
		return 2, true
	}
	if p.next+1 >= len(p.tokens) || p.tokens[p.next+1].text != "times" && p.tokens[p.next+1].text != "time" {
		return 0, false
	}
	n, err := strconv.Atoi(p.peek().text)
	if err != nil || n < 1 {
		return 0, false
	}
	p.next += 2
	return n, true
}

func (p *parser) set() (*Set, error) {
	s := &Set{}
	if p.is("(") {
		for {
			c, t, err := p.control()
			if err != nil {
				return nil, err
			}
			if p.is("by") {
				err = p.amount(&c, t)
			} else {
				p.is("to")
				err = p.value(&c, t)
			}
			if err != nil {
				return nil, err
			}
			s.Changes = append(s.Changes, c)
			if p.is(",") || p.is("and") {
				continue
			}
			if err := p.want(")"); err != nil {
				return nil, err
			}
			break
		}
		return s, p.hold(s)
	}
	var places []token
	for {
		c, t, err := p.control()
		if err != nil {
			return nil, err
		}
		s.Changes, places = append(s.Changes, c), append(places, t)
		if !p.is("and") {
			break
		}
	}
	switch {
	case p.is("to"):
		first := p.next
		for i := range s.Changes {
			p.next = first
			if err := p.value(&s.Changes[i], places[i]); err != nil {
				return nil, err
			}
		}
	case p.is("by"):
		first := p.next
		for i := range s.Changes {
			p.next = first
			if err := p.amount(&s.Changes[i], places[i]); err != nil {
				return nil, err
			}
		}
	default:
		return nil, p.expected("to and a value, or by and a number of steps")
	}
	return s, p.hold(s)
}

func (p *parser) control() (Wanted, token, error) {
	on, name, t, err := p.path("DEVICE/CONTROL")
	if err != nil {
		return Wanted{}, t, err
	}
	if on.Kind == Measurement {
		return Wanted{}, t, at(t, "%s is a measurement, which cannot be set", t.text)
	}
	if err := p.names.Control(on, name, ""); err != nil {
		return Wanted{}, t, at(t, "%w", err)
	}
	return Wanted{On: on, Control: name}, t, nil
}

// value reads a value that a control is wanted at.
func (p *parser) value(c *Wanted, place token) error {
	p.offer(Offer{Kind: "value", Of: place.text})
	v, err := p.plainValue()
	if err != nil {
		return err
	}
	c.Value = v
	if err := p.names.Control(c.On, c.Control, v); err != nil {
		return at(place, "%w", err)
	}
	return nil
}

// plainValue reads a word, or a number, behind which a unit may stand.
func (p *parser) plainValue() (string, error) {
	t := p.peek()
	if t.quoted || t.text == "" || strings.ContainsAny(t.text, "(),;/") {
		return "", p.expected("a value")
	}
	p.next++
	if m := glued.FindStringSubmatch(t.text); m != nil && slices.Contains(quantities, m[2]) {
		return m[1], nil
	}
	if numberRule.MatchString(t.text) {
		p.is(quantities...)
	}
	return t.text, nil
}

// amount reads how many steps a dial is wanted from where it is.
func (p *parser) amount(c *Wanted, place token) error {
	t := p.peek()
	v, err := p.plainValue()
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(strings.TrimPrefix(v, "+"))
	switch {
	case err != nil || n == 0:
		return at(t, "by takes a number of steps, such as +3 or -2, not %.40q", t.text)
	case n > 0:
		c.Value = fmt.Sprintf("up %d", n)
	default:
		c.Value = fmt.Sprintf("down %d", -n)
	}
	if err := p.names.Control(c.On, c.Control, c.Value); err != nil {
		return at(place, "%w", err)
	}
	return nil
}

// hold reads "for 10 min and back".
func (p *parser) hold(s *Set) (err error) {
	switch {
	case p.isNext("after", "in"):
		return p.expected("then, for or the end: for a pause write wait 10 min then set …, and for a time after " +
			"something happened when 10 min after …")
	case p.full != nil && p.is("until"):
		until, err := p.point()
		if err != nil {
			return err
		}
		s.Until = &until
	case !p.is("for"):
		return nil
	default:
		if s.Hold, err = p.dur(); err != nil {
			return err
		}
	}
	if err := p.want("and"); err != nil {
		span := "for " + Dur(s.Hold)
		if s.Until != nil {
			span = "until " + PointText(*s.Until)
		}
		return fmt.Errorf("%w: write %s and back, or and then a value", err, span)
	}
	switch {
	case p.is("back"):
		return nil
	case p.is("then"):
		c := s.Changes[0]
		if len(s.Changes) != 1 {
			return at(p.peek(), "then goes with one control: write and back")
		}
		if err := p.value(&c, p.peek()); err != nil {
			return err
		}
		s.Then = c.Value
		return nil
	}
	return p.expected("back, or then and a value")
}

func (p *parser) call() (*Target, error) {
	p.offer(Offer{Kind: "sequence"})
	t := p.peek()
	if t.quoted || t.text == "" {
		return nil, p.expected("the name of a sequence")
	}
	p.next++
	on, err := p.names.Sequence(t.text)
	if err != nil {
		return nil, at(t, "%w", err)
	}
	return &on, nil
}

func (p *parser) wait() (*Wait, error) {
	if !p.is("until") {
		p.is("for")
		d, err := p.dur()
		return &Wait{For: d}, err
	}
	w := &Wait{}
	if p.full != nil {
		if p.isPoint() {
			point, err := p.point()
			return &Wait{Point: &point}, err
		}
		begin := p.next
		if s, err := p.sudden(); err == nil && p.isNext("at") {
			w.Happens = &s
		} else {
			p.next = begin
		}
	}
	if w.Happens == nil {
		c, err := p.cond(0)
		if err != nil {
			return nil, err
		}
		w.Until = &c
	}
	if !p.ahead("at", "most") {
		return nil, p.expected("at most and a time")
	}
	d, err := p.dur()
	w.For = d
	return w, err
}

func (p *parser) choice(depth int) (*Choice, error) {
	c, err := p.cond(0)
	if err != nil {
		return nil, err
	}
	out := &Choice{Cond: c}
	if err := p.want("do"); err != nil {
		return nil, err
	}
	if out.Do, err = p.part(depth + 1); err != nil {
		return nil, err
	}
	switch {
	case !p.is("else"):
	case p.is("if"):
		inner, err := p.choice(depth + 1)
		if err != nil {
			return nil, err
		}
		out.Else = []Step{{If: inner}}
	default:
		out.Else, err = p.part(depth + 1)
	}
	return out, err
}

// part reads one step, or several in brackets.
func (p *parser) part(depth int) ([]Step, error) {
	if p.is("(") {
		steps, err := p.steps(depth)
		if err != nil {
			return nil, err
		}
		return steps, p.want(")")
	}
	if p.peek().text == "if" {
		return nil, p.expected("a step, or steps in brackets: do (if ... )")
	}
	s, err := p.step(depth)
	return []Step{s}, err
}

// cond reads conditions: and binds tighter than or.
func (p *parser) cond(depth int) (Cond, error) {
	return p.joined(depth, "or", func(all []Cond) Cond { return Cond{Any: all} }, func(depth int) (Cond, error) {
		return p.joined(depth, "and", func(all []Cond) Cond { return Cond{All: all} }, p.not)
	})
}

func (p *parser) joined(depth int, by string, as func([]Cond) Cond, read func(int) (Cond, error)) (Cond, error) {
	if depth > MaxDepth {
		return Cond{}, at(p.peek(), "the condition is more than %d deep", MaxDepth)
	}
	first, err := read(depth)
	if err != nil {
		return first, err
	}
	all := []Cond{first}
	for p.is(by) {
		c, err := read(depth)
		if err != nil {
			return c, err
		}
		if all = append(all, c); len(all) > MaxChanges {
			return c, at(p.peek(), "the condition has more than %d parts", MaxChanges)
		}
	}
	if len(all) == 1 {
		return first, nil
	}
	return as(all), nil
}

func (p *parser) not(depth int) (Cond, error) {
	if p.is("not") {
		c, err := p.not(depth + 1)
		return Cond{Not: &c}, err
	}
	if depth > MaxDepth {
		return Cond{}, at(p.peek(), "the condition is more than %d deep", MaxDepth)
	}
	if p.is("(") {
		c, err := p.cond(depth + 1)
		if err != nil {
			return c, err
		}
		return c, p.want(")")
	}
	if p.full != nil {
		if c, is, err := p.moment(); is {
			return c, err
		}
	}
	t, err := p.test()
	return Cond{Test: &t}, err
}

// relations are how comparisons are written.
var relations = []struct {
	words []string
	is    Relation
}{
	{[]string{"is", "above"}, Above}, {[]string{"is", "below"}, Below}, {[]string{"may", "be"}, MayBe},
	{[]string{"above"}, Above}, {[]string{"below"}, Below}, {[]string{">"}, Above}, {[]string{"<"}, Below},
	{[]string{"is"}, Equals},
}

func (p *parser) test() (Test, error) {
	out := Test{}
	if p.full != nil {
		if out.Which = p.pathKind(); out.Which == "key" {
			return out, p.expected("pressed within and a time, behind a key")
		}
	}
	p.offer(Offer{Kind: "control"}, Offer{Kind: "measurement"})
	t := p.peek()
	if t.quoted || !strings.Contains(t.text, "/") {
		return out, p.expected("DEVICE/CONTROL or a measurement, such as boardwalk/power")
	}
	i := strings.LastIndexByte(t.text, '/')
	on, err := p.names.Target(t.text[:i])
	if err == nil && on.Kind != Measurement && out.Which != "measurement" &&
		p.names.Control(on, t.text[i+1:], "") == nil {
		out.On, out.Control = on, t.text[i+1:]
	} else if measured, nothing := p.names.Target(t.text); nothing == nil && measured.Kind == Measurement &&
		out.Which != "control" {
		out.On = measured
	} else if err != nil {
		return out, at(t, "%w", err)
	} else {
		return out, at(t, "%w", p.names.Control(on, t.text[i+1:], ""))
	}
	p.next++
	not := false
	for _, r := range relations {
		if !p.ahead(r.words...) {
			continue
		}
		out.Is = r.is
		not = r.is == Equals && p.is("not")
		break
	}
	if out.Is == "" {
		return out, p.expected("is, may be, above or below")
	}
	if not {
		return out, at(t, "write not %s is ...", t.text)
	}
	p.offer(Offer{Kind: "value", Of: t.text})
	place := p.peek()
	if out.Value, err = p.plainValue(); err != nil {
		return out, err
	}
	out.Unit = p.unitBefore(place)
	numeric := out.Is == Above || out.Is == Below || out.On.Kind == Measurement
	if numeric && !numberRule.MatchString(out.Value) {
		return out, at(place, "expected a number, not %.40q", place.text)
	}
	if out.On.Kind != Measurement {
		if err := p.names.Control(out.On, out.Control, out.Value); err != nil {
			return out, at(place, "%w", err)
		}
	}
	if p.full == nil {
		return out, nil
	}
	if (out.Is == Above || out.Is == Below) && p.is("until") {
		q, err := p.quantity()
		if err != nil {
			return out, err
		}
		out.Until = &q
	}
	out.For, err = p.stays()
	return out, err
}

// unitBefore is the unit of a number that was just read and began at a token, "" where it had none.
func (p *parser) unitBefore(first token) string {
	if m := glued.FindStringSubmatch(first.text); m != nil && slices.Contains(quantities, m[2]) {
		return properly(m[2])
	}
	if last := p.tokens[p.next-1]; last != first && slices.Contains(quantities, last.text) {
		return properly(last.text)
	}
	return ""
}

// dur reads a time: "3 s", "1 h 30 min", "90s", "1h30min".
func (p *parser) dur() (total time.Duration, err error) {
	p.offer(Offer{Kind: "span"})
	for first := true; ; first = false {
		t := p.peek()
		d, glued := gluedDur(t.text)
		switch {
		case t.quoted || p.ended():
		case glued:
			p.next++
			total += d
			continue
		case numberRule.MatchString(t.text) && p.next+1 < len(p.tokens):
			p.look(p.next+1, "ms", "s", "min", "h")
			n, err := strconv.ParseFloat(t.text, 64)
			if unit := unitOf(p.tokens[p.next+1].text); unit > 0 && err == nil && n >= 0 && n <= mostOfUnit {
				total += time.Duration(n * float64(unit))
				p.next += 2
				continue
			}
		}
		if first {
			return 0, p.expected("a time, such as 3 s or 10 min")
		}
		return total, nil
	}
}

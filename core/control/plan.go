package control

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"urbo/core/fault"
)

// ErrPlan is wrapped where what is wanted cannot be: the text says why.
var ErrPlan = fault.New(fault.Invalid, "cannot be set")

// MaxPlan is the longest that a plan may take.
const MaxPlan = 10 * time.Minute

// Want is a control and the value that it is wanted at. Of a dial, "up 3" and "down 2" are so many steps from where it
// is, and so are +3 and -2 where the dial has no values below 0.
type Want struct {
	Control string `json:"control"`
	Value   string `json:"value"`
}

// Request says how something is wanted.
type Request struct {
	Wants []Want
	// Asked says that a person waits: keys that set a value are pressed even where it is believed so already.
	Asked bool
	// Sparing says that nothing is pressed for what is believed to be so, even where that is not certain.
	Sparing bool
	// Gap is the least time between two presses of the device.
	Gap time.Duration
	// Holds are the keys that can be held down.
	Holds []string
	// Moves are the other devices that obey a key as well, by key.
	Moves map[string][]string
	// Blind says that what is believed is worth nothing: what is pressed has to lead there from everything.
	Blind bool
}

// Step is a key that is pressed.
type Step struct {
	Key string `json:"key"`
	// For is the control that it leads to what is wanted; "" where it is for several.
	For string `json:"for,omitempty"`
	// Frame is what a frame says that carries several controls, by control; then there is no key.
	Frame map[string]string `json:"frame,omitempty"`
	Times int               `json:"times"`
	Hold  time.Duration     `json:"hold,omitempty"` // how long it is held down; 0 is a short press
	Wait  time.Duration     `json:"wait,omitempty"` // before it, from the press before, or its end where it was held
	Gap   time.Duration     `json:"gap,omitempty"`  // between its presses
	// NotLater is how long after the press before it must be pressed: else the rest is given up. 0 is no matter.
	NotLater time.Duration `json:"not_later,omitempty"`
}

// HelpKind is a way to go on where nothing is sure.
type HelpKind string

// The ways.
const (
	HelpTell   HelpKind = "tell"   // say what it is at
	HelpPress  HelpKind = "press"  // press a key once, whatever it is at
	HelpSensor HelpKind = "sensor" // something that measures it would tell
	HelpFeed   HelpKind = "feed"   // switch on what feeds the device
)

// Help is a way to go on.
type Help struct {
	Kind    HelpKind `json:"kind"`
	Control string   `json:"control"`
	Key     string   `json:"key,omitempty"`
	Text    string   `json:"text"`
}

// Plan is the presses after which everything wanted is so, from every possibility.
type Plan struct {
	Steps   []Step        `json:"steps"`
	Settle  time.Duration `json:"settle,omitempty"` // after the last press
	Takes   time.Duration `json:"takes"`
	Sure    bool          `json:"sure"`
	Already []string      `json:"already,omitempty"` // controls that are believed to be so, and were left alone
	Helps   []Help        `json:"helps,omitempty"`
	// Asks are controls of which it is doubtful, or not known, what they are at: somebody who looks could tell.
	Asks []Ask    `json:"asks,omitempty"`
	Also []string `json:"also,omitempty"` // other devices that obey what is pressed as well
}

// Ask is a control that somebody could look at, with the values that it has.
type Ask struct {
	Control string   `json:"control"`
	Values  []string `json:"values"`
}

// Cut says whether a plan may be given up, or made anew, after a step: nothing is half done there that goes on by
// itself, and nothing waits for a second press. Before its first step any may be.
func (p Plan) Cut(step int) bool {
	return step < 0 || step+1 >= len(p.Steps) || p.Steps[step+1].NotLater == 0
}

// Presses counts the presses of a plan.
func (p Plan) Presses() (n int) {
	for _, s := range p.Steps {
		n += s.Times
	}
	return n
}

// pace is the least time between two presses: as long as one takes, and a silence.
const pace = 450 * time.Millisecond

// wish is a want with places for names.
type wish struct {
	control  int
	value    int
	relative int // steps from where it is
}

// planner makes a plan, and follows what is believed while it goes.
type planner struct {
	spec     *Spec
	ask      Request
	wants    []wish
	spoiling bool
	tidy     bool // only keys are used that change nothing else
	left     bool // a key was left out for that
	began    Belief
	cur      Belief    // after the presses so far
	now      time.Time // of the last press
	due      time.Time // nothing is pressed before
	until    time.Time // everything has come about by then
	stuck    bool      // there is no way from here
	plan     Plan
	about    string // the control that is being set
}

// Plan is the presses that lead to what is wanted. Where no presses surely do, it is not Sure, and says what would
// help. Errors wrap ErrForm or ErrPlan.
func (s *Spec) Plan(b Belief, ask Request, now time.Time) (Plan, error) {
	now = clean(now)
	if ask.Blind {
		b = s.Nothing()
	}
	first, err := s.plan(b, ask, now, false)
	if err != nil || first.Sure || len(ask.Wants) == 1 {
		return first, err
	}
	// A key that sets one of them may change another one: then that one goes last.
	ask.Wants = slices.Clone(ask.Wants)
	for range ask.Wants {
		ask.Wants = append(ask.Wants[1:], ask.Wants[0])
		if p, err := s.plan(b, ask, now, true); err == nil && p.Sure {
			return p, nil
		}
	}
	return first, nil
}

// plan makes a plan that sets one control after another in the order of the wants. Keys that change another wanted
// control as well are used where spoiling is allowed.
func (s *Spec) plan(b Belief, ask Request, now time.Time, spoiling bool) (Plan, error) {
	p := &planner{spec: s, ask: ask, spoiling: spoiling, began: b, cur: s.at(b, now), now: now, due: now, until: now}
	p.cur.planned = true
	power, err := p.read()
	if err != nil {
		return Plan{}, err
	}
	if p.mayLackPower() && (power == nil || power.want == nil || power.want.value != 0) {
		p.noPower()
		return p.plan, nil
	}
	framed := slices.Contains(s.framed, s.power)
	if power != nil && !framed {
		p.about = s.controls[s.power].Name
		p.tidily(func() { p.switchTo(*power) })
		p.about = ""
	}
	if !framed {
		power = nil
	}
	p.sendWhole(power)
	switched := !p.stuck                        // else it may not even be on
	for _, slats := range []bool{false, true} { // which a blind turns when it moves
		for _, w := range p.wants {
			c := &s.controls[w.control]
			if w.control != s.power && switched && !slices.Contains(s.framed, w.control) &&
				(c.SlatsOf != "") == slats {
				p.about = c.Name
				if w.relative != 0 || !p.already(w) {
					p.ready(w.control, len(s.controls))
				}
				p.tidily(func() { p.set(w) })
			}
		}
	}
	end := later(now, p.until)
	if len(p.plan.Steps) > 0 {
		end = later(p.until, p.now.Add(p.gap()))
		p.plan.Settle = end.Sub(p.now)
	}
	p.plan.Takes = end.Sub(now)
	if p.plan.Takes > MaxPlan {
		return Plan{}, fmt.Errorf("%w: it would take %.1f min, the most is %.0f: set it in smaller parts", ErrPlan,
			p.plan.Takes.Minutes(), MaxPlan.Minutes())
	}
	final := s.at(p.cur, end)
	p.plan.Sure = !p.stuck
	for _, w := range p.wants {
		if p.plan.Sure && w.relative == 0 && !s.reached(final, w, end) {
			p.plan.Sure = false
			p.help(w.control, "", "its keys act against each other: what one sets, another one changes")
		}
	}
	return p.plan, nil
}

// powerWish is which values of power will do, one bit for each, and whether they were asked for by name.
type powerWish struct {
	mask uint64
	want *wish
}

// read looks up what is wanted. It tells which power that needs, nil where it needs none.
func (p *planner) read() (*powerWish, error) {
	s := p.spec
	if len(p.ask.Wants) == 0 {
		return nil, fmt.Errorf("%w: nothing is wanted: name a control and a value", ErrPlan)
	}
	mask, named := anyPower, (*wish)(nil)
	for _, want := range p.ask.Wants {
		i, err := s.find(want.Control)
		if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(p.wants, func(w wish) bool { return w.control == i }) {
			return nil, fmt.Errorf("%w: %s is wanted twice: leave one out", ErrPlan, want.Control)
		}
		w := wish{control: i}
		form := &s.controls[i]
		if want, err = s.Settled(p.cur, want, p.now); err != nil {
			return nil, err
		}
		if steps, ok := form.steps(want.Value); ok {
			w.relative = steps
		} else if w.value, err = form.index(want.Value); err != nil {
			return nil, err
		}
		p.wants = append(p.wants, w)
		if i == s.power {
			named = &p.wants[len(p.wants)-1]
			mask &= 1 << w.value
			continue
		}
		mask &= s.needs(i)
	}
	switch {
	case mask == 0:
		return nil, fmt.Errorf("%w: with %s %s the rest cannot be: leave one out", ErrPlan, s.controls[s.power].Name,
			s.controls[s.power].text(max(named.value, 0)))
	case s.power < 0 || mask == anyPower, p.onlySteps() && p.may(mask):
		return nil, nil
	}
	return &powerWish{mask, named}, nil
}

// onlySteps says whether all that is wanted is some steps: that is no reason to switch anything.
func (p *planner) onlySteps() bool {
	return !slices.ContainsFunc(p.wants, func(w wish) bool { return w.relative == 0 })
}

// may says whether power may be at one of some values.
func (p *planner) may(mask uint64) bool {
	return slices.ContainsFunc(p.cur.Cases, func(c Case) bool { return c.bit()&mask != 0 })
}

// steps reads a value of a dial that is some steps from where it is.
func (c *Control) steps(value string) (int, bool) {
	switch {
	case c.Kind == Travel: // so many percent
		if n, ok := relative(strings.TrimSuffix(value, "%")); ok {
			return n * wayUnit, true
		}
		return 0, false
	case c.Kind != Dial:
		return 0, false
	case strings.HasPrefix(value, "up "):
		return relative("+" + strings.TrimSpace(value[3:]))
	case strings.HasPrefix(value, "down "):
		return relative("-" + strings.TrimSpace(value[5:]))
	case given(c.Least, 0) < 0: // a sign is the value's own
		return 0, false
	}
	return relative(value)
}

// relative reads +3 and -2.
func relative(value string) (int, bool) {
	if !strings.HasPrefix(value, "+") && !strings.HasPrefix(value, "-") {
		return 0, false
	}
	n, err := strconv.Atoi(value)
	return n, err == nil && n != 0 && n >= -MaxSteps && n <= MaxSteps
}

// Settled is a want as a value: of a travel, so many percent from where it stands are a place on its way. The error
// wraps ErrPlan where it is not known where it stands.
func (s *Spec) Settled(b Belief, w Want, now time.Time) (Want, error) {
	i, err := s.find(w.Control)
	if err != nil {
		return w, err
	}
	c := &s.controls[i]
	n, is := c.steps(w.Value)
	if c.Kind != Travel || !is {
		return w, nil
	}
	now = clean(now)
	may := s.may(s.at(b, now), i, now)
	if !c.narrow(may) {
		return w, fmt.Errorf("%w: %s %s leads on from where it is, and that is not known: tell it, or name a place",
			ErrPlan, c.Name, w.Value)
	}
	at := min(max((may[0].From+may[0].To)/2+n, 0), wholeWay)
	return Want{Control: w.Control, Value: strconv.Itoa((at+wayUnit/2)/wayUnit) + "%"}, nil
}

// Steps is how many steps a want is from where its control is; ok is false where it is a value.
func (s *Spec) Steps(w Want) (steps int, ok bool) {
	i, err := s.find(w.Control)
	if err != nil || s.controls[i].Kind == Travel {
		return 0, false
	}
	return s.controls[i].steps(w.Value)
}

// Relative is the want of so many steps.
func Relative(control string, steps int) Want {
	if steps < 0 {
		return Want{Control: control, Value: fmt.Sprintf("down %d", -steps)}
	}
	return Want{Control: control, Value: fmt.Sprintf("up %d", steps)}
}

// Together is one want instead of two of one control, of which the newer one came while the older was not done: steps
// add up, and steps after a value lead from that value on. Any other newer one takes the place of the older.
func (s *Spec) Together(older, newer Want) Want {
	i, err := s.find(newer.Control)
	if err != nil {
		return newer
	}
	c := &s.controls[i]
	more, is := c.steps(newer.Value)
	if !is {
		return newer
	}
	if before, was := c.steps(older.Value); was {
		return Relative(newer.Control, before+more)
	}
	at, err := c.index(older.Value)
	if err != nil {
		return newer
	}
	return Want{Control: newer.Control, Value: c.text(min(max(at+more, 0), c.size()-1))}
}

// IsOff says whether a want switches the device off: then nothing else that is wanted of it matters.
func (s *Spec) IsOff(w Want) bool {
	i, err := s.find(w.Control)
	if err != nil || i != s.power {
		return false
	}
	if slices.ContainsFunc(s.controls, func(c Control) bool { return c.Kind == Power && c.Name != w.Control }) {
		return false
	}
	n, err := s.controls[i].index(w.Value)
	return err == nil && n == 0
}

// KindOf is the kind of a control, "" where there is none of that name.
func (s *Spec) KindOf(control string) Kind {
	i, err := s.find(control)
	if err != nil {
		return ""
	}
	return s.controls[i].Kind
}

// needs is the values of power under which a control obeys any of its keys.
func (s *Spec) needs(i int) (mask uint64) {
	for _, all := range s.effects {
		for _, e := range all {
			if e.control == i {
				mask |= e.while
			}
		}
	}
	if mask == 0 {
		return anyPower
	}
	return mask
}

// Apart parts wants that cannot be at once: with the power that is wanted, other ones cannot be set. Those have to be
// set before, and power after them. Without such, before is nil.
func (s *Spec) Apart(wants []Want) (before, after []Want) {
	at := slices.IndexFunc(wants, func(w Want) bool { return s.power >= 0 && w.Control == s.controls[s.power].Name })
	if at < 0 {
		return nil, wants
	}
	value, err := s.controls[s.power].index(wants[at].Value)
	if err != nil {
		return nil, wants
	}
	for _, w := range wants {
		if i, err := s.find(w.Control); err == nil && i != s.power && s.needs(i)&(1<<value) == 0 {
			before = append(before, w)
		} else {
			after = append(after, w)
		}
	}
	return before, after
}

// Holds says whether all that is wanted is believed to be so; steps from where something was always are.
func (s *Spec) Holds(b Belief, wants []Want, now time.Time) bool {
	now = clean(now)
	b = s.at(b, now)
	for _, w := range wants {
		i, err := s.find(w.Control)
		if err != nil {
			return false
		}
		if _, steps := s.controls[i].steps(w.Value); steps {
			continue
		}
		n, err := s.controls[i].index(w.Value)
		if err != nil || !s.holds(b, wish{control: i, value: n}, now) {
			return false
		}
	}
	return true
}

// Reached says whether what is wanted is believed to be so, as exactly as anything is known: of a dial that is not
// known to a step, the middle counts. Then nothing is pressed for it.
func (s *Spec) Reached(b Belief, w Want, now time.Time) bool {
	i, err := s.find(w.Control)
	if err != nil {
		return false
	}
	n, err := s.controls[i].index(w.Value)
	now = clean(now)
	return err == nil && s.reached(s.at(b, now), wish{control: i, value: n}, now)
}

// holds says whether a wish is so in every case.
func (s *Spec) holds(b Belief, w wish, now time.Time) bool {
	may := s.may(b, w.control, now)
	if s.controls[w.control].Kind == Travel {
		near := s.controls[w.control].width()
		if w.value == 0 || w.value == wholeWay {
			near = 0
		}
		return len(may) == 1 && may[0].From >= w.value-near && may[0].To <= w.value+near && moving(b, w.control) == 0
	}
	for _, c := range b.Cases {
		if w.control != s.power && c.Possible[w.control].Typed != nil {
			return false
		}
		if w.control == s.power && !c.Armed.From.IsZero() && w.value == 0 {
			return false
		}
	}
	if c := &s.controls[w.control]; c.Kind == Dial && len(may) == 1 {
		return may[0].From >= w.value-c.width() && may[0].To <= w.value+c.width()
	}
	if may.Is(w.value) {
		return true
	}
	v, chance := s.likely(b, w.control, may, now)
	return v == w.value && chance <= mostOff
}

// within is how near to a place on the way counts as there: motors are not exact.
const within = 7 * wayUnit

// press adds a key to the plan, and follows what it does. No case ignores keys by then. Where its first press would
// only show something, there is one more.
func (p *planner) press(step Step) {
	if soon := p.wakeFirst(step); soon > 0 {
		step.NotLater, step.Wait = soon, 0
	}
	p.pressOnce(step)
}

func (p *planner) pressOnce(step Step) {
	at := later(p.now.Add(step.Wait), later(p.due, p.awake()))
	if len(p.plan.Steps) > 0 {
		at = later(at, p.now.Add(p.gap()))
	}
	if step.Times = max(step.Times, 1); step.Times > 1 {
		step.Gap = p.gap()
	}
	step.Wait, p.now, step.For = at.Sub(p.now), at, p.about
	for n := range step.Times {
		if n > 0 {
			p.now = p.now.Add(step.Gap)
		}
		p.cur = p.spec.After(p.cur,
			Press{Key: step.Key, Frame: step.Frame, At: p.now, Held: step.Hold, Outcome: Sent, Source: BySending})
	}
	for _, other := range p.ask.Moves[step.Key] {
		if !slices.Contains(p.plan.Also, other) {
			p.plan.Also = append(p.plan.Also, other)
		}
	}
	p.now = p.now.Add(step.Hold)
	p.plan.Steps = append(p.plan.Steps, step)
}

func (p *planner) gap() time.Duration { return max(pace, p.ask.Gap) }

// settle lets the plan be over no sooner than a while after the last press.
func (p *planner) settle(d time.Duration) { p.until = later(p.until, p.now.Add(d)) }

// hold lets nothing be pressed for a while after the last press.
func (p *planner) hold(d time.Duration) {
	p.settle(d)
	p.due = later(p.due, p.now.Add(d))
}

// awake is when no case ignores keys any more.
func (p *planner) awake() (until time.Time) {
	for _, c := range p.cur.Cases {
		until = later(until, c.Until.To)
	}
	return until
}

// certainly says whether what is wanted is so already, and can be trusted.
func (p *planner) certainly(w wish) bool {
	s := p.spec
	return p.already(w) && s.word(p.cur, w.control, s.may(p.cur, w.control, p.now), p.now) == Certain
}

// rests says whether nothing has to be pressed for a wish.
func (p *planner) rests(w wish) bool {
	if p.ask.Asked {
		return false
	}
	s := p.spec
	return p.certainly(w) || p.ask.Sparing && p.already(w) &&
		s.word(p.cur, w.control, s.may(p.cur, w.control, p.now), p.now) != Doubtful
}

// already says whether what is wanted is believed to be so, as exactly as anything is known.
func (p *planner) already(w wish) bool { return p.spec.reached(p.cur, w, p.now) }

// reached says whether a wish is so in every case. Of a dial that is not known to a step, the middle counts.
func (s *Spec) reached(b Belief, w wish, now time.Time) bool {
	if c := &s.controls[w.control]; c.Kind == Dial {
		may := s.may(b, w.control, now)
		return c.narrow(may) && (may[0].From+may[0].To)/2 == w.value
	}
	return s.holds(b, w, now)
}

// middle is where a dial is in the middle of what it may be at; false where that is too wide.
func (p *planner) middle(control int) (int, bool) {
	may := p.spec.may(p.cur, control, p.now)
	if !p.spec.controls[control].narrow(may) {
		return 0, false
	}
	return (may[0].From + may[0].To) / 2, true
}

// tidily sets something with keys that change nothing else, if there is such a way, and else with any.
func (p *planner) tidily(set func()) {
	before := *p
	p.tidy, p.left = !p.stuck, false
	set()
	if p.left && p.stuck && !before.stuck {
		*p = before
		set()
	}
	p.tidy = false
}

// untidy says whether a key is left out for now, as it changes something else.
func (p *planner) untidy(key string, control int) bool {
	is := p.tidy && p.beside(key, control) > 0
	p.left = p.left || is
	return is
}

// beside is how much a key that is meant for one control changes beside it: other controls, and other devices. Where it
// is doubtful what the control is at, another one of which nothing is known does not count.
func (p *planner) beside(key string, control int) int {
	n := len(p.ask.Moves[key])
	all := p.spec.effects[key]
	if len(all) < 2 {
		return n
	}
	at := later(p.now, later(p.due, p.awake()))
	before := p.spec.at(p.cur, at)
	after := p.spec.After(before, Press{Key: key, At: at, Outcome: Sent, Source: BySending})
	doubtful := p.spec.word(before, control, p.spec.may(before, control, at), at) == Doubtful
	for _, e := range all {
		if e.control == control || p.spec.paired(e.control, control) {
			continue
		}
		was := p.spec.may(before, e.control, at)
		if doubtful && !p.spec.controls[e.control].narrow(was) {
			continue
		}
		if !slices.Equal(was, p.spec.may(after, e.control, at)) {
			n++
		}
	}
	return n
}

// leave notes that a control is believed to be at what is wanted, and was left alone.
func (p *planner) leave(control int) {
	p.plan.Already = append(p.plan.Already, p.spec.controls[control].Name)
}

// help says that a control cannot surely be set, and what would help.
func (p *planner) help(control int, key, why string) {
	p.stuck = true
	p.wonder(control)
	name := p.spec.controls[control].Name
	add := func(kind HelpKind, key, text string) {
		p.plan.Helps = append(p.plan.Helps, Help{kind, name, key, text})
	}
	add(HelpTell, "", fmt.Sprintf("Say what %s is at: %s.", name, why))
	if key != "" {
		add(HelpPress, key, fmt.Sprintf("Press %s once, whatever it is at.", key))
	}
	add(HelpSensor, "", fmt.Sprintf("Something that measures %s would tell.", name))
}

// wonder asks what a control is at, where it has names for that.
func (p *planner) wonder(control int) {
	c := &p.spec.controls[control]
	if c.Kind != Power && c.Kind != Selector || slices.ContainsFunc(p.plan.Asks, func(a Ask) bool {
		return a.Control == c.Name
	}) {
		return
	}
	p.plan.Asks = append(p.plan.Asks, Ask{c.Name, c.Choices()})
}

// goesOn asks what a control is at where a key is pressed that goes on from there, and that is doubtful.
func (p *planner) goesOn(control int) {
	if p.spec.word(p.began, control, p.spec.may(p.began, control, p.now), p.now) == Doubtful {
		p.wonder(control)
	}
}

// keyThat finds a key with an effect on a control that works now in every case. Of several the one that changes least
// beside it comes first, of these the one that does least, and of these the first of the device.
func (p *planner) keyThat(control int, fits func(effect) bool) string {
	s := p.spec
	best, least := "", 0
	for _, key := range s.order {
		all := s.effects[key]
		i := slices.IndexFunc(all, func(e effect) bool {
			return e.control == control && fits(e) && (p.obeys(e) || p.onlySteps())
		})
		if i < 0 || control != s.power && s.turns(key) || p.spoils(key, control) {
			continue
		}
		changes := p.beside(key, control)
		if p.tidy && changes > 0 {
			p.left = true
			continue
		}
		if beside := len(all) + changes*MaxControls; best == "" || beside < least {
			best, least = key, beside
		}
	}
	return best
}

// spoils says whether a key must not be used for a control, as it changes another one that is wanted.
func (p *planner) spoils(key string, control int) bool {
	return slices.ContainsFunc(p.spec.effects[key], func(e effect) bool {
		return e.control != control && e.op != OpDim && !p.spec.paired(e.control, control) &&
			slices.ContainsFunc(p.wants, func(w wish) bool {
				return w.control == e.control && (!p.spoiling || w.relative != 0)
			})
	})
}

// paired says whether two controls are a blind and its slats: every key moves both.
func (s *Spec) paired(a, b int) bool {
	of, is := s.slats[a]
	back, isBack := s.slats[b]
	return is && of == b || isBack && back == a
}

// obeys says whether an effect works in every case, once none ignores keys any more.
func (p *planner) obeys(e effect) bool {
	for i := range p.cur.Cases {
		c := p.cur.Cases[i].clone()
		c.wake()
		if yes, _ := e.heeds(&c); !yes {
			return false
		}
	}
	return true
}

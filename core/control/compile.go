package control

import (
	"fmt"
	"math/bits"
	"slices"
	"strings"
	"time"
)

// Spec is the controls of a device, ready to be worked with.
type Spec struct {
	controls []Control
	power    int // place of the control that switches it, -1 where it has none
	effects  map[string][]effect
	order    []string // keys with effects, in the order of the device
	whole    *Whole   // nil where no frame carries several controls
	framed   []int    // places of the controls that its frames carry

	timers  []int               // places of the controls after whose time the device switches itself off
	waits   bool                // a timer of the device may run
	rests   []int               // places of those that rest, or lapse, without a key
	tied    []int               // by control: the second power that it works with, -1 where with none
	slats   map[int]int         // places of slats, by what they are of
	linksOf map[string][]effect // what links do, by the key that stands for them
	leads   []Lead
	fed     bool // another device feeds it
}

// effect is an Effect with places for names.
type effect struct {
	control int
	op      Op
	arg     int
	while   uint64     // values of power that it needs, one bit for each
	given   *elsewhere // values of another control of which it needs one, nil where it needs none
	skips   uint64     // of round: values that may be passed over, one bit for each
	// hold is how long its key has to be held; below 0, how long it must not be held; 0 is no matter.
	hold time.Duration
}

// elsewhere are values of another control, one bit for each.
type elsewhere struct {
	control int
	values  uint64
}

// anyPower is every value of power.
const anyPower = ^uint64(0)

// Compile works out what each key does. keys are those that the device has; the error wraps ErrForm.
func Compile(keys []string, forms Forms) (*Spec, error) {
	if len(forms.Controls) > MaxControls {
		return nil, fmt.Errorf("%w: %d controls, the most is %d", ErrForm, len(forms.Controls), MaxControls)
	}
	s := &Spec{controls: slices.Clone(forms.Controls), power: -1, effects: map[string][]effect{}, order: keys,
		slats: map[int]int{}, linksOf: map[string][]effect{}}
	for i := range s.controls {
		c := &s.controls[i]
		if err := c.check(forms.Whole.has(c.Name)); err != nil {
			return nil, err
		}
		if slices.ContainsFunc(s.controls[:i], func(o Control) bool { return o.Name == c.Name }) {
			return nil, fmt.Errorf("%w %s is there twice: give one another name", ErrForm, c.Name)
		}
		if c.Kind != Power {
			continue
		}
		if s.power < 0 {
			s.power = i
		} else if err := s.checkSecond(c); err != nil {
			return nil, err
		}
	}
	for i := range s.controls {
		if err := s.compile(i); err != nil {
			return nil, err
		}
	}
	for i := range s.controls {
		if err := s.compileItself(i); err != nil {
			return nil, err
		}
	}
	if err := s.compileWhole(forms.Whole); err != nil {
		return nil, err
	}
	for _, k := range forms.Effects {
		for _, e := range k.Effects {
			if err := s.extra(k.Key, e); err != nil {
				return nil, err
			}
		}
	}
	if err := s.compileLinks(forms); err != nil {
		return nil, err
	}
	for key, all := range s.effects {
		if !slices.Contains(keys, key) {
			return nil, fmt.Errorf("%w %s: there is no key %.40q: name another one, or learn it first", ErrForm,
				s.controls[all[0].control].Name, key)
		}
	}
	return s, nil
}

// compile adds what the form of a control says.
func (s *Spec) compile(i int) error {
	c := &s.controls[i]
	while, given, err := s.while(c.Name, c.While)
	if err != nil {
		return err
	}
	if i == s.power {
		while, given = anyPower, nil
	} else if err := s.checkStart(c); err != nil {
		return err
	}
	if c.Kind == Power && i != s.power && c.While == "" { // it is switched by itself
		while = anyPower
	}
	s.tied = append(s.tied, -1)
	if given != nil && s.controls[given.control].Kind == Power {
		s.tied[i] = given.control
	}
	skips := uint64(0)
	for _, v := range c.Skips {
		skips |= 1 << slices.Index(c.values(), v)
	}
	add := func(key string, op Op, arg int) error {
		if key == "" {
			return nil
		}
		return s.add(key, effect{control: i, op: op, arg: arg, while: while, given: given, skips: skips})
	}
	var errs []error
	note := func(err error) {
		if err != nil {
			errs = append(errs, err)
		}
	}
	switch c.Kind {
	case Power, Selector, Dial:
		for _, v := range sorted(c.Keys) {
			n, _ := c.index(v) // checked before
			note(add(c.Keys[v], OpSet, n))
		}
		for _, k := range c.parts() {
			note(add(k, OpPart, 0))
		}
		round := OpRound
		if c.size() == 2 {
			round = OpFlip
		}
		note(add(c.Round, round, 1))
		note(add(c.Up, OpStep, 1))
		note(add(c.Down, OpStep, -1))
		if c.Hold != "" {
			e := effect{control: i, op: OpDim, while: while, given: given, hold: c.held()}
			s.effects[c.Hold] = append(s.effects[c.Hold], e)
		}
		for _, k := range c.Also {
			note(add(k, OpOn, 1))
		}
	case Digits:
		for d := range 10 {
			key := fmt.Sprint(d)
			if named := c.Keys[key]; named != "" {
				key = named
			} else if !slices.Contains(s.order, key) {
				note(fmt.Errorf("%w %s: there is no key for the digit %d: name it", ErrForm, c.Name, d))
				continue
			}
			note(add(key, OpDigit, d))
		}
		note(add(c.Enter, OpEnter, 0))
		note(add(c.Up, OpVague, 0))
		note(add(c.Down, OpVague, 0))
	case Travel:
		note(add(c.Open, OpMove, 1))
		note(add(c.Close, OpMove, -1))
		note(add(c.Stop, OpStop, 0))
		note(add(c.Round, OpCycle, 0))
	}
	if len(errs) > 0 {
		return errs[0]
	}
	return nil
}

// extra adds what is said of a key beside the forms.
func (s *Spec) extra(key string, e Effect) error {
	i := slices.IndexFunc(s.controls, func(c Control) bool { return c.Name == e.Control })
	if i < 0 {
		return fmt.Errorf("%w: %.40s acts on %.40q: there is no such control", ErrForm, key, e.Control)
	}
	c := &s.controls[i]
	while, given, err := s.while(c.Name, e.While)
	if err != nil {
		return err
	}
	fits := map[Kind][]Op{Power: {OpSet, OpRound, OpFlip, OpOn, OpVague}, Dial: {OpSet, OpStep, OpRound, OpVague},
		Selector: {OpSet, OpRound, OpFlip, OpVague}, Digits: {OpSet, OpDigit, OpEnter, OpVague},
		Travel: {OpMove, OpStop, OpCycle, OpVague}}[c.Kind]
	switch {
	case !slices.Contains(fits, e.Op):
		return fmt.Errorf("%w: %.40s: a %s has no effect %.20q: %s", ErrForm, key, c.Kind, string(e.Op), oneOf(fits))
	case e.Op == OpSet && (e.Arg < 0 || e.Arg >= c.size()), e.Op == OpDigit && (e.Arg < 0 || e.Arg > 9),
		e.Op == OpMove && e.Arg != 1 && e.Arg != -1, e.Op == OpStep && (e.Arg < -MaxSteps || e.Arg > MaxSteps):
		return fmt.Errorf("%w: %.40s: %s cannot be done with %d", ErrForm, key, c.Name, e.Arg)
	case e.Op == OpFlip && c.size() != 2:
		return fmt.Errorf("%w: %.40s: %s has %d values: only two can be flipped", ErrForm, key, c.Name, c.size())
	}
	if i == s.power || c.Kind == Power && e.While == "" {
		while, given = anyPower, nil
	}
	return s.add(key, effect{control: i, op: e.Op, arg: e.Arg, while: while, given: given})
}

// add gives a key an effect. Two on one control under the same condition contradict each other.
func (s *Spec) add(key string, e effect) error {
	for _, other := range s.effects[key] {
		if other.control == e.control && other.while&e.while != 0 && !other.apart(e) && other.op != OpDim {
			return fmt.Errorf("%w %s: %.40s would do two things to it (%s and %s): leave one out, or say while which "+
				"value of power", ErrForm, s.controls[e.control].Name, key, other.op, e.op)
		}
	}
	s.effects[key] = append(s.effects[key], e)
	return nil
}

// apart says whether two effects never work at once: each at another value of one control.
func (e effect) apart(o effect) bool {
	return e.given != nil && o.given != nil && e.given.control == o.given.control &&
		e.given.values&o.given.values == 0
}

// while is the values of power under which something works, one bit for each, and the value of another control where it
// names one, as in "menu on".
func (s *Spec) while(name, value string) (uint64, *elsewhere, error) {
	if control, at, is := strings.Cut(value, " "); is {
		i := slices.IndexFunc(s.controls, func(c Control) bool { return c.Name == control })
		switch {
		case i < 0:
			return 0, nil, fmt.Errorf("%w %.40s: while %.40q: there is no control %.40q", ErrForm, name, value, control)
		case s.controls[i].Name == name:
			return 0, nil, fmt.Errorf("%w %.40s: while %.40q: name another control than itself", ErrForm, name, value)
		case s.controls[i].Kind != Power && s.controls[i].Kind != Selector:
			return 0, nil, fmt.Errorf("%w %.40s: while %.40q: name a selector or a power, %s is a %s", ErrForm,
				name, value,
				control, s.controls[i].Kind)
		}
		n, err := s.controls[i].index(at)
		values := uint64(1) << max(n, 0)
		if err != nil && s.controls[i].Kind == Power && at == "on" { // any but off
			values, err = 1<<s.controls[i].size()-2, nil
		}
		switch {
		case err != nil:
			return 0, nil, fmt.Errorf("%w %.40s: while: %w", ErrForm, name, err)
		case i == s.power:
			return values, nil, nil
		case s.power < 0 || s.controls[i].Kind == Power: // a second power is switched by itself
			return anyPower, &elsewhere{i, values}, nil
		}
		return anyPower &^ 1, &elsewhere{i, values}, nil
	}
	switch {
	case s.power < 0 || value == WhileAny:
		return anyPower, nil, nil
	case value == "" || value == "on":
		return anyPower &^ 1, nil, nil
	}
	n, err := s.controls[s.power].index(value)
	if err != nil {
		return 0, nil, fmt.Errorf("%w %.40s: while %.40q: %s, any, or another control and its value", ErrForm, name,
			value,
			strings.Join(s.controls[s.power].values(), ", "))
	}
	return 1 << n, nil, nil
}

// heeds says whether a case surely obeys an effect, and whether it surely does not.
func (e *effect) heeds(c *Case) (yes, no bool) {
	if e.while&c.bit() == 0 {
		return false, true
	}
	if e.given == nil {
		return true, false
	}
	in, out := false, false
	for _, r := range c.Possible[e.given.control].Ranges {
		for v := r.From; v <= r.To; v++ {
			has := e.given.values&(1<<v) != 0
			in, out = in || has, out || !has
		}
	}
	return !out, !in
}

// lowest is the first of the values that are needed.
func (w *elsewhere) lowest() int { return bits.TrailingZeros64(w.values) }

// checkSecond says what is wrong with a power beside the first one of a device.
func (s *Spec) checkSecond(c *Control) error {
	if c.AgainMS+c.WarmUpMS+c.CoolDownMS > 0 {
		return s.wrong(c, "%s, the first power, may warm up, cool down, or want its key twice: another one may not",
			s.controls[s.power].Name)
	}
	return nil
}

// compileItself adds what a control does by itself, and what its key does while it is held.
func (s *Spec) compileItself(i int) error {
	c := &s.controls[i]
	if err := s.checkTimers(c); err != nil {
		return err
	}
	if i == s.power && c.GoesOffS > 0 || len(c.AfterS) > 0 {
		s.timers = append(s.timers, i)
	}
	s.waits = s.waits || c.GoesOffS > 0 || len(c.AfterS) > 0
	if c.RestMS > 0 || c.LapsesMS > 0 {
		s.rests = append(s.rests, i)
	}
	if c.Hold != "" { // what else its key does is done by a short press
		all := s.effects[c.Hold]
		for k := range all {
			if all[k].op != OpDim {
				all[k].hold = -c.held()
			} else if all[k].control != i {
				return s.wrong(c, "holding %s would change %s as well: leave one out", c.Hold,
					s.controls[all[k].control].Name)
			}
		}
	}
	if c.SlatsOf == "" {
		return nil
	}
	of, err := s.find(c.SlatsOf)
	switch {
	case err != nil:
		return err
	case s.controls[of].Kind != Travel || of == i || s.controls[of].SlatsOf != "":
		return s.wrong(c, "it is the slats of %.40q: name a travel that moves", c.SlatsOf)
	case s.controls[of].slats > 0:
		return s.wrong(c, "%s has slats already: leave one out", c.SlatsOf)
	case c.openTime() >= min(s.controls[of].openTime(), s.controls[of].closeTime()):
		return s.wrong(c, "slats turn before %s moves: that has to take less time than its way", c.SlatsOf)
	}
	s.controls[of].slats, s.slats[i] = c.openTime(), of
	for key, all := range s.effects {
		for _, e := range slices.Clone(all) {
			if e.control == of {
				e.control = i
				s.effects[key] = append(s.effects[key], e)
			}
		}
	}
	return nil
}

// wrong is an error about a control. It wraps ErrForm.
func (s *Spec) wrong(c *Control, format string, args ...any) error {
	return fmt.Errorf("%w %s: "+format, append([]any{ErrForm, c.Name}, args...)...)
}

// checkStart says whether a control can be at what it is said to start with.
func (s *Spec) checkStart(c *Control) error {
	if c.OnStart == "" || c.OnStart == StartKeeps || c.OnStart == StartUnknown {
		return nil
	}
	if _, err := c.index(c.OnStart); err != nil || c.Kind == Travel {
		return fmt.Errorf("%w %s: when switched on, %.40q: keep, unknown, or a value of its own", ErrForm, c.Name,
			c.OnStart)
	}
	return nil
}

// Controls are the forms that it was made of.
func (s *Spec) Controls() []Control { return s.controls }

// find is the place of a control. The error wraps ErrForm and lists those that there are.
func (s *Spec) find(name string) (int, error) {
	if i := slices.IndexFunc(s.controls, func(c Control) bool { return c.Name == name }); i >= 0 {
		return i, nil
	}
	names := make([]string, len(s.controls))
	for i, c := range s.controls {
		names[i] = c.Name
	}
	if len(names) == 0 {
		return 0, fmt.Errorf("%w %.40q: this device has no controls yet: add some", ErrForm, name)
	}
	return 0, fmt.Errorf("%w %.40q: there are %s", ErrForm, name, strings.Join(names, ", "))
}

// Has says whether there is a control. The error wraps ErrForm and lists those that there are.
func (s *Spec) Has(control string) error {
	_, err := s.find(control)
	return err
}

// Settable says whether something can be pressed or sent that sets a control; others are only told.
func (s *Spec) Settable(control string) bool {
	i, err := s.find(control)
	return err == nil && (len(s.controls[i].Made()) > 0 || slices.Contains(s.framed, i))
}

// Check says whether a control can be at a value. The error wraps ErrForm.
func (s *Spec) Check(control, value string) error {
	i, err := s.find(control)
	if err != nil {
		return err
	}
	_, err = s.controls[i].index(value)
	return err
}

// Sets says whether pressing a key again changes nothing more: all that it does is to set values.
func (s *Spec) Sets(key string) bool {
	all := s.effects[key]
	for _, e := range all {
		c := &s.controls[e.control]
		switch {
		case c.Kind == Power && e.op == OpSet && e.arg == 0 && c.AgainMS > 0:
			return false // it has to be pressed twice
		case e.op != OpSet && e.op != OpStop && e.op != OpMove && e.op != OpOn:
			return false
		}
	}
	return len(all) > 0
}

func sorted[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

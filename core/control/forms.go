// Package control knows what can be set on a device that never answers: forms that people fill in, what each key does
// to them, what everything may be set to after some presses, how far that can be trusted, and which presses lead to
// what is wanted.
package control

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"urbo/core/fault"
)

// ErrForm is wrapped by errors about what was filled in; the text says what to do.
var ErrForm = fault.New(fault.Invalid, "control")

// Kind of a control.
type Kind string

// The kinds.
const (
	Power    Kind = "power"    // off, on, or several modes
	Dial     Kind = "dial"     // steps from least to most
	Selector Kind = "selector" // named options
	Digits   Kind = "digits"   // a number that is typed
	Travel   Kind = "travel"   // a way of 0 to 100 %
)

// Kinds are all kinds, in the order in which people think of them.
var Kinds = []Kind{Power, Dial, Selector, Digits, Travel}

// What a dial does at its ends.
const (
	EndsStop  = "stop"
	EndsRound = "round"
	EndsTurn  = "turn" // back, while its key is still held
)

// Where the time counts from after which a device switches itself off.
const (
	FromOn  = "on"
	FromKey = "key"
)

// Which keys let a control show what it is at, so that the next press changes it.
const (
	WokenOwn = "own"
	WokenAny = "any"
)

// Directions of a dial whose one key is held.
const (
	BeginsUp   = "up"
	BeginsDown = "down"
)

// What a control is set to when its device is switched on, beside a value of its own.
const (
	StartKeeps   = "keep"
	StartUnknown = "unknown"
)

// WhileAny is for keys that are obeyed whether the device is on or off.
const WhileAny = "any"

// Bounds of forms.
const (
	MaxControls = 24
	MaxValues   = 64
	MaxSteps    = 1000 // of a dial
	MaxNumber   = 99_999
	MaxTime     = 600_000 // ms
)

// Control is one thing that can be set on a device, as a form. Which members count follows from the kind; times are in
// ms.
type Control struct {
	Name string `json:"name" minLength:"1" maxLength:"40" doc:"a-z, 0-9 and -"`
	Kind Kind   `json:"kind" enum:"power,dial,selector,digits,travel"`

	// Power and selector. A power's first value is off; without values it has off and on.
	Values []string          `json:"values,omitempty" maxItems:"64" doc:"Of a power (off first) or selector, in the order in which its round key goes; the ends of a travel, closed first"`
	Keys   map[string]string `json:"keys,omitempty" doc:"Keys that set a value, by value; of digits, where they are not named 0 to 9"`
	Round  string            `json:"round,omitempty" maxLength:"40" doc:"Key that goes round: to the next value, the next step, or open, stop, close, stop"`

	// Sequences are keys that set an option of a selector together, by option.
	Sequences map[string][]string `json:"sequences,omitempty" doc:"Of a selector: keys that are pressed one after another, by value"`

	// Power.
	Also       []string `json:"also,omitempty" maxItems:"64" doc:"Other keys that switch it on as well"`
	AgainMS    int      `json:"again_ms,omitempty" minimum:"0" maximum:"600000" doc:"Off must be pressed twice within this time"`
	WarmUpMS   int      `json:"warm_up_ms,omitempty" minimum:"0" maximum:"600000" doc:"After switching on it ignores keys for so long"`
	CoolDownMS int      `json:"cool_down_ms,omitempty" minimum:"0" maximum:"600000" doc:"After switching off it ignores keys for so long"`
	MainsFail  string   `json:"mains_fail,omitempty" maxLength:"40" doc:"What a mains failure leaves it at: keep, or a value; nothing is not known"`
	LongestS   int      `json:"longest_on_s,omitempty" minimum:"0" maximum:"604800" doc:"Urbo switches it off when it was on for so long"`

	// Dial and digits.
	Least *float64 `json:"least,omitempty" doc:"Lowest value of a dial or digits"`
	Most  *float64 `json:"most,omitempty" doc:"Highest value"`
	Step  float64  `json:"step,omitempty" minimum:"0" doc:"Of a dial; 0 is 1"`
	Unit  string   `json:"unit,omitempty" maxLength:"12" doc:"In which it is shown"`
	Up    string   `json:"up,omitempty" maxLength:"40" doc:"Key for one step up"`
	Down  string   `json:"down,omitempty" maxLength:"40" doc:"Key for one step down"`
	Rate  float64  `json:"rate,omitempty" minimum:"0" maximum:"100" doc:"Steps in a second while its key is held; 0 is not known"`
	Ends  string   `json:"ends,omitempty" enum:"stop,round,turn" doc:"What a dial does at its ends; turn is back, while its one key is held"`

	// Digits.
	Enter      string         `json:"enter,omitempty" maxLength:"40" doc:"Key that ends the typing, where it is needed"`
	Fewest     int            `json:"fewest,omitempty" minimum:"0" maximum:"5" doc:"Digits that have to be typed, with leading zeros"`
	PauseMS    int            `json:"pause_ms,omitempty" minimum:"0" maximum:"600000" doc:"Between two digits; 0 is 400 ms"`
	TimeoutMS  int            `json:"timeout_ms,omitempty" minimum:"0" maximum:"600000" doc:"After the last digit the number counts, 0 is 3 s; of a selector, a sequence is forgotten, 0 is 10 s"`
	Favourites map[string]int `json:"favourites,omitempty" doc:"Numbers by their names"`

	// Travel.
	Open    string `json:"open,omitempty" maxLength:"40"`
	Close   string `json:"close,omitempty" maxLength:"40"`
	Stop    string `json:"stop,omitempty" maxLength:"40"`
	OpenMS  int    `json:"open_ms,omitempty" minimum:"0" maximum:"600000" doc:"For the full way from closed to open"`
	CloseMS int    `json:"close_ms,omitempty" minimum:"0" maximum:"600000" doc:"For the full way from open to closed; 0 is as long as opening"`
	DelayMS int    `json:"delay_ms,omitempty" minimum:"0" maximum:"600000" doc:"Until it starts to move"`

	// What a device does by itself.
	GoesOffS    int            `json:"goes_off_s,omitempty" minimum:"0" maximum:"604800" doc:"Of a power: it switches itself off when it was on for so long"`
	GoesOffFrom string         `json:"goes_off_from,omitempty" enum:"on,key" doc:"That time counts from when it was switched on, or begins anew with each key; nothing is on"`
	AfterS      map[string]int `json:"after_s,omitempty" doc:"Of a selector that is the device's timer: after so long the device switches itself off, by value"`
	LapsesMS    int            `json:"lapses_ms,omitempty" minimum:"0" maximum:"600000" doc:"Of a selector, such as a menu: it goes back to its first value when no key was pressed for so long"`
	RestMS      int            `json:"rest_ms,omitempty" minimum:"0" maximum:"600000" doc:"After so long without a key the next press only shows what it is at"`
	Woken       string         `json:"woken,omitempty" enum:"own,any" doc:"Which keys show that: those of the control, or any of the device; nothing is own"`
	Skips       []string       `json:"skips,omitempty" maxItems:"64" doc:"Of a selector: values that its round key may pass over, such as inputs where nothing is plugged in"`

	// A dial whose one key is held.
	Hold       string  `json:"hold,omitempty" maxLength:"40" doc:"Of a dial: key that changes it while it is held, in the other direction at each hold"`
	HoldMS     int     `json:"hold_ms,omitempty" minimum:"0" maximum:"600000" doc:"How long it is held before that begins; 0 is 500 ms"`
	HoldBegins string  `json:"hold_begins,omitempty" enum:"up,down" doc:"Direction of the first hold after switching on; nothing is not known"`
	RateLater  float64 `json:"rate_later,omitempty" minimum:"0" maximum:"100" doc:"Steps in a second after its key was held for a while, where that is another rate"`
	RateMS     int     `json:"rate_ms,omitempty" minimum:"0" maximum:"600000" doc:"How long its key is held until then"`

	// SlatsOf makes a travel the slats of another one: open_ms is how long they turn, before the blind moves.
	SlatsOf string `json:"slats_of,omitempty" maxLength:"40" doc:"Of a travel: it is the slats of this one, which turn before it moves; open_ms is how long they turn"`

	slats time.Duration // of a travel: how long its slats turn, as another control says

	// Guessed names members that were proposed, and that nobody has said yet.
	Guessed []string `json:"guessed,omitempty" maxItems:"8" doc:"Members that were proposed, and that nobody has said yet"`

	// What counts for all but power.
	OnStart string `json:"on_start,omitempty" maxLength:"40" doc:"When the device is switched on: keep, unknown, or a value"`
	While   string `json:"while,omitempty" maxLength:"81" doc:"Value of power that its keys need, or a selector or second power and its value (menu off, lamp on); any is any, and nothing is on"`
}

// KeyEffects is what a key does beside what the forms say.
type KeyEffects struct {
	Key     string   `json:"key" maxLength:"40"`
	Effects []Effect `json:"effects" maxItems:"24"`
}

// Forms are the controls of a device, and what its keys do beside them.
type Forms struct {
	Controls []Control    `json:"controls,omitempty" maxItems:"24" doc:"What can be set on it"`
	Effects  []KeyEffects `json:"effects,omitempty" maxItems:"200" doc:"What keys do beside that: volume-up ends mute"`
	Whole    *Whole       `json:"whole,omitempty" doc:"Line code whose frames carry several controls at once, such as of a heat pump"`
	Links    []Link       `json:"links,omitempty" maxItems:"16" doc:"What other devices do to it over their cable: the player that is switched on switches it on"`
	Fed      *Feed        `json:"fed,omitempty" doc:"The power of another device that feeds it, such as of a socket strip"`
}

// Op is what an effect does to a control.
type Op string

// The effects of keys.
const (
	OpSet   Op = "set"   // to a value (Arg: its place)
	OpStep  Op = "step"  // by Arg, up or down
	OpRound Op = "round" // to the next value, and from the last to the first
	OpFlip  Op = "flip"  // round of two
	OpOn    Op = "on"    // power: on, where it is off
	OpDigit Op = "digit" // digits: Arg is typed
	OpEnter Op = "enter" // digits: what was typed counts
	OpMove  Op = "move"  // travel: Arg 1 opens, −1 closes
	OpStop  Op = "stop"  // travel
	OpCycle Op = "cycle" // travel: open, stop, close, stop
	OpVague Op = "vague" // to anything
	OpDim   Op = "dim"   // dial: on in its direction while the key is held; forms alone make it
	OpPart  Op = "part"  // of a sequence that sets a value; forms alone make it
)

// Effect is what a key does to a control, while power has a value.
type Effect struct {
	Control string `json:"control" maxLength:"40"`
	Op      Op     `json:"op" enum:"set,step,round,flip,on,digit,enter,move,stop,cycle,vague"`
	Arg     int    `json:"arg,omitempty" doc:"Place of the value to set, steps, digit, or direction"`
	While   string `json:"while,omitempty" maxLength:"81" doc:"Value of power that it needs; any is any, and nothing is on"`
}

// Said notes that somebody has said a member of the form: it is no guess any more.
func (c *Control) Said(member string) {
	c.Guessed = slices.DeleteFunc(slices.Clone(c.Guessed), func(g string) bool {
		return g == member || member == "most" && g == "least"
	})
}

var nameRule = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

func given(p *float64, otherwise float64) float64 {
	if p == nil {
		return otherwise
	}
	return *p
}

// step of a dial.
func (c *Control) step() float64 { return cmp.Or(c.Step, 1) }

// ms is a time of a form.
func ms(n int) time.Duration { return time.Duration(n) * time.Millisecond }

func (c *Control) pause() time.Duration   { return ms(cmp.Or(c.PauseMS, 400)) }
func (c *Control) timeout() time.Duration { return ms(cmp.Or(c.TimeoutMS, 3000)) }
func (c *Control) openTime() time.Duration {
	return ms(c.OpenMS)
}
func (c *Control) closeTime() time.Duration { return ms(cmp.Or(c.CloseMS, c.OpenMS)) }

// digits is how many digits the highest number has.
func (c *Control) digits() int { return len(strconv.Itoa(int(given(c.Most, 99)))) }

// Range is what a control can be at, in words.
func (c *Control) Range() string {
	switch c.Kind {
	case Power, Selector:
		return strings.Join(c.values(), " ")
	case Dial, Digits:
		most := given(c.Most, 0)
		if c.Kind == Digits {
			most = given(c.Most, 99)
		}
		return strings.TrimSpace(fmt.Sprintf("%g to %g %s", given(c.Least, 0), most, c.Unit))
	case Travel:
		ends := c.ends()
		return ends[0] + " to " + ends[1]
	}
	return ""
}

// Made lists the keys that a control is made of.
func (c *Control) Made() []string { return c.keys() }

// check says what is wrong with one form. Which keys there are is checked when it is compiled; framed says that no key
// has to set it, as a frame does.
func (c *Control) check(framed bool) error {
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("%w %.40s: "+format, append([]any{ErrForm, c.Name}, args...)...)
	}
	switch {
	case !nameRule.MatchString(c.Name) || len(c.Name) > 40:
		return fmt.Errorf("%w %.40q: a name has 1 to 40 of a-z, 0-9 and -", ErrForm, c.Name)
	case !slices.Contains(Kinds, c.Kind):
		return wrong("kind %.20q: %s", string(c.Kind), oneOf(Kinds))
	case len(c.values()) > MaxValues:
		return wrong("%d values, the most is %d", len(c.values()), MaxValues)
	case !slices.Contains([]string{"", EndsStop, EndsRound}, c.Ends) && (c.Ends != EndsTurn || c.Hold == ""):
		return wrong("ends %.20q: stop or round, or turn where one key is held", c.Ends)
	}
	for _, t := range []struct {
		name string
		ms   int
	}{{"again_ms", c.AgainMS}, {"warm_up_ms", c.WarmUpMS}, {"cool_down_ms", c.CoolDownMS}, {"pause_ms", c.PauseMS},
		{"timeout_ms", c.TimeoutMS}, {"open_ms", c.OpenMS}, {"close_ms", c.CloseMS}, {"delay_ms", c.DelayMS},
		{"lapses_ms", c.LapsesMS}, {"rest_ms", c.RestMS}, {"hold_ms", c.HoldMS}, {"rate_ms", c.RateMS}} {
		if t.ms < 0 || t.ms > MaxTime {
			return wrong("%s is %d: 0 to %d", t.name, t.ms, MaxTime)
		}
	}
	if err := c.checkValues(wrong, framed); err != nil {
		return err
	}
	if err := c.checkItself(wrong); err != nil {
		return err
	}
	switch c.Kind {
	case Dial:
		return c.checkDial(wrong, framed)
	case Digits:
		return c.checkDigits(wrong)
	case Travel:
		switch {
		case c.OpenMS == 0:
			return wrong("say how long the full way takes (open_ms)")
		case c.SlatsOf != "":
			if c.Open+c.Close+c.Stop+c.Round != "" || c.DelayMS > 0 {
				return wrong("slats have no keys of their own, nor a delay: those of %s turn them", c.SlatsOf)
			}
			return nil
		case c.Round == "" && (c.Open == "" || c.Close == ""):
			return wrong("name its keys: open and close, or one that goes round")
		case len(c.Values) != 0 && len(c.Values) != 2:
			return wrong("%d values: give two, the names of its ends, closed first", len(c.Values))
		}
	}
	return nil
}

type complaint func(format string, args ...any) error

// checkValues looks at the names of values, and at what sets them.
func (c *Control) checkValues(wrong complaint, framed bool) error {
	all := c.values()
	seen := map[string]bool{}
	for _, v := range all {
		if !nameRule.MatchString(v) || len(v) > 40 || strings.HasPrefix(v, "+") {
			return wrong("value %.40q: a name has 1 to 40 of a-z, 0-9 and -", v)
		}
		if seen[v] {
			return wrong("value %q is there twice", v)
		}
		seen[v] = true
	}
	switch c.Kind {
	case Power:
		switch {
		case all[0] != "off":
			return wrong("its first value is %q: put off first", all[0])
		case len(all) < 2:
			return wrong("off alone is nothing to set: name a value for on")
		case c.Round == "" && len(c.Keys) == 0 && !framed:
			return wrong("name its keys: one that goes round, or one for each value")
		case c.MainsFail != "" && c.MainsFail != StartKeeps && !seen[c.MainsFail]:
			return wrong("after a mains failure %.40q: keep, or one of %s", c.MainsFail, strings.Join(all, ", "))
		}
	case Selector:
		switch {
		case len(all) < 2:
			return wrong("a circle of %d: name at least two values", len(all))
		case c.Round == "" && len(c.Keys) == 0 && len(c.Sequences) == 0 && !framed:
			return wrong("name its keys: one that goes round, or one for each value")
		}
	case Travel, Dial, Digits:
		return nil
	}
	for v := range c.Keys {
		if !seen[v] {
			return wrong("key for %.40q: its values are %s", v, strings.Join(all, ", "))
		}
	}
	for v := range c.Sequences {
		if !seen[v] {
			return wrong("keys for %.40q: its values are %s", v, strings.Join(all, ", "))
		}
	}
	if c.Kind != Selector {
		return nil
	}
	return c.checkSequences(wrong)
}

func (c *Control) checkDial(wrong complaint, framed bool) error {
	least, most := given(c.Least, 0), given(c.Most, 0)
	n := (most - least) / c.step()
	switch {
	case !(most > least) || math.IsInf(most-least, 0):
		return wrong("from %g to %g: the most has to be above the least", least, most)
	case !(c.step() > 0) || math.Abs(n-math.Round(n)) > 1e-6:
		return wrong("from %g to %g in steps of %g: the steps have to end at the most", least, most, c.step())
	case n+1 > MaxSteps:
		return wrong("%.0f steps, the most is %d", n+1, MaxSteps)
	case c.Up == "" && c.Down == "" && c.Round == "" && c.Hold == "" && len(c.Keys) == 0 && !framed:
		return wrong("name its keys: up and down, one that goes round, one that is held, or one for each value")
	}
	for v := range c.Keys {
		if _, err := c.index(v); err != nil {
			return err
		}
	}
	return nil
}

func (c *Control) checkDigits(wrong complaint) error {
	least, most := given(c.Least, 0), given(c.Most, 99)
	switch {
	case least < 0 || most <= least || most > MaxNumber || least != math.Trunc(least) || most != math.Trunc(most):
		return wrong("from %g to %g: whole numbers from 0 to %d, the most above the least", least, most, MaxNumber)
	case c.Fewest < 0 || c.Fewest > c.digits():
		return wrong("fewest digits %d: the highest number has %d", c.Fewest, c.digits())
	}
	for d := range c.Keys {
		if len(d) != 1 || d < "0" || d > "9" {
			return wrong("key for the digit %.10q: 0 to 9", d)
		}
	}
	for name, n := range c.Favourites {
		if float64(n) < least || float64(n) > most {
			return wrong("favourite %.40q is %d: from %g to %g", name, n, least, most)
		}
		if _, err := strconv.Atoi(name); err == nil || strings.TrimSpace(name) == "" {
			return wrong("favourite %.40q: give it a name that is no number", name)
		}
	}
	return nil
}

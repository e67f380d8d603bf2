package control

import (
	"strconv"
	"time"
)

// Typed is what was typed of a number, and what it was before.
type Typed struct {
	Digits string    `json:"digits"`         // "" where it is not known what stands there
	At     time.Time `json:"at"`             // of the last digit
	Before Ranges    `json:"before"`         // what it may be at should this not count
	Cut    bool      `json:"cut,omitempty"`  // another key came after it: it stands there still, or is gone
	Else   Ranges    `json:"else,omitempty"` // what it may be at should none of this stand there
	May    Ranges    `json:"may"`            // what it may be at should it count as it stands
}

// orTyped is what may be typed where either is possible: where they differ, nobody knows.
func orTyped(a, b *Typed) *Typed {
	switch {
	case a == nil && b == nil:
		return nil
	case a == nil:
		return &Typed{At: b.At, Before: b.Before, May: b.May}
	case b == nil:
		return &Typed{At: a.At, Before: a.Before, May: a.May}
	case a.Digits == b.Digits && a.Cut == b.Cut && a.At.Equal(b.At):
		return &Typed{Digits: a.Digits, Cut: a.Cut, Else: a.Else.or(b.Else), At: a.At, Before: a.Before.or(b.Before),
			May: a.May.or(b.May)}
	}
	return &Typed{At: later(a.At, b.At), Before: a.Before.or(b.Before), May: a.May.or(b.May)}
}

// unsure is a number that may be anything, with something typed that nobody knows.
func unsure(c *Control, at time.Time) Possible {
	return Possible{Ranges: all(c.size()), Typed: &Typed{At: at, Before: all(c.size()), May: all(c.size())}}
}

// typed is what a digit does.
func (s *Spec) typed(c *Control, was Possible, digit byte, at time.Time) Possible {
	t := was.Typed
	digits, before := string(digit), was.Ranges
	if t != nil {
		switch since := at.Sub(t.At); {
		case t.Digits == "", since > less(c.timeout()):
			return unsure(c, at)
		case t.Cut: // it begins a number, or goes on with what stood there
			stood := *t
			stood.Cut = false
			begins := s.typed(c, Possible{Ranges: was.Ranges}, digit, at)
			goesOn := s.typed(c, Possible{Ranges: was.Ranges, Typed: &stood}, digit, at)
			if begins.Typed == nil || goesOn.Typed != nil {
				return begins.or(goesOn)
			}
			begins.Typed.Else = goesOn.Ranges
			begins.Ranges = begins.Ranges.or(goesOn.Ranges)
			return begins
		case len(t.Else) > 0:
			return unsure(c, at)
		}
		digits, before = t.Digits+digits, t.Before
	}
	if len(digits) > 1 && digits[0] == '0' && c.Fewest < c.digits() { // some devices pass over it, and wait for more
		return unsure(c, at)
	}
	if len(digits) >= c.digits() && c.Enter == "" {
		return counted(c, digits, before)
	}
	if len(digits) > c.digits() {
		return unsure(c, at)
	}
	return pending(c, &Typed{Digits: digits, At: at, Before: before})
}

// counted is a number that counts. What a device does with one that it does not have is not known.
func counted(c *Control, digits string, before Ranges) Possible {
	n, err := strconv.Atoi(digits)
	least := int(given(c.Least, 0))
	switch {
	case err != nil, n < least, n-least >= c.size():
		return Possible{Ranges: all(c.size())}
	case len(digits) < c.Fewest: // it waits for more, and then drops it, or not
		return Possible{Ranges: before.or(only(n - least))}
	}
	return Possible{Ranges: only(n - least)}
}

// pending is a number that may count already, or when no other digit comes.
func pending(c *Control, t *Typed) Possible {
	p := Possible{Ranges: t.Before, Typed: t}
	if t.May = counted(c, t.Digits, t.Before).Ranges; c.Enter == "" {
		p.Ranges = p.Ranges.or(t.May)
	}
	return p
}

// entered is what the key does that ends the typing.
func (s *Spec) entered(c *Control, was Possible, at time.Time) Possible {
	t := was.Typed
	switch {
	case t == nil:
		return was
	case t.Digits == "", at.Sub(t.At) > less(c.timeout()):
		return Possible{Ranges: all(c.size())}
	case t.Cut, len(t.Else) > 0:
		return Possible{Ranges: was.Ranges.or(counted(c, t.Digits, t.Before).Ranges).or(t.Else)}
	}
	return counted(c, t.Digits, t.Before)
}

// waited is what comes of a number when no other digit comes.
func (s *Spec) waited(c *Control, was Possible, now time.Time) Possible {
	t := was.Typed
	switch {
	case now.Sub(t.At) <= more(c.timeout()):
		return was
	case t.Digits == "", t.Cut:
		return Possible{Ranges: was.Ranges.or(t.May)}
	case c.Enter != "":
		return Possible{Ranges: t.Before}
	}
	return Possible{Ranges: counted(c, t.Digits, t.Before).Ranges.or(t.Else)}
}

// interrupted is what another key does to a number that is being typed: whether it still counts is not known.
func interrupted(was Possible) Possible {
	t := was.Typed
	may := was.Ranges.or(t.May).or(t.Else)
	return Possible{Ranges: may, Typed: &Typed{Digits: t.Digits, At: t.At, Before: may, May: may, Cut: t.Digits != ""}}
}

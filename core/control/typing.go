package control

import (
	"strconv"
	"time"
)

// Typed is what was typed of a number, and what it was before.
type Typed struct {
	Digits string    `json:"digits"` // "" where it is not known what stands there
	At     time.Time `json:"at"`     // of the last digit
	Before Ranges    `json:"before"` // what it may be at should this not count
	May    Ranges    `json:"may"`    // what it may be at should it count as it stands
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
	case a.Digits == b.Digits && a.At.Equal(b.At):
		return &Typed{Digits: a.Digits, At: a.At, Before: a.Before.or(b.Before), May: a.May.or(b.May)}
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
	}
	return counted(c, t.Digits, t.Before)
}

// waited is what comes of a number when no other digit comes.
func (s *Spec) waited(c *Control, was Possible, now time.Time) Possible {
	t := was.Typed
	switch {
	case now.Sub(t.At) <= more(c.timeout()):
		return was
	case t.Digits == "":
		return Possible{Ranges: was.Ranges}
	case c.Enter != "":
		return Possible{Ranges: t.Before}
	}
	return counted(c, t.Digits, t.Before)
}

// interrupted is what another key does to a number that is being typed: whether it still counts is not known.
func interrupted(was Possible) Possible {
	may := was.Ranges.or(was.Typed.May)
	return Possible{Ranges: may, Typed: &Typed{At: was.Typed.At, Before: may, May: may}}
}

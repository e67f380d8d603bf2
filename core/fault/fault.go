// Package fault gives errors their kinds: what is wrong, as far as whoever asked has to know to go on. The package that
// owns an idea makes its errors here, and each face maps kinds, not errors, to what it speaks.
package fault

// Kind is what is wrong.
type Kind string

// The kinds. Those of a house that cannot do anything at all count before all others: what the disk refuses is nobody's
// bad input.
const (
	Invalid  Kind = "invalid"   // what was given does not fit: mend it
	NotFound Kind = "not found" // there is nothing of that name
	Conflict Kind = "conflict"  // it cannot be done as things stand
	Away     Kind = "away"      // the hardware for it cannot be reached
	Busy     Kind = "busy"      // too much is asked for at once: try again in a moment
	Nobody   Kind = "nobody"    // it is not known who asks
	Refused  Kind = "refused"   // whoever asks may not
	Later    Kind = "later"     // the house cannot do it just now: try again
	Full     Kind = "full"      // the disk is full
	Broken   Kind = "broken"    // the house is not in order
	None     Kind = ""          // nothing is said of it
)

// kinded is an error with a kind.
type kinded struct {
	kind Kind
	text string
}

// Error is its text.
func (k *kinded) Error() string { return k.text }

// New makes an error of a kind, to be wrapped where it happens.
func New(kind Kind, text string) error { return &kinded{kind, text} }

// Of is the kind of an error: the first that it wraps, outermost first, but those of a house that is not in order
// before all others. It is None where it wraps none.
func Of(err error) Kind {
	first := None
	walk(err, func(k Kind) bool {
		if k == Later || k == Full || k == Broken {
			first = k
			return false
		}
		if first == None {
			first = k
		}
		return true
	})
	return first
}

// walk calls f with the kinds in a tree of errors until it returns false, outermost first.
func walk(err error, f func(Kind) bool) bool {
	switch e := err.(type) {
	case *kinded:
		return f(e.kind)
	case *given:
		return f(e.kind) && walk(e.err, f)
	case interface{ Unwrap() error }:
		return walk(e.Unwrap(), f)
	case interface{ Unwrap() []error }:
		for _, inner := range e.Unwrap() {
			if !walk(inner, f) {
				return false
			}
		}
	}
	return true
}

// Give gives an error a kind that it does not have by itself: one of a package that knows nothing of Urbo. The text
// stays. A nil error stays nil.
func Give(kind Kind, err error) error {
	if err == nil {
		return nil
	}
	return &given{kind, err}
}

// given is an error that was given a kind.
type given struct {
	kind Kind
	err  error
}

// Error is the text of the error.
func (g *given) Error() string { return g.err.Error() }

// Unwrap is the error without its kind.
func (g *given) Unwrap() error { return g.err }

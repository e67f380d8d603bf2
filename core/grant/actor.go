// Package grant says who may do what, and where: actors, rights, roles, and the one function that answers whether an
// actor may do something to a target. It keeps nothing and asks nobody.
package grant

import "strings"

// Kind of an actor.
type Kind string

// The kinds of actors. An occasion is none: what it presses was decided by whoever started it.
const (
	Person  Kind = "person"
	Program Kind = "program" // a token, an account on a broker, a hook
	Handset Kind = "handset"
	Errand  Kind = "errand"
	House   Kind = "house" // Urbo itself: what it does without being asked
	Station Kind = "station"
)

// Actor is who decided something. The zero value is nobody in particular.
type Actor struct {
	ID   string `json:"id,omitempty"`
	Kind Kind   `json:"kind,omitempty"`
	Name string `json:"name,omitempty"` // as it was then
}

// By is who decided something, and by what it was said.
type By struct {
	Actor
	Via string `json:"via,omitempty"` // the browser or token, in words; "" where the name says it
}

// Named is a person or program of whom only the name is known.
func Named(name string) By { return By{Actor: Actor{Kind: Program, Name: name}} }

// TheHouse is Urbo itself, for a reason.
func TheHouse(reason string) By { return By{Actor: Actor{ID: "house", Kind: House, Name: reason}} }

// String is the actor in words: "Keeper, Chrome on Linux".
func (b By) String() string {
	if b.Via == "" {
		return b.Name
	}
	if b.Name == "" {
		return b.Via
	}
	return b.Name + ", " + b.Via
}

// IsZero says that nobody decided it.
func (b By) IsZero() bool { return b == By{} }

// Recorded is the actor of an entry that was kept by a version that knew names only.
func Recorded(name string) By {
	by := By{Actor: Actor{Name: name}}
	switch {
	case name == "":
		return By{}
	case strings.HasPrefix(name, "token "), name == "demo":
		by.Kind = Program
	case name == "longest on":
		by.Kind = House
	default:
		by.Kind = Person
	}
	return by
}

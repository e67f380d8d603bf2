package audition

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"urbo/core/device"
	"urbo/core/fault"
)

// ErrChanged is wrapped where an audition cannot go on because a code set is not as it was.
var ErrChanged = fault.New(fault.Conflict, "the code sets changed meanwhile")

// document is an audition as it is kept: it refers to its sets, which are large.
type document struct {
	*members
	Sets  []reference
	Tries *struct{} `json:",omitempty"` // they follow from the sets
}

type members Audition

// reference is a code set by its slug, with the sum of what its keys send.
type reference struct{ Slug, Sum string }

func sum(set device.Device) string {
	data, err := json.Marshal(set.Keys)
	if err != nil {
		data = fmt.Append(nil, set.Keys)
	}
	h := sha256.Sum256(data)
	return hex.EncodeToString(h[:8])
}

// MarshalJSON writes the audition as it is kept.
func (a *Audition) MarshalJSON() ([]byte, error) {
	doc := document{members: (*members)(a), Sets: make([]reference, len(a.Sets))}
	for i, s := range a.Sets {
		doc.Sets[i] = reference{s.Slug, sum(s)}
	}
	return json.Marshal(doc)
}

// Restore reads what MarshalJSON wrote; find looks for a code set by its slug. The error wraps ErrChanged where a set
// is not there any more, or sends something else.
func Restore(data []byte, find func(slug string) (device.Device, bool)) (*Audition, error) {
	a := &Audition{}
	doc := document{members: (*members)(a)}
	if err := json.Unmarshal(data, &doc); err != nil {
		return nil, err
	}
	for _, r := range doc.Sets {
		set, there := find(r.Slug)
		if !there || sum(set) != r.Sum || keyFor(set, a.Function) < 0 {
			return nil, fmt.Errorf("%w: %s", ErrChanged, r.Slug)
		}
		a.Sets = append(a.Sets, set)
	}
	a.findTries()
	return a, a.check()
}

// check says whether every index of a kept audition is one.
func (a *Audition) check() error {
	within := func(i, n int) bool { return i >= 0 && i < max(n, 1) }
	ok := len(a.Answers) == len(a.Sets) && a.Next >= 0 && a.Next <= a.Len() && within(a.At, a.Len()) &&
		within(a.Hit, a.Len()) && within(a.Winner, len(a.Sets))
	for _, n := range slices.Concat(a.Group, a.Refused) {
		ok = ok && n >= 0 && n < len(a.Sets)
	}
	if ok && a.Phase == Walking {
		ok = len(a.Group) > 0 && a.Key >= 0 && a.Key < len(a.Sets[a.Group[0]].Keys) &&
			!slices.ContainsFunc(a.Walk.Past, func(key string) bool { return indexOf(a.Sets[a.Group[0]], key) < 0 })
	}
	if !ok {
		return fmt.Errorf("%w: what was kept does not fit them", ErrChanged)
	}
	return nil
}

// Clone is a copy that does not change with the audition.
func (a *Audition) Clone() *Audition {
	out := *a
	out.Group, out.Refused = slices.Clone(a.Group), slices.Clone(a.Refused)
	out.Walk.Past, out.Walk.Later, out.Walk.Doubts = slices.Clone(a.Walk.Past), slices.Clone(a.Walk.Later),
		maps.Clone(a.Walk.Doubts)
	out.Walk.Past, out.Walk.Later, out.Walk.Doubts = slices.Clone(a.Walk.Past), slices.Clone(a.Walk.Later),
		maps.Clone(a.Walk.Doubts)
	out.Answers = make([]map[string]Answer, len(a.Answers))
	for i, said := range a.Answers {
		out.Answers[i] = maps.Clone(said)
	}
	return &out
}

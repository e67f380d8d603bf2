// Package hooks keeps secret addresses: whoever knows one can let one thing happen, and nothing else, or read when
// errands come. What lets somebody in is a token of service/access that is good for nothing else; what it does is here.
package hooks

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"urbo/core/device"
	"urbo/core/errand"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/access"
	"urbo/service/errands"
	"urbo/service/kept"
	"urbo/service/stream"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown hook")
	ErrHook    = fault.New(fault.Invalid, "hook")
	ErrOften   = fault.New(fault.Busy, "the hook is called too often")
	ErrReach   = fault.New(fault.Refused, "it reaches more than when the hook was made")
)

// Bounds of hooks.
const (
	// most is the most hooks of a house.
	most = 200
	// every and burst are how often one may be called.
	every, burst = time.Second, 10
	// keys is how many calls a hook remembers by their keys, and remembered for how long.
	keys, remembered = 50, 24 * time.Hour
	// MaxKey is the longest key of a call, in bytes.
	MaxKey = 200
)

const version = 1

// Kind is what a hook does.
type Kind string

// The kinds.
const (
	Cue      Kind = "cue"      // errands come with it: when hook NAME
	Errand   Kind = "errand"   // an errand is run by hand
	Sequence Kind = "sequence" // a sequence is run
	Calendar Kind = "calendar" // the coming times of errands are read
)

// Hook is a secret address.
type Hook struct {
	ID      string   `json:"id"` // of its token
	Name    string   `json:"name"`
	Kind    Kind     `json:"kind"`
	Of      string   `json:"of,omitempty"` // id of the errand or sequence
	Devices []string `json:"devices,omitempty"`
	// Calls are those that had a key, the last ones: a second one with the same key does nothing more.
	Calls []Call `json:"calls,omitempty"`

	Made time.Time  `json:"-"`
	Used *time.Time `json:"-"`
	From string     `json:"-"`
}

// Call is a call that had a key.
type Call struct {
	Key     string    `json:"key"`
	At      time.Time `json:"at"`
	Outcome string    `json:"outcome"`
}

// list is what is kept.
type list struct {
	Hooks []Hook `json:"hooks"`
}

// House is what hooks reach.
type House interface {
	ReachedBy(t run.Target) []run.Target
	RunHookSequence(id string, by grant.By) error
}

// Config of the hooks.
type Config struct {
	Store   kept.Store
	Access  *access.Access
	Errands *errands.Errands
	House   House
	Devices func(about []run.Target) []string // the ids of the devices that targets are now
	Stream  *stream.Stream
	Now     func() time.Time
}

// Hooks is the hooks of a house.
type Hooks struct {
	Config
	doc *kept.Document[list]

	mu   sync.Mutex               // held for a whole call
	pace map[string]*rate.Limiter // by id
}

// Open reads the hooks. Where they cannot be read, none of them does anything.
func Open(ctx context.Context, c Config) (*Hooks, error) {
	doc, err := kept.Open[list](ctx, c.Store, kept.Kind{Row: "hooks", Version: version, What: "the hooks",
		Until: ": none of them does anything until they are made anew"}, c.Stream)
	return &Hooks{Config: c, doc: doc, pace: map[string]*rate.Limiter{}}, err
}

// all are the hooks; whoever changes them gives keep a copy.
func (h *Hooks) all() []Hook { return h.doc.Get().Hooks }

// keep puts the hooks on disk. The caller holds mu.
func (h *Hooks) keep(ctx context.Context, all []Hook) error {
	_, _, err := h.doc.Change(ctx, func(list) (list, error) { return list{all}, nil })
	return err
}

// List lists the hooks by name, as far as their tokens are there.
func (h *Hooks) List(ctx context.Context) ([]Hook, error) {
	tokens, err := h.Access.Tokens(ctx)
	if err != nil {
		return nil, err
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	out := []Hook{}
	for _, one := range h.all() {
		for _, t := range tokens {
			if t.ID == one.ID {
				one.Made, one.Used, one.From = t.Created, t.Used, t.From
				out = append(out, one)
			}
		}
	}
	slices.SortFunc(out, func(a, b Hook) int { return strings.Compare(a.Name, b.Name) })
	return out, nil
}

// New is a hook to be made.
type New struct {
	Name  string // a slug: errands come with it by this name
	Kind  Kind
	Of    string // id
	Where grant.Where
}

// Add makes a hook, and the secret of its address, which is kept nowhere. Errors wrap ErrHook, device.ErrName or
// device.ErrTaken.
func (h *Hooks) Add(ctx context.Context, n New, by grant.By) (Hook, string, error) {
	if err := device.CheckSlug("the hook's name", n.Name); err != nil {
		return Hook{}, "", err
	}
	one := Hook{Name: n.Name, Kind: n.Kind, Of: n.Of}
	rights := []grant.Right{grant.See, grant.Use}
	where := n.Where
	switch n.Kind {
	case Errand, Sequence:
		one.Devices = h.reaches(one)
	case Calendar:
		rights = rights[:1]
	case Cue:
	default:
		return Hook{}, "", fmt.Errorf("%w: %.20q is none of cue, errand, sequence and calendar", ErrHook, n.Kind)
	}
	known, err := h.List(ctx)
	if err != nil {
		return Hook{}, "", err
	}
	if len(known) >= most {
		return Hook{}, "", fmt.Errorf("%w: there are %d, which is the most", ErrHook, most)
	}
	t, secret, err := h.Access.AddToken(ctx, access.NewToken{Name: tokenName(n.Name), Hook: true, Rights: rights,
		Where: where}, by)
	if err != nil {
		return Hook{}, "", err
	}
	one.ID, one.Made = t.ID, t.Created
	h.mu.Lock()
	defer h.mu.Unlock()
	all := slices.DeleteFunc(slices.Clone(h.all()),
		func(o Hook) bool { return o.Name == n.Name }) // of a token that is gone
	if err := h.keep(ctx, append(all, one)); err != nil {
		return Hook{}, "", errors.Join(err, h.Access.RemoveTokenByID(ctx, t.ID, by))
	}
	return one, secret, nil
}

// tokenName is the name of the token of a hook.
func tokenName(hook string) string { return "hook " + hook }

// Remove makes a hook's address worthless. The error wraps ErrUnknown.
func (h *Hooks) Remove(ctx context.Context, name string, by grant.By) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	i := slices.IndexFunc(h.all(), func(o Hook) bool { return o.Name == name })
	if i < 0 {
		return fmt.Errorf("%w %.60q: see urbo hook list", ErrUnknown, name)
	}
	if err := h.Access.RemoveTokenByID(ctx, h.all()[i].ID, by); err != nil {
		return fmt.Errorf("%w %.60q: see urbo hook list", ErrUnknown, name)
	}
	return h.keep(ctx, slices.Delete(slices.Clone(h.all()), i, i+1))
}

// reaches are the devices that a hook reaches now.
func (h *Hooks) reaches(one Hook) []string {
	kind := run.Sequence
	if one.Kind == Errand {
		kind = run.Errand
	}
	return h.Devices(h.House.ReachedBy(run.Target{Kind: kind, ID: one.Of}))
}

// Find finds the hook of a secret. The error wraps access.ErrNobody, whatever is wrong.
func (h *Hooks) Find(ctx context.Context, secret, from string) (Hook, grant.Who, error) {
	c, err := h.Access.Hook(ctx, secret, from)
	if err != nil {
		return Hook{}, grant.Who{}, err
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, one := range h.all() {
		if one.ID == c.By.ID {
			return one, grant.Who{By: c.By, Grant: c.Grant}, nil
		}
	}
	return Hook{}, grant.Who{}, access.ErrNobody
}

// Call does what a hook is for. A second call with a key does nothing, and has the outcome of the first. Errors wrap
// ErrOften, ErrReach or ErrHook, or are those of what it does.
func (h *Hooks) Call(ctx context.Context, one Hook, who grant.Who, key string) (outcome string, again bool, err error) {
	if len(key) > MaxKey {
		return "", false, fmt.Errorf("%w: a key has at most %d bytes", ErrHook, MaxKey)
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	i := slices.IndexFunc(h.all(), func(o Hook) bool { return o.ID == one.ID })
	if i < 0 {
		return "", false, fmt.Errorf("%w: it was removed", ErrUnknown)
	}
	now := h.Now()
	for _, c := range h.all()[i].Calls {
		if key != "" && c.Key == key && now.Sub(c.At).Abs() < remembered {
			return c.Outcome, true, nil
		}
	}
	pace := h.pace[one.ID]
	if pace == nil {
		pace = rate.NewLimiter(rate.Every(every), burst)
		h.pace[one.ID] = pace
	}
	if !pace.AllowN(now, 1) {
		return "", false, fmt.Errorf("%w: once a second, ten at once", ErrOften)
	}
	for _, id := range h.reaches(one) {
		if (one.Kind == Errand || one.Kind == Sequence) && !slices.Contains(one.Devices, id) {
			return "", false, fmt.Errorf("%w: make it anew", ErrReach)
		}
	}
	if key != "" { // before anything is pressed: a call that is cut off is not done twice
		all := slices.Clone(h.all())
		calls := slices.DeleteFunc(slices.Clone(all[i].Calls),
			func(c Call) bool { return now.Sub(c.At).Abs() >= remembered })
		all[i].Calls = append(calls[max(0, len(calls)-keys+1):], Call{key, now, "under way"})
		if err := h.keep(ctx, all); err != nil {
			return "", false, err
		}
	}
	outcome, err = h.do(ctx, one, who.By)
	if err != nil && key != "" { // nothing was done: it may be tried again
		all := slices.Clone(h.all())
		all[i].Calls = slices.DeleteFunc(slices.Clone(all[i].Calls), func(c Call) bool { return c.Key == key })
		err = errors.Join(err, h.keep(ctx, all))
	}
	return outcome, false, err
}

// do does what a hook is for.
func (h *Hooks) do(ctx context.Context, one Hook, by grant.By) (string, error) {
	switch one.Kind {
	case Cue:
		return "told", h.Errands.Bring(happening.Brought{Kind: errand.OfHook, Of: one.Name}, by)
	case Sequence:
		return "under way", h.House.RunHookSequence(one.Of, by)
	case Errand:
		came, err := h.Errands.Do(ctx, one.Of, by)
		if err != nil {
			return "", err
		}
		if came.Did != "ran" {
			return came.Did, nil
		}
		return "under way", nil
	}
	return "", fmt.Errorf("%w: it is read, not called: GET /calendar/…", ErrHook)
}

package access

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/store"
)

// MaxPeople is the most people of a house.
const MaxPeople = 1000

// Person is somebody who may sign in.
type Person = store.Person

// byOf is a person at a browser.
func byOf(p Person, browser string) grant.By {
	return grant.By{Actor: grant.Actor{ID: p.ID, Kind: grant.Person, Name: p.Name}, Via: InShort(browser)}
}

var (
	browsers = regexp.MustCompile(`(Firefox|Edg|Chrome|Safari)/([0-9]+)`)
	systems  = regexp.MustCompile(`Android|iPhone|iPad|Windows|Mac OS X|Linux`)
)

// InShort says which browser it is, as far as a person wants to know: "Chrome on Android".
func InShort(agent string) string {
	name := browsers.FindStringSubmatch(agent)
	switch on := systems.FindString(agent); {
	case name == nil && agent == "":
		return "a browser"
	case name == nil:
		first, _, _ := strings.Cut(agent, "/")
		if r := []rune(first); len(r) > 40 {
			return string(r[:40])
		}
		return first
	case on == "":
		return name[1]
	default:
		return name[1] + " on " + on
	}
}

func (a *Access) person(id string) (Person, bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	p, ok := a.known[id]
	return p, ok
}

// over says whether a person's time is over.
func (a *Access) over(p Person) bool { return !p.Until.IsZero() && !a.now().Before(p.Until) }

// People lists the people by name.
func (a *Access) People() []Person {
	a.mu.Lock()
	defer a.mu.Unlock()
	out := make([]Person, 0, len(a.known))
	for _, p := range a.known {
		out = append(out, p)
	}
	slices.SortFunc(out, func(x, y Person) int {
		return strings.Compare(strings.ToLower(x.Name)+x.ID, strings.ToLower(y.Name)+y.ID)
	})
	return out
}

// Person finds a person by name, in any case, or by id. The error wraps ErrPerson and names the nearest.
func (a *Access) Person(name string) (Person, error) {
	return findPerson(a.People(), name)
}

func findPerson(all []Person, name string) (Person, error) {
	names := make([]string, 0, len(all))
	for _, p := range all {
		if strings.EqualFold(p.Name, name) || p.ID == name {
			return p, nil
		}
		names = append(names, p.Name)
	}
	return Person{}, fmt.Errorf("%w %.60q: nearest are %s", ErrPerson, name, device.Nearest(name, names))
}

// NewPerson is somebody to let in.
type NewPerson struct {
	Name  string
	Role  grant.Role
	Where grant.Where
	Until time.Time // zero is for ever
}

// AddPerson lets somebody in. Errors wrap device.ErrName, device.ErrTaken, grant.ErrRole or the store's.
func (a *Access) AddPerson(ctx context.Context, n NewPerson, by grant.By) (Person, error) {
	p := Person{ID: store.NewID(), Name: n.Name, Role: n.Role, Where: n.Where, Until: n.Until, Created: a.now()}
	err := a.change(ctx, func(all []Person) ([]Person, []string, error) {
		if len(all) >= MaxPeople {
			return nil, nil, fmt.Errorf("%w: there are %d people, which is the most: remove one", device.ErrTaken,
				MaxPeople)
		}
		var err error
		p, err = a.checked(p, all)
		return []Person{p}, nil, err
	})
	if err != nil {
		return p, fmt.Errorf("let %s in: %w", n.Name, err)
	}
	a.say(by, fmt.Sprintf("Let %s in as %s", p.Name, p.Role))
	return p, nil
}

// PersonChange is what is to be different about a person; nil leaves it as it is.
type PersonChange struct {
	Name  *string
	Role  *grant.Role
	Where *grant.Where
	Until *time.Time // the zero time is for ever
	User  *string    // "" is none
}

// ChangePerson changes a person. What that person has open ends, and begins anew with the rights of then. Errors wrap
// ErrPerson, ErrLast, device.ErrName, device.ErrTaken, grant.ErrRole or the store's.
func (a *Access) ChangePerson(ctx context.Context, name string, c PersonChange, by grant.By) (Person, error) {
	var was, is Person
	err := a.change(ctx, func(all []Person) ([]Person, []string, error) {
		var err error
		if was, err = findPerson(all, name); err != nil {
			return nil, nil, err
		}
		is = was
		if c.Name != nil {
			is.Name = *c.Name
		}
		if c.Role != nil {
			is.Role = *c.Role
			if is.Role == grant.Owner {
				is.Where = grant.Everywhere
			}
		}
		if c.Where != nil {
			is.Where = *c.Where
		}
		if c.Until != nil {
			is.Until = *c.Until
		}
		if c.User != nil {
			is.User = *c.User
		}
		if is, err = a.checked(is, all); err != nil {
			return nil, nil, err
		}
		return []Person{is}, nil, stillOwned(all, is.ID, is)
	})
	if err != nil {
		return is, fmt.Errorf("change %.60s: %w", name, err)
	}
	var said []string
	for _, d := range []struct {
		differs bool
		text    string
	}{{was.Name != is.Name, "the name is " + is.Name}, {was.Role != is.Role, "is " + string(is.Role) + " now"},
		{!sameWhere(was.Where, is.Where), "what may be used"}, {!was.Until.Equal(is.Until), "until when"},
		{was.User != is.User, "who it is at the command line"}} {
		if d.differs {
			said = append(said, d.text)
		}
	}
	if len(said) > 0 {
		a.say(by, "Changed "+was.Name+": "+strings.Join(said, ", "))
		a.endStreams(is.ID)
	}
	return is, nil
}

func sameWhere(a, b grant.Where) bool {
	return a.House == b.House && slices.Equal(a.Rooms, b.Rooms) && slices.Equal(a.Devices, b.Devices) &&
		slices.Equal(a.Measurements, b.Measurements) && slices.Equal(a.Boards, b.Boards)
}

// RemovePerson takes somebody's way in: sessions end, links and the tokens that the person made are worthless. Errors
// wrap ErrPerson, ErrLast or the store's.
func (a *Access) RemovePerson(ctx context.Context, name string, by grant.By) error {
	var gone Person
	err := a.change(ctx, func(all []Person) ([]Person, []string, error) {
		var err error
		if gone, err = findPerson(all, name); err != nil {
			return nil, nil, err
		}
		return nil, []string{gone.ID}, stillOwned(all, gone.ID)
	})
	if err != nil {
		return fmt.Errorf("remove %.60s: %w", name, err)
	}
	a.endStreams(gone.ID)
	a.say(by, "Removed the person "+gone.Name)
	tokens, err := a.store.Tokens(ctx)
	if err != nil {
		return fmt.Errorf("remove the tokens that %s made: %w", gone.Name, err)
	}
	for _, t := range tokens {
		if t.MadeBy == gone.ID && t.Scope != StationScope {
			if err := a.RemoveToken(ctx, t.Name, by); err != nil && !errors.Is(err, ErrUnknown) {
				return err
			}
		}
	}
	return nil
}

// change changes people, on disk and then here.
func (a *Access) change(ctx context.Context, f func(all []Person) ([]Person, []string, error)) error {
	a.changing.Lock()
	defer a.changing.Unlock()
	var put []Person
	var remove []string
	err := a.people.Change(ctx, a.now(), func(all []Person) ([]Person, []string, error) {
		var err error
		put, remove, err = f(all)
		return put, remove, err
	})
	if errors.Is(err, store.ErrDuplicate) {
		return fmt.Errorf("%w: somebody has that name already: choose another", device.ErrTaken)
	}
	if err != nil {
		return err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, p := range put {
		a.known[p.ID] = p
	}
	for _, id := range remove {
		delete(a.known, id)
	}
	return nil
}

// checked is a person whose name is clean and whose role fits.
func (a *Access) checked(p Person, all []Person) (Person, error) {
	var err error
	if p.Name, err = device.CleanName("the person's name", p.Name); err != nil {
		return p, err
	}
	for _, o := range all {
		if o.ID != p.ID && strings.EqualFold(o.Name, p.Name) {
			return p, fmt.Errorf("%w: somebody is called %s already: choose another name", device.ErrTaken, o.Name)
		}
	}
	if err := checkUser(p, all); err != nil {
		return p, err
	}
	if p.Role == grant.Owner && p.Where.Empty() || p.Role == grant.Resident && p.Where.Empty() {
		p.Where = grant.Everywhere
	}
	if !p.Until.IsZero() && !a.now().Before(p.Until) {
		return p, fmt.Errorf("%w: that time is past", grant.ErrRole)
	}
	if p.Role == grant.Guest && p.Until.IsZero() {
		return p, fmt.Errorf("%w: a guest comes until a date: say until when", grant.ErrRole)
	}
	return p, grant.CheckRole(p.Role, p.Where)
}

// maxUser is the most bytes of a user's name.
const maxUser = 64

// checkUser says what is wrong with the user of this machine that a person is. Whoever may use the house's command line
// can read its files, so it has to be an owner. The error wraps grant.ErrRole or device.ErrTaken.
func checkUser(p Person, all []Person) error {
	switch {
	case p.User == "":
		return nil
	case len(p.User) > maxUser || strings.ContainsFunc(p.User, func(r rune) bool { return r <= ' ' || r == 0x7f }):
		return fmt.Errorf("%w: user %.70q: give the name of a user of this machine, as whoami prints it", grant.ErrRole,
			p.User)
	case p.Role != grant.Owner:
		return fmt.Errorf("%w: only an owner can be a user of this machine: take the user away first", grant.ErrRole)
	}
	for _, o := range all {
		if o.ID != p.ID && o.User == p.User {
			return fmt.Errorf("%w: the user %s is %s already", device.ErrTaken, p.User, o.Name)
		}
	}
	return nil
}

// stillOwned says that an owner without an end has to stay. now is the person as it will be, where it stays.
func stillOwned(all []Person, id string, now ...Person) error {
	for _, p := range append(slices.DeleteFunc(slices.Clone(all), func(p Person) bool { return p.ID == id }), now...) {
		if p.Role == grant.Owner && p.Until.IsZero() {
			return nil
		}
	}
	return fmt.Errorf("%w cannot be removed, lowered or given an end: make somebody else an owner first", ErrLast)
}

// endStreams ends what is open of a person.
func (a *Access) endStreams(id string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	for d, of := range a.owner {
		if of == id {
			close(a.open[d])
			delete(a.open, d)
			delete(a.owner, d)
		}
	}
}

// MaxPhones is on how many phones a guest's link works at most.
const MaxPhones = 50

// Link makes a sign-in code for a person: it works once, for 15 minutes; that of a guest on so many phones, until the
// guest's date. Errors wrap ErrPerson or grant.ErrRole, or ErrTickets where so many wait that no more are made: none
// pushes another out.
func (a *Access) Link(ctx context.Context, name string, phones int) (Person, string, time.Time, error) {
	return a.makeLink(ctx, name, phones, maxLinks)
}

// OwnLink is Link for another browser of somebody who makes it without the right to keep the house. Few of them may
// wait, so that nobody uses up those that an owner makes.
func (a *Access) OwnLink(ctx context.Context, name string) (Person, string, time.Time, error) {
	return a.makeLink(ctx, name, 1, maxOwnLinks)
}

// makeLink makes a code, where so many of the person wait at most.
func (a *Access) makeLink(ctx context.Context, name string, phones, most int) (Person, string, time.Time, error) {
	p, err := a.Person(name)
	if err != nil {
		return p, "", time.Time{}, err
	}
	s, end := NewSecret(), a.now().Add(TicketLife)
	switch {
	case phones < 1 || phones > MaxPhones:
		err = fmt.Errorf("%w: a guest's link works on 1 to %d phones", grant.ErrRole, MaxPhones)
	case p.Role == grant.Guest:
		end = p.Until
	case phones > 1:
		err = fmt.Errorf("%w: the link of a %s works once: make another one for each browser", grant.ErrRole, p.Role)
	}
	if err != nil {
		return p, "", end, err
	}
	err = a.people.PutLink(ctx, store.Link{Hash: HashOf(s), PersonID: p.ID, Expires: end, Uses: phones}, a.now(),
		maxLinks, most)
	if errors.Is(err, store.ErrDuplicate) {
		return p, "", end, fmt.Errorf("%w: %d are not used yet, which is the most: use one, or wait for %d minutes",
			ErrTickets, most, int(TicketLife.Minutes()))
	}
	if err != nil {
		return p, "", end, fmt.Errorf("make a sign-in link: %w", err)
	}
	return p, s, end, nil
}

// Owner is an owner without an end: the one that every house has.
func (a *Access) Owner() Person {
	for _, p := range a.People() {
		if p.Role == grant.Owner && p.Until.IsZero() {
			return p
		}
	}
	return Person{}
}

// OwnerSignedIn says whether a browser of an owner is signed in.
func (a *Access) OwnerSignedIn(ctx context.Context) bool {
	all, err := a.store.SignIns(ctx, a.now())
	return err == nil && slices.ContainsFunc(all, func(s Session) bool {
		p, known := a.person(s.PersonID)
		return known && p.Role == grant.Owner && !a.over(p)
	})
}

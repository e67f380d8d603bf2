// Package occasions keeps wanted states of rooms or of the whole house, and which of them is in force where.
package occasions

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/occasion"
	"urbo/core/run"
	"urbo/service/belief"
	"urbo/service/holds"
	"urbo/service/named"
	"urbo/service/rooms"
	"urbo/service/runs"
	"urbo/service/sequences"
	"urbo/service/setting"
	"urbo/service/stream"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown occasion")
	ErrMost    = fault.New(fault.Invalid, "occasions")
	ErrUnread  = fault.New(fault.Conflict, "the occasion cannot be read")
	ErrForce   = fault.New(fault.Conflict, "the occasion is not in force")
)

const (
	// Most is the most occasions of a house.
	Most = 500
	// forceRow is the name of the document of what is in force, and forceVersion its version.
	forceRow, forceVersion = "force", 1
	// breath is how long it is waited before it is looked again what differs: much may happen at once.
	breath = 200 * time.Millisecond
)

// Occasion is a named wanted state.
type Occasion = named.Thing[occasion.Occasion]

// Store keeps what is in force.
type Store interface {
	named.Store
	HouseText(ctx context.Context, name string) (string, error)
	PutHouseText(ctx context.Context, name, text string) error
}

// Targets finds what occasions name.
type Targets interface {
	sequences.Targets
	With(t run.Target, control string) ([]string, error)
	Devices(t run.Target) []string
}

// Library finds devices.
type Library interface {
	Slug(id string) string
	Name(id string) string
	RoomOf(id string) string
	ByID(id string) (device.Device, error)
}

// Beliefs is what devices are believed to be at.
type Beliefs interface {
	Spec(id string) (*control.Spec, error)
	StatesOf(id string) ([]control.State, error)
	Reached(id string, want control.Want) bool
}

// Planner says what a wish would press.
type Planner interface {
	Plan(w setting.Wish) (setting.Result, error)
}

// Runs carries steps out.
type Runs interface {
	Start(o runs.Order) (runs.Run, error)
	Halt(of, reason string)
	One(id string) (runs.Run, error)
}

// Holds are the controls that are set for a time.
type Holds interface {
	List() []holds.Hold
}

// inForce is the document of the occasions that are in force.
type inForce struct {
	All []occasion.Force `json:"all"`
}

// Config of the occasions.
type Config struct {
	Rows    named.Rows
	Store   Store
	Targets Targets
	Library Library
	Rooms   *rooms.Rooms
	Beliefs Beliefs
	Planner Planner
	Runs    Runs
	Holds   Holds
	Stream  *stream.Stream
	Now     func() time.Time
}

// Occasions is the occasions of the house.
type Occasions struct {
	Config
	all   *named.List[occasion.Occasion]
	queue *stream.Queue

	writer sync.Mutex // held while one begins or ends

	mu     sync.Mutex
	force  []occasion.Force
	aside  string         // the document of what is in force, where it cannot be read
	differ map[string]int // by id of an occasion in force: what was told last
}

// Open reads the occasions, and which are in force. One that cannot be read does not begin until it is given anew.
func Open(ctx context.Context, c Config) (*Occasions, error) {
	o := &Occasions{Config: c, differ: map[string]int{}}
	say := func(format string, args ...any) {
		c.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
			Text: fmt.Sprintf(format, args...)}})
	}
	kind := named.Kind{Name: "occasion", Most: Most, Unknown: ErrUnknown, Limit: ErrMost}
	var err error
	o.all, err = named.Open(ctx, kind, c.Rows, c.Store, func(one Occasion, err error) {
		say("What the occasion %s wants %v: it does not begin until that is given anew", one.Name, err)
	})
	if err != nil {
		return nil, err
	}
	text, err := c.Store.HouseText(ctx, forceRow)
	if err != nil {
		return nil, fmt.Errorf("read which occasions are in force: %w", err)
	}
	var kept inForce
	if err := store.ReadDocument(text, forceVersion, &kept); err == nil {
		o.force = kept.All
	} else {
		o.aside = text
		say("Which occasions are in force %v: none is, until one begins", err)
	}
	o.queue = c.Stream.Subscribe()
	return o, nil
}

// List lists the occasions by name.
func (o *Occasions) List() []Occasion { return o.all.List() }

// Find finds an occasion by its slug or id. The error wraps ErrUnknown and names the nearest.
func (o *Occasions) Find(slug string) (Occasion, error) { return o.all.Find(slug) }

// Text is what is wanted as people write it, with what things are called now.
func (o *Occasions) Text(one Occasion) string { return run.Print(one.Doc.Steps(), o.Targets.Name) }

// Stays are the things that are left as they are, as they are called now.
func (o *Occasions) Stays(one Occasion) []string {
	out := []string{}
	for _, t := range one.Doc.Stays {
		if name := o.Targets.Name(t); name != "" {
			out = append(out, name)
		}
	}
	return out
}

// Reins are who has which rein, as they are called now: "amplifier/volume", "projector".
func (o *Occasions) Reins(one Occasion) map[occasion.Rein]string {
	out := map[occasion.Rein]string{}
	for r, path := range one.Doc.Reins {
		if name := o.Targets.Name(path.On); name != "" {
			out[r] = strings.TrimSuffix(name+"/"+path.Name, "/")
		}
	}
	return out
}

// Gone lists what an occasion is about and is not there any more, as it was called.
func (o *Occasions) Gone(one Occasion) []string {
	out := []string{}
	for _, t := range one.Doc.Targets() {
		if o.Targets.Name(t) == "" {
			out = append(out, t.Was)
		}
	}
	return out
}

// Lacking lists the controls that an occasion wants and that are not there, or not yet, as DEVICE/CONTROL.
func (o *Occasions) Lacking(one Occasion) []string {
	out := []string{}
	for _, w := range o.lacking(one) {
		if name := o.Targets.Name(w.On); name != "" {
			out = append(out, name+"/"+w.Control)
		}
	}
	return out
}

func (o *Occasions) lacking(one Occasion) (out []run.Wanted) {
	for _, set := range one.Doc.Wants {
		for _, w := range set.Changes {
			if _, err := o.Targets.With(w.On, w.Control); err != nil {
				out = append(out, w)
			}
		}
	}
	return out
}

// Text of an occasion as somebody wrote it.
type Text struct {
	Wants  *string // steps that set
	Room   *string // "" is the whole house
	Stays  *[]string
	Reins  *map[string]string // rein → DEVICE/CONTROL or DEVICE
	Leaves *bool
	Sight  sequences.Sight // nil sees everything
}

// Change is what is to be different about an occasion; nil leaves it as it is.
type Change struct {
	Slug, Name *string
	Text
}

// names finds what an occasion names, as somebody sees it.
type names struct {
	Targets
	sight sequences.Sight
}

func (n names) Target(name string) (run.Target, error) {
	t, err := n.Targets.Target(name)
	if n.sight != nil {
		err = n.sight(name, t, err)
	}
	return t, err
}

// Control lets an occasion want something of a device on which nothing can be set yet: it is passed over until then.
func (n names) Control(t run.Target, name, value string) error {
	err := n.Targets.Control(t, name, value)
	if errors.Is(err, belief.ErrNoControls) {
		return device.CheckSlug("control", name)
	}
	return err
}

// Sequence is nothing that an occasion runs.
func (n names) Sequence(name string) (run.Target, error) {
	return run.Target{}, fmt.Errorf("%w: an occasion only sets controls, and %.40q is a sequence", occasion.ErrOccasion,
		name)
}

// doc makes what is kept of an occasion. Errors wrap run.ErrSteps, occasion.ErrOccasion or rooms.ErrUnknown.
func (o *Occasions) doc(t Text) func(Occasion) (occasion.Occasion, error) {
	find := names{o.Targets, t.Sight}
	return func(one Occasion) (occasion.Occasion, error) {
		d := one.Doc
		if t.Wants != nil {
			steps, err := run.Parse(*t.Wants, find)
			if err != nil {
				return d, err
			}
			if d.Wants, err = occasion.WantsOf(steps); err != nil {
				return d, err
			}
		}
		if t.Room != nil {
			d.Room = ""
			if *t.Room != "" {
				r, err := o.Rooms.Find(*t.Room)
				if err != nil {
					return d, err
				}
				d.Room = r.ID
			}
		}
		if t.Stays != nil {
			d.Stays = nil
			for _, name := range *t.Stays {
				on, err := find.Target(name)
				if err != nil {
					return d, err
				}
				if on.Kind == run.Measurement {
					return d, fmt.Errorf("%w: what stays is a device, group or room, and %s is a measurement",
						occasion.ErrOccasion, name)
				}
				d.Stays = append(d.Stays, on)
			}
		}
		if t.Reins != nil {
			reins, err := o.readReins(find, *t.Reins)
			if err != nil {
				return d, err
			}
			d.Reins = reins
		}
		if t.Leaves != nil {
			d.Leaves = *t.Leaves
		}
		if err := d.Check(); err != nil {
			return d, err
		}
		return d, o.inRoom(d)
	}
}

// readReins reads who has which rein.
func (o *Occasions) readReins(find names, texts map[string]string) (map[occasion.Rein]run.Path, error) {
	out := map[occasion.Rein]run.Path{}
	for r, text := range texts {
		name, of, _ := strings.Cut(text, "/")
		on, err := find.Target(name)
		if err != nil {
			return nil, err
		}
		if of != "" {
			if err := o.Targets.Control(on, of, ""); err != nil {
				return nil, err
			}
		}
		out[occasion.Rein(r)] = run.Path{On: on, Name: of}
	}
	return out, nil
}

// inRoom says whether an occasion of one room sets what is in that room.
func (o *Occasions) inRoom(d occasion.Occasion) error {
	if d.Room == "" {
		return nil
	}
	stages, err := d.Stages(o)
	if err != nil {
		return err
	}
	for _, id := range occasion.Devices(stages) {
		if o.Library.RoomOf(id) != d.Room {
			r, _ := o.Rooms.Find(d.Room)
			return fmt.Errorf("%w: %s does not stand in %s: leave it out, or let the occasion be for the whole house",
				occasion.ErrOccasion, o.Library.Slug(id), r.Name)
		}
	}
	return nil
}

// Add makes an occasion. Errors wrap device.ErrName, device.ErrTaken, ErrMost, occasion.ErrOccasion or run.ErrSteps, or
// are those of what it names, or the store's.
func (o *Occasions) Add(ctx context.Context, slug, name string, t Text, by grant.By) (Occasion, error) {
	one, err := o.all.Add(ctx, slug, name, o.doc(t), named.Plainly)
	return one, o.changed(one, err, by, "Added the occasion ")
}

// Alter changes an occasion; where it is in force, what it wants now differs or not. Errors are those of Add, or wrap
// ErrUnknown.
func (o *Occasions) Alter(ctx context.Context, slug string, c Change, by grant.By) (Occasion, error) {
	change := named.Change[occasion.Occasion]{Slug: c.Slug, Name: c.Name}
	if c.Wants != nil || c.Room != nil || c.Stays != nil || c.Reins != nil || c.Leaves != nil {
		change.Doc = o.doc(c.Text)
	}
	one, err := o.all.Alter(ctx, slug, change, named.Plainly)
	return one, o.changed(one, err, by, "Changed the occasion ")
}

// Remove removes an occasion. It is not in force any more, and its devices stay as they are. The error wraps
// ErrUnknown.
func (o *Occasions) Remove(ctx context.Context, slug string, by grant.By) error {
	o.writer.Lock()
	defer o.writer.Unlock()
	one, err := o.all.Remove(ctx, slug, func(Occasion) error { return nil }, named.Plainly)
	if err == nil {
		if _, is := occasion.Of(o.InForce(), one.ID); is {
			o.Runs.Halt(one.ID, "the occasion was removed")
			err = o.put(ctx, without(o.InForce(), one.ID))
		}
	}
	return o.changed(one, err, by, "Removed the occasion ")
}

// changed tells that an occasion is another, where there is no error.
func (o *Occasions) changed(one Occasion, err error, by grant.By, said string) error {
	if err == nil {
		o.Stream.Publish(happening.Happening{By: by, What: happening.OccasionChanged{OccasionID: one.ID,
			Occasion: one.Slug, Text: said + one.Name}})
	}
	return err
}

// With are the ids of the devices of something that have a control; none where it is gone.
func (o *Occasions) With(on run.Target, name string) []string {
	ids, _ := o.Targets.With(on, name)
	return ids
}

// Needs are the devices that have to be set before a device: what feeds it, and what it follows.
func (o *Occasions) Needs(id string) (out []string) {
	d, err := o.Library.ByID(id)
	if err != nil {
		return nil
	}
	for _, l := range d.Links {
		out = append(out, l.DeviceID)
	}
	if d.Fed != nil {
		out = append(out, d.Fed.DeviceID)
	}
	return out
}

// States are what a device is believed to be at.
func (b believed) States(id string) []control.State {
	states, _ := b.StatesOf(id)
	return states
}

// believed answers what differs.
type believed struct{ Beliefs }

// readable is an occasion that can begin.
func (o *Occasions) readable(slug string) (Occasion, error) {
	one, err := o.Find(slug)
	if err == nil && !one.Readable() {
		err = fmt.Errorf("%w: say anew what %s wants: urbo occasion change", ErrUnread, one.Slug)
	}
	return one, err
}

// stays says whether a device is left as it is by an occasion.
func (o *Occasions) stays(id, device string) bool {
	one, err := o.Find(id)
	return err == nil && slices.ContainsFunc(one.Doc.Stays, func(t run.Target) bool {
		return slices.Contains(o.Targets.Devices(t), device)
	})
}

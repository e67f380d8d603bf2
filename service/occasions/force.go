package occasions

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/control"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/occasion"
	"urbo/core/run"
	"urbo/service/runs"
	"urbo/service/setting"
	"urbo/store"
)

// InForce lists the occasions that are in force.
func (o *Occasions) InForce() []occasion.Force {
	o.mu.Lock()
	defer o.mu.Unlock()
	return slices.Clone(o.force)
}

// Held says who has which rein now: of several occasions in force, the one that began last gives it.
func (o *Occasions) Held() map[occasion.Rein]run.Path {
	out := map[occasion.Rein]run.Path{}
	all := o.InForce()
	slices.SortStableFunc(all, func(a, b occasion.Force) int { return a.Since.Compare(b.Since) })
	for _, f := range all {
		one, err := o.Find(f.Occasion)
		if err != nil {
			continue
		}
		for r, path := range one.Doc.Reins {
			if o.Targets.Name(path.On) != "" {
				out[r] = path
			}
		}
	}
	return out
}

// What is done with an occasion.
type What string

// What can be done. Start and Right press only what must change.
const (
	Start What = "start"
	End   What = "end"
	Right What = "right" // what differs is put right
)

// Planned is what would be pressed for one device.
type Planned struct {
	Device string // slug
	Name   string
	Stage  int // from 1; those of one stage are set side by side
	Wants  []control.Want
	Result setting.Result
	Err    error
	Ends   bool // it is switched off, because nothing wants it any more
}

// Plan is what would be pressed.
type Plan struct {
	Devices []Planned
	Presses int
	Takes   time.Duration // of all, with what goes on side by side
	Sure    bool          // all of it surely leads to what is wanted
	Ends    []string      // slugs of the occasions whose place it takes, wholly or in some rooms
}

// program is what is done, in stages.
type program struct {
	one     Occasion
	what    What
	stages  []occasion.Stage // of what it wants
	off     []string         // ids of what is switched off
	force   []occasion.Force // afterwards
	ends    []string         // ids of occasions that it takes the place of, anywhere
	devices []string
}

// lay works out what is to be done with an occasion now. Errors wrap ErrUnknown, ErrUnread, ErrForce or
// occasion.ErrOccasion.
func (o *Occasions) lay(slug string, what What, by grant.By) (program, error) {
	one, err := o.readable(slug)
	if err != nil {
		return program{}, err
	}
	p := program{one: one, what: what}
	now := o.InForce()
	was, is := occasion.Of(now, one.ID)
	if !is && what != Start {
		return p, fmt.Errorf("%w: start it first: urbo occasion start %s", ErrForce, one.Slug)
	}
	switch what {
	case End:
		p.force, p.ends = without(now, one.ID), []string{one.ID}
		for _, id := range was.Devices {
			if !one.Doc.Leaves && !o.stays(one.ID, id) && !o.held(id) {
				p.off = append(p.off, id)
			}
		}
	case Right:
		stages, err := one.Doc.Stages(o)
		if err != nil {
			return p, err
		}
		p.force, p.stages = now, among(stages, func(id string) bool { return slices.Contains(was.Rooms, o.roomOf(id)) })
	default:
		if p.stages, err = one.Doc.Stages(o); err != nil {
			return p, err
		}
		f := occasion.Force{Occasion: one.ID, Devices: occasion.Devices(p.stages), Since: o.Now(), By: by.String(),
			Kind: string(by.Kind)}
		f.Rooms = o.rooms(one.Doc, f.Devices)
		var off []string
		p.force, off = occasion.Begin(now, f, o.roomOf, o.stays)
		p.off = slices.DeleteFunc(off, o.held)
		for _, other := range now {
			if other.Occasion != one.ID && slices.ContainsFunc(other.Rooms, func(r string) bool {
				return slices.Contains(f.Rooms, r)
			}) {
				p.ends = append(p.ends, other.Occasion)
			}
		}
	}
	p.off = slices.DeleteFunc(p.off, func(id string) bool { return len(o.powers(id)) == 0 })
	p.devices = append(slices.Clone(p.off), occasion.Devices(p.stages)...)
	return p, nil
}

// rooms are the ids of the rooms that an occasion is in force in.
func (o *Occasions) rooms(d occasion.Occasion, devices []string) (out []string) {
	if d.Room != "" {
		return []string{d.Room}
	}
	for _, id := range devices {
		if r := o.roomOf(id); !slices.Contains(out, r) {
			out = append(out, r)
		}
	}
	return out
}

func (o *Occasions) roomOf(id string) string { return o.Library.RoomOf(id) }

// among leaves out of stages the devices that something is not true of.
func among(stages []occasion.Stage, is func(id string) bool) (out []occasion.Stage) {
	for _, s := range stages {
		kept := slices.DeleteFunc(slices.Clone(s), func(p occasion.Part) bool { return !is(p.Device) })
		if len(kept) > 0 {
			out = append(out, kept)
		}
	}
	return out
}

func without(all []occasion.Force, id string) []occasion.Force {
	return slices.DeleteFunc(slices.Clone(all), func(f occasion.Force) bool { return f.Occasion == id })
}

// powers are the controls that switch a device off.
func (o *Occasions) powers(id string) (out []control.Want) {
	spec, err := o.Beliefs.Spec(id)
	if err != nil {
		return nil
	}
	for _, c := range spec.Controls() {
		if c.Kind == control.Power {
			out = append(out, control.Want{Control: c.Name, Value: "off"})
		}
	}
	return out
}

// held says whether a control of a device is set for a time: that is somebody's wish of its own.
func (o *Occasions) held(id string) bool {
	for _, h := range o.Holds.List() {
		if h.DeviceID == id && h.Phase != run.HoldEnded {
			return true
		}
	}
	return false
}

// all are the stages with what is switched off, which is the first of them.
func (p program) all(o *Occasions) []occasion.Stage {
	if len(p.off) == 0 {
		return p.stages
	}
	var off occasion.Stage
	for _, id := range p.off {
		off = append(off, occasion.Part{Device: id, Wants: o.powers(id)})
	}
	if len(p.stages) == 0 {
		return []occasion.Stage{off}
	}
	return append([]occasion.Stage{slices.Concat(off, p.stages[0])}, p.stages[1:]...)
}

// Devices are the ids of all devices that something would set. Errors are those of Plan.
func (o *Occasions) Devices(slug string, what What) ([]string, error) {
	p, err := o.lay(slug, what, grant.By{})
	return p.devices, err
}

// Plan says what would be pressed. Errors wrap ErrUnknown, ErrUnread, ErrForce or occasion.ErrOccasion.
func (o *Occasions) Plan(slug string, what What) (Plan, error) {
	p, err := o.lay(slug, what, grant.By{})
	if err != nil {
		return Plan{}, err
	}
	out := Plan{Sure: true, Devices: []Planned{}, Ends: []string{}}
	for n, stage := range p.all(o) {
		var longest time.Duration
		for _, part := range stage {
			one := Planned{Device: o.Library.Slug(part.Device), Name: o.Library.Name(part.Device), Stage: n + 1,
				Wants: part.Wants,
				Ends:  n == 0 && slices.Contains(p.off, part.Device)}
			one.Result, one.Err = o.Planner.Plan(setting.Wish{Device: part.Device, Wants: part.Wants, Spare: true})
			for _, s := range one.Result.Plan.Steps {
				out.Presses += max(s.Times, 1)
			}
			out.Sure = out.Sure && one.Err == nil && one.Result.Plan.Sure
			longest = max(longest, one.Result.Plan.Takes)
			out.Devices = append(out.Devices, one)
		}
		out.Takes += longest
	}
	for _, id := range p.ends {
		if one, err := o.Find(id); err == nil && id != p.one.ID {
			out.Ends = append(out.Ends, one.Slug)
		}
	}
	return out, nil
}

// Do starts or ends an occasion, or puts right what differs from it. The run is under way when it returns; it has no id
// where there is nothing to do. What is under way of it, or of an occasion whose place it takes, ends at the next safe
// place. may is asked about the devices that are set. Errors are those of Plan, runs.Start and may, or the store's.
func (o *Occasions) Do(ctx context.Context, slug string, what What, by grant.By, may func(ids []string) error) (
	runs.Run, error) {
	o.writer.Lock()
	defer o.writer.Unlock()
	p, err := o.lay(slug, what, by)
	if err == nil && may != nil {
		err = may(p.devices)
	}
	if err != nil {
		return runs.Run{}, err
	}
	before := o.InForce()
	for _, id := range p.ends {
		if id != p.one.ID {
			o.Runs.Halt(id, p.one.Name+" takes its place")
		}
	}
	o.Runs.Halt(p.one.ID, map[What]string{End: "the occasion ends", Start: "it is started anew",
		Right: "what differs is put right"}[what])
	if err := o.put(ctx, p.force); err != nil {
		return runs.Run{}, fmt.Errorf("%s %s: nothing was pressed: %w", what, p.one.Slug, err)
	}
	started := runs.Run{Name: p.one.Slug, Of: p.one.ID, By: by}
	if steps := o.steps(p); len(steps) > 0 {
		started, err = o.Runs.Start(runs.Order{Name: p.one.Slug, Of: p.one.ID, Program: steps, By: by, Follow: true})
		if err != nil {
			return started, fmt.Errorf("%w%s", err, suffix(o.put(ctx, before)))
		}
	}
	if what != End {
		o.began(p.one.ID, started.ID)
	}
	o.tell(p, by, started.ID)
	return started, nil
}

func suffix(err error) string {
	if err == nil {
		return ""
	}
	return ": and which occasion is in force could not be kept: " + err.Error()
}

// began notes which run sets what an occasion wants. Without it, after a restart, what it wants just differs.
func (o *Occasions) began(id, run string) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for i := range o.force {
		if o.force[i].Occasion == id {
			o.force[i].Run = run
		}
	}
}

// put keeps which occasions are in force.
func (o *Occasions) put(ctx context.Context, all []occasion.Force) error {
	text, err := store.WriteDocument(forceVersion, inForce{all})
	if err != nil {
		return err
	}
	if o.aside != "" {
		if err := o.Store.PutAside(ctx, store.Aside{Kind: forceRow, Document: o.aside, At: o.Now()}); err != nil {
			return err
		}
		o.aside = ""
	}
	if err := o.Store.PutHouseText(ctx, forceRow, text); err != nil {
		return err
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	o.force = all
	return nil
}

// steps are what is done as the program of a run.
func (o *Occasions) steps(p program) (out run.Program) {
	for n, stage := range p.all(o) {
		set := &run.Set{Eased: true}
		var off, texts []string
		for _, part := range stage {
			on := run.Target{Kind: run.Device, ID: part.Device, Was: o.Library.Slug(part.Device)}
			for _, w := range part.Wants {
				set.Changes = append(set.Changes, run.Wanted{On: on, Control: w.Control, Value: w.Value})
			}
			if n == 0 && slices.Contains(p.off, part.Device) {
				off = append(off, on.Was)
				continue
			}
			texts = append(texts, on.Was)
		}
		var says []string
		if len(off) > 0 {
			says = append(says, "switch off "+strings.Join(off, ", "))
		}
		if len(texts) > 0 {
			says = append(says, "set "+strings.Join(texts, ", "))
		}
		out = append(out, run.Op{Set: set, Says: strings.Join(says, ", and ")})
	}
	if missing := o.lacking(p.one); p.what != End && len(missing) > 0 { // it is said
		set := &run.Set{Eased: true, Changes: missing}
		out = append(out, run.Op{Set: set, Says: run.Print([]run.Step{{Set: set}}, o.Targets.Name)})
	}
	return out
}

// tell tells what became of occasions.
func (o *Occasions) tell(p program, by grant.By, runID string) {
	rooms := func(f occasion.Force) (out []string) {
		for _, id := range f.Rooms {
			if r, err := o.Rooms.Find(id); err == nil {
				out = append(out, r.Name)
			}
		}
		return out
	}
	publish := func(one Occasion, text string, f occasion.Force) {
		o.Stream.Publish(happening.Happening{By: by, Cause: runID, What: happening.OccasionInForce{OccasionID: one.ID,
			Occasion: one.Slug, Rooms: f.Rooms, Devices: f.Devices, Text: text}})
	}
	for _, id := range p.ends {
		one, err := o.Find(id)
		if err != nil {
			continue
		}
		switch f, still := occasion.Of(p.force, id); {
		case p.what == End:
			publish(one, one.Name+" ended", f)
		case still:
			publish(one, fmt.Sprintf("%s goes on in %s only", one.Name, strings.Join(rooms(f), ", ")), f)
		default:
			publish(one, fmt.Sprintf("%s ended: %s takes its place", one.Name, p.one.Name), f)
		}
	}
	if p.what == Start {
		f, _ := occasion.Of(p.force, p.one.ID)
		text := p.one.Name + " is in force"
		if names := rooms(f); len(names) > 0 {
			text += " in " + strings.Join(names, ", ")
		}
		publish(p.one, text, f)
	}
}

// State is how an occasion stands.
type State struct {
	Occasion
	Force    *occasion.Force // nil where it is not in force
	Starting bool            // its start is under way
	Differs  []occasion.Difference
}

// StateOf is how an occasion stands. While it starts, nothing differs yet.
func (o *Occasions) StateOf(one Occasion) State {
	s := State{Occasion: one}
	f, is := occasion.Of(o.InForce(), one.ID)
	if !is {
		return s
	}
	s.Force = &f
	if r, err := o.Runs.One(f.Run); f.Run != "" && err == nil && r.State.Phase != run.Ended {
		s.Starting = true
		return s
	}
	stages, err := one.Doc.Stages(o)
	if err != nil {
		return s
	}
	stages = among(stages, func(id string) bool { return slices.Contains(f.Rooms, o.roomOf(id)) })
	s.Differs = occasion.Differs(stages, believed{o.Beliefs})
	return s
}

// Run looks what differs whenever something changes, until the context ends, and tells it where that is another.
func (o *Occasions) Run(ctx context.Context) error {
	defer o.Stream.Leave(o.queue)
	o.look()
	for {
		batch, err := o.queue.Next(ctx)
		if err != nil {
			return nil //nolint:nilerr // the context ended
		}
		if !slices.ContainsFunc(batch, concerns) || len(o.InForce()) == 0 {
			continue
		}
		o.look()
		select {
		case <-time.After(breath):
		case <-ctx.Done():
			return nil
		}
	}
}

// concerns says whether it may differ more or less after something happened.
func concerns(h happening.Happening) bool {
	switch w := h.What.(type) {
	case happening.Believed, happening.ToldBelief, happening.OccasionChanged, happening.OccasionInForce,
		happening.DeviceChanged, happening.DeviceRemoved, happening.GroupChanged:
		return true
	case happening.RunChanged:
		return w.Phase == run.Ended
	}
	return false
}

// look tells of each occasion in force how much differs, where that is another number than was told.
func (o *Occasions) look() {
	now := map[string]int{}
	for _, f := range o.InForce() {
		one, err := o.Find(f.Occasion)
		if err != nil {
			continue
		}
		n := len(o.StateOf(one).Differs)
		now[one.ID] = n
		o.mu.Lock()
		was := o.differ[one.ID]
		o.mu.Unlock()
		if n != was {
			o.Stream.Publish(happening.Happening{What: happening.OccasionDiffers{OccasionID: one.ID, Occasion: one.Slug,
				Differs: n, Devices: f.Devices}})
		}
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	o.differ = now
}

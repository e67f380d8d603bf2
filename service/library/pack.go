package library

import (
	"context"
	"fmt"
	"slices"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/pack"
	"urbo/store"
)

// What is done with a device of a pack whose slug is taken.
const (
	Skip    = "skip"    // it is left out
	Replace = "replace" // its codes become the newest versions of the device's; keys that it lacks stay
	Copy    = "copy"    // it is added under another slug
)

// Export makes a pack of devices and code sets; where none is named, of all devices. Errors wrap ErrUnknownDevice or
// ErrUnknownSet.
func (l *Library) Export(slugs, sets []string) (pack.Pack, error) {
	if len(slugs)+len(sets) == 0 {
		for _, row := range l.Lines("") {
			slugs = append(slugs, row.Slug)
		}
		slices.Sort(slugs)
	}
	out := pack.Pack{Format: pack.Format, Version: pack.Version, Devices: []device.Device{}}
	for _, slug := range slugs {
		d, err := l.Device(slug)
		if err != nil {
			return pack.Pack{}, fmt.Errorf("export: %w", err)
		}
		d.Forms = d.Portable()
		out.Devices = append(out.Devices, d)
	}
	for _, slug := range sets {
		d, err := l.Set(slug)
		if err != nil {
			return pack.Pack{}, fmt.Errorf("export: %w", err)
		}
		out.Sets = append(out.Sets, d)
	}
	return out, nil
}

// PackItem is one thing of a pack, and what importing it does.
type PackItem struct {
	What       string // device, set, group, sequence, occasion or board
	Slug, Name string
	Keys       int
	Taken      bool   // one of this slug is there already
	Same       bool   // the same is there
	Action     string // add, or what is done where it is taken
	As         string // the slug that it gets; "" where a device or set is left out
}

// PackPlan is what importing a pack does, or did.
type PackPlan struct {
	Version string
	Done    bool // false for a preview: nothing was changed
	Items   []PackItem
}

// Plan says what importing a pack would do, where conflict (Skip, Replace or Copy) is what to do with slugs that are
// taken. Its errors are those of Import: what it accepts can be imported.
func (l *Library) Plan(p pack.Pack, conflict string) (PackPlan, error) {
	l.writer.Lock()
	defer l.writer.Unlock()
	plan, _, err := l.prepare(p, conflict)
	return plan, err
}

// planned says what is done with each device and code set of a pack.
func (l *Library) planned(p pack.Pack, conflict string) (PackPlan, error) {
	if !slices.Contains([]string{Skip, Replace, Copy}, conflict) {
		return PackPlan{}, fmt.Errorf("%w: conflict %.20q: skip, replace or copy", pack.ErrPack, conflict)
	}
	devices := plan("device", p.Devices, conflict, func(slug string) (device.Device, bool) {
		l.mu.RLock()
		id := l.ids[slug] // not a slug that one had
		l.mu.RUnlock()
		d, err := l.ByID(id)
		return d, err == nil
	})
	sets := plan("set", p.Sets, conflict, func(slug string) (device.Device, bool) {
		d, err := l.Set(slug)
		return d, err == nil
	})
	return PackPlan{Version: p.Version, Items: append(append([]PackItem{}, devices...), sets...)}, nil
}

// plan says what importing some devices or code sets would do, where here looks for one that has the slug.
func plan(what string, devices []device.Device, conflict string, here func(slug string) (device.Device,
	bool)) []PackItem {
	var out []PackItem
	used := map[string]bool{}
	for _, d := range devices {
		used[d.Slug] = true
	}
	free := func(slug string) bool {
		_, taken := here(slug)
		return !taken && !used[slug]
	}
	for _, d := range devices {
		item := PackItem{What: what, Slug: d.Slug, Name: d.Name, Keys: len(d.Keys), Action: "add", As: d.Slug}
		if own, taken := here(d.Slug); taken {
			item.Taken, item.Same, item.Action = true, sameKeys(own.Keys, d.Keys), conflict
			switch {
			case item.Same || conflict == Skip:
				item.Action, item.As = Skip, ""
			case conflict == Copy:
				item.As = device.FreeSlug(d.Slug, free)
				used[item.As] = true
			}
		}
		out = append(out, item)
	}
	return out
}

func sameKeys(a, b []device.Key) bool {
	return slices.EqualFunc(a, b, func(x, y device.Key) bool {
		return x.Name == y.Name && x.Hold == y.Hold && device.SameCodes(x.Codes, y.Codes)
	})
}

// prepare makes the changes that bring a pack, and checks each of them. The caller holds writer.
func (l *Library) prepare(p pack.Pack, conflict string) (PackPlan, store.Batch, error) {
	batch := store.Batch{Identify: l.Identity, At: l.now()}
	plan, err := l.planned(p, conflict)
	if err != nil {
		return plan, batch, err
	}
	for i, d := range p.Devices {
		if plan.Items[i].Action == Skip {
			continue
		}
		c, err := l.importOne(d, plan.Items[i])
		if err == nil {
			err = l.complete(c)
		}
		if err != nil {
			return plan, batch, fmt.Errorf("import %s: %w", d.Slug, err)
		}
		batch.Devices = append(batch.Devices, c)
	}
	for i, d := range p.Sets {
		item := plan.Items[len(p.Devices)+i]
		if item.Action == Skip {
			continue
		}
		if d.Name, err = device.CleanName("the set's name", d.Name); err != nil {
			return plan, batch, fmt.Errorf("import the code set %s: %w", d.Slug, err)
		}
		d.Slug, d.Room = item.As, ""
		batch.Sets = append(batch.Sets, d)
	}
	return plan, batch, nil
}

// Import does what Plan says, all of it in one transaction or nothing. Errors are those of Change.
func (l *Library) Import(ctx context.Context, p pack.Pack, conflict string, note Note) (PackPlan, error) {
	l.writer.Lock()
	defer l.writer.Unlock()
	plan, batch, err := l.prepare(p, conflict)
	if err != nil {
		return plan, err
	}
	for _, c := range batch.Devices {
		if err := l.place(ctx, note, c); err != nil {
			return plan, fmt.Errorf("import %s: %w", c.After.Slug, err)
		}
	}
	if err := l.devices.Apply(ctx, batch); err != nil {
		return plan, fmt.Errorf("import: nothing was changed: %w", err)
	}
	for _, c := range batch.Devices {
		l.changed(Note{By: note.By, Quiet: true}, c)
	}
	if len(batch.Sets) > 0 {
		l.putShelf(batch.Sets, nil)
	}
	l.stream.Publish(happening.Happening{By: note.By, What: happening.PackImported{Devices: len(batch.Devices),
		Sets: len(batch.Sets)}})
	plan.Done = true
	return plan, nil
}

// importOne is the change that brings one device of a pack. A replaced one keeps its id and its keys; codes become the
// next versions.
func (l *Library) importOne(d device.Device, item PackItem) (store.Edit, error) {
	if device.CheckKind(d.Kind) != nil { // a kind that a newer version has
		d.Kind = "other"
	}
	if d.Forms = d.Portable(); item.Action != Replace {
		d = d.Clone()
		d.Slug = item.As
		for i := range d.Keys {
			for j := range d.Keys[i].Codes {
				d.Keys[i].Codes[j].Source = "pack"
			}
		}
		return store.Edit{After: &d}, nil
	}
	before, err := l.Device(item.As)
	if err != nil {
		return store.Edit{}, err
	}
	after := before.Clone()
	after.Name, after.Kind, after.Maker, after.Model, after.Room, after.Traits, after.Extra = d.Name, d.Kind, d.Maker,
		d.Model, d.Room, d.Traits, d.Extra
	after.Forms = after.Keeping(before.Forms)
	return store.Edit{Before: &before, After: &after}, GiveKeys(&after, d.Keys, "pack")
}

package library

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"

	"gorm.io/gorm"

	"urbo/core/pack"
	"urbo/store"
	"urbo/wire"
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
	l.mu.RLock()
	defer l.mu.RUnlock()
	if len(slugs)+len(sets) == 0 {
		for slug := range l.devices {
			slugs = append(slugs, slug)
		}
		slices.Sort(slugs)
	}
	out := pack.Pack{Format: pack.Format, Version: pack.Version, Devices: []pack.Device{}}
	for _, slug := range slugs {
		d, err := l.find(slug)
		if err != nil {
			return pack.Pack{}, fmt.Errorf("export: %w", err)
		}
		out.Devices = append(out.Devices, toPack(d))
	}
	for _, slug := range sets {
		d, err := l.findSet(slug)
		if err != nil {
			return pack.Pack{}, fmt.Errorf("export: %w", err)
		}
		out.Sets = append(out.Sets, d)
	}
	return out, nil
}

func toPack(d *store.Device) pack.Device {
	out := pack.Device{Slug: d.Slug, Name: d.Name, Kind: d.Kind, Maker: d.Maker, Model: d.Model, Traits: d.Traits, Keys: []pack.Key{}, Extra: unpacked(d.Extra)}
	if d.Room != nil {
		out.Room = d.Room.Name
	}
	for i := range d.Keys {
		k := pack.Key{Name: d.Keys[i].Name, Hold: d.Keys[i].Hold, Codes: []pack.Code{}, Extra: unpacked(d.Keys[i].Extra)}
		for _, c := range InForce(&d.Keys[i]) {
			p := pack.Code{Sheet: c.Sheet, Inline: c.Inline, Fields: c.Fields, UnitUS: c.UnitUS, Train: c.Train, GapUS: c.GapUS,
				CarrierHz: c.CarrierHz, FrequencyHz: c.FrequencyHz, Repeats: c.Repeats, Extra: unpacked(c.Extra)}
			if c.Inline != "" { // they follow from the sheet and its fields
				p.Train, p.GapUS = nil, 0
			}
			k.Codes = append(k.Codes, p)
		}
		out.Keys = append(out.Keys, k)
	}
	return out
}

// unpacked is what was kept of a pack that this version does not know.
func unpacked(text string) pack.Extra {
	var out pack.Extra
	if text == "" || json.Unmarshal([]byte(text), &out) != nil {
		return nil
	}
	return out
}

func packed(e pack.Extra) string {
	if len(e) == 0 {
		return ""
	}
	data, err := json.Marshal(e)
	if err != nil { // it was JSON when it was read
		return ""
	}
	return string(data)
}

// Plan says what importing a pack would do, where conflict (Skip, Replace or Copy) is what to do with slugs that are
// taken.
func (l *Library) Plan(p pack.Pack, conflict string) (wire.PackPlan, error) {
	if !slices.Contains([]string{Skip, Replace, Copy}, conflict) {
		return wire.PackPlan{}, fmt.Errorf("%w: conflict %.20q: skip, replace or copy", pack.ErrPack, conflict)
	}
	l.mu.RLock()
	defer l.mu.RUnlock()
	plan := wire.PackPlan{Version: p.Version, Items: []wire.PackItem{}}
	plan.Items = append(planned("device", p.Devices, conflict, func(slug string) ([]pack.Key, bool) {
		if l.devices[slug] == nil {
			return nil, false
		}
		d, err := l.find(slug)
		if err != nil {
			return nil, true
		}
		return toPack(d).Keys, true
	}), planned("set", p.Sets, conflict, func(slug string) ([]pack.Key, bool) {
		d, there := l.shelf.sets[slug]
		return d.Keys, there
	})...)
	return plan, nil
}

// planned says what importing some devices or code sets would do, where here looks for one that has the slug.
func planned(what string, devices []pack.Device, conflict string, here func(slug string) (keys []pack.Key, taken bool)) []wire.PackItem {
	var out []wire.PackItem
	used := map[string]bool{}
	for _, d := range devices {
		used[d.Slug] = true
	}
	taken := func(slug string) bool {
		_, t := here(slug)
		return t || used[slug]
	}
	for _, d := range devices {
		item := wire.PackItem{What: what, Slug: d.Slug, Name: d.Name, Keys: len(d.Keys), Action: "add", As: d.Slug}
		if keys, t := here(d.Slug); t {
			item.Taken, item.Same, item.Action = true, reflect.DeepEqual(keys, d.Keys), conflict
			switch {
			case item.Same || conflict == Skip:
				item.Action, item.As = Skip, ""
			case conflict == Copy:
				for n := 2; taken(item.As); n++ {
					item.As = fmt.Sprintf("%.36s-%d", d.Slug, n)
				}
				used[item.As] = true
			}
		}
		out = append(out, item)
	}
	return out
}

// Import does what Plan says, all of it in one transaction or nothing. Errors wrap ErrCode or ErrName.
func (l *Library) Import(ctx context.Context, p pack.Pack, conflict string) (wire.PackPlan, error) {
	plan, err := l.Plan(p, conflict)
	if err != nil {
		return plan, err
	}
	rows := make([]store.Device, 0, len(p.Devices))
	for i, d := range p.Devices {
		if plan.Items[i].Action == Skip {
			continue
		}
		row, err := l.fromPack(d, plan.Items[i])
		if err != nil {
			return plan, fmt.Errorf("import %s: %w", d.Slug, err)
		}
		rows = append(rows, row)
	}
	for i := range p.Sets {
		d := &p.Sets[i]
		if d.Name, err = CleanName("the set's name", d.Name); err == nil {
			err = errors.Join(checkText("maker", d.Maker), checkText("model", d.Model))
		}
		if err != nil {
			return plan, fmt.Errorf("import the code set %s: %w", d.Slug, err)
		}
	}
	err = l.store.Change(ctx, func(tx *gorm.DB) error {
		n := 0
		for i, d := range p.Devices {
			if plan.Items[i].Action == Skip {
				continue
			}
			row := &rows[n]
			n++
			var err error
			if row.RoomID, err = room(tx, d.Room); err != nil {
				return err
			}
			if err := bring(tx, row, plan.Items[i].Action == Replace); err != nil {
				return err
			}
		}
		for i, d := range p.Sets {
			item := plan.Items[len(p.Devices)+i]
			if item.Action == Skip {
				continue
			}
			d.Slug, d.Room = item.As, ""
			if err := putSet(tx, d, l.now()); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return plan, fmt.Errorf("import: nothing was changed: %w", err)
	}
	if err := l.reload(ctx); err != nil {
		return plan, err
	}
	for _, item := range plan.Items {
		if item.Action == Skip || item.What == "set" {
			continue
		}
		if d, err := l.Device(item.As); err == nil {
			l.events.Publish(d)
		}
	}
	plan.Done = true
	return plan, nil
}

// bring writes a device of a pack. A replaced one keeps its id and its keys; codes become the next versions.
func bring(tx *gorm.DB, row *store.Device, replace bool) error {
	if !replace {
		return tx.Create(row).Error
	}
	set := map[string]any{"name": row.Name, "kind": row.Kind, "maker": row.Maker, "model": row.Model, "room_id": row.RoomID, "extra": row.Extra, "updated_at": row.UpdatedAt}
	if err := tx.Model(&store.Device{}).Where("slug = ?", row.Slug).Updates(set).Error; err != nil {
		return err
	}
	if err := putTraits(tx, row.Slug, row.Traits); err != nil {
		return err
	}
	return bringKeys(tx, row)
}

// bringKeys gives a device that is there the keys of row: new ones are added, and codes become the next versions.
func bringKeys(tx *gorm.DB, row *store.Device) error {
	var here store.Device
	if err := tx.Preload("Keys").Preload("Keys.Codes").Where("slug = ?", row.Slug).First(&here).Error; err != nil {
		return err
	}
	for _, k := range row.Keys {
		i := slices.IndexFunc(here.Keys, func(h store.Key) bool { return h.Name == k.Name })
		if i < 0 {
			k.DeviceID, k.Position = here.ID, len(here.Keys)+k.Position
			if err := tx.Create(&k).Error; err != nil {
				return err
			}
			continue
		}
		old := &here.Keys[i]
		for j := range k.Codes {
			k.Codes[j].KeyID, k.Codes[j].Version = old.ID, version(old)+1
		}
		set := map[string]any{"updated_at": k.UpdatedAt}
		if k.Extra != "" {
			set["extra"] = k.Extra
		}
		if k.Hold != "" {
			set["hold"] = k.Hold
		}
		if err := tx.Model(&store.Key{}).Where("id = ?", old.ID).Updates(set).Error; err != nil {
			return err
		}
		if len(k.Codes) > 0 {
			if err := tx.Create(&k.Codes).Error; err != nil {
				return err
			}
		}
	}
	return nil
}

// fromPack turns a device of a pack into rows.
func (l *Library) fromPack(d pack.Device, item wire.PackItem) (store.Device, error) {
	name, err := CleanName("the device's name", d.Name)
	if err != nil {
		return store.Device{}, err
	}
	row := store.Device{ID: store.NewID(), Slug: item.As, Name: name, Kind: d.Kind, Maker: d.Maker, Model: d.Model, Traits: d.Traits, Extra: packed(d.Extra), CreatedAt: l.now(), UpdatedAt: l.now()}
	if checkKind(row.Kind) != nil { // a kind that a newer version has
		row.Kind = "other"
	}
	if err := errors.Join(checkText("maker", d.Maker), checkText("model", d.Model)); err != nil {
		return row, err
	}
	for _, k := range d.Keys {
		if err := l.appendKey(&row, k.Name); err != nil {
			return row, err
		}
		key := &row.Keys[len(row.Keys)-1]
		key.Hold, key.Extra = k.Hold, packed(k.Extra)
		if key.Codes, err = l.codeRows(k, key.ID, "pack"); err != nil {
			return row, fmt.Errorf("key %s: %w", k.Name, err)
		}
	}
	return row, nil
}

// codeRows turns a key of a pack into the first version of a key's codes.
func (l *Library) codeRows(k pack.Key, id, source string) ([]store.Code, error) {
	var out []store.Code
	for i, c := range k.Codes {
		w := CodeOf(c)
		w.Source = source
		code, err := l.Row(w)
		if err != nil {
			return nil, err
		}
		code.KeyID, code.Version, code.Position, code.Extra = id, 1, i, packed(c.Extra)
		out = append(out, code)
	}
	return out, nil
}

// CodeOf is a code of a pack as it crosses the network.
func CodeOf(c pack.Code) wire.Code {
	return wire.Code{Sheet: c.Sheet, Inline: c.Inline, Fields: wire.Fields(c.Fields), Unit: c.UnitUS, Train: c.Train, GapUS: c.GapUS,
		CarrierHz: c.CarrierHz, FrequencyHz: c.FrequencyHz, Repeats: c.Repeats}
}

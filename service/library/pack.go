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

// Export makes a pack of devices; none is all of them. Errors wrap ErrUnknownDevice.
func (l *Library) Export(slugs []string) (pack.Pack, error) {
	l.mu.RLock()
	defer l.mu.RUnlock()
	if len(slugs) == 0 {
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
	return out, nil
}

func toPack(d *store.Device) pack.Device {
	out := pack.Device{Slug: d.Slug, Name: d.Name, Kind: d.Kind, Maker: d.Maker, Model: d.Model, Keys: []pack.Key{}, Extra: unpacked(d.Extra)}
	if d.Room != nil {
		out.Room = d.Room.Name
	}
	for i := range d.Keys {
		k := pack.Key{Name: d.Keys[i].Name, Codes: []pack.Code{}, Extra: unpacked(d.Keys[i].Extra)}
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
	used := map[string]bool{}
	for _, d := range p.Devices {
		used[d.Slug] = true
	}
	for _, d := range p.Devices {
		item := wire.PackItem{Slug: d.Slug, Name: d.Name, Keys: len(d.Keys), Action: "add", As: d.Slug}
		if here := l.devices[d.Slug]; here != nil {
			item.Taken, item.Same, item.Action = true, reflect.DeepEqual(toPack(here).Keys, d.Keys), conflict
			switch {
			case item.Same || conflict == Skip:
				item.Action, item.As = Skip, ""
			case conflict == Copy:
				for n := 2; l.devices[item.As] != nil || used[item.As]; n++ {
					item.As = fmt.Sprintf("%.36s-%d", d.Slug, n)
				}
				used[item.As] = true
			}
		}
		plan.Items = append(plan.Items, item)
	}
	return plan, nil
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
		return nil
	})
	if err != nil {
		return plan, fmt.Errorf("import: nothing was changed: %w", err)
	}
	if err := l.reload(ctx); err != nil {
		return plan, err
	}
	for _, item := range plan.Items {
		if item.Action == Skip {
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
	var here store.Device
	if err := tx.Preload("Keys").Preload("Keys.Codes").Where("slug = ?", row.Slug).First(&here).Error; err != nil {
		return err
	}
	set := map[string]any{"name": row.Name, "kind": row.Kind, "maker": row.Maker, "model": row.Model, "room_id": row.RoomID, "extra": row.Extra, "updated_at": row.UpdatedAt}
	if err := tx.Model(&store.Device{}).Where("id = ?", here.ID).Updates(set).Error; err != nil {
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
		if err := tx.Model(&store.Key{}).Where("id = ?", old.ID).Updates(map[string]any{"extra": k.Extra, "updated_at": k.UpdatedAt}).Error; err != nil {
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
	row := store.Device{ID: store.NewID(), Slug: item.As, Name: name, Kind: d.Kind, Maker: d.Maker, Model: d.Model, Extra: packed(d.Extra), CreatedAt: l.now(), UpdatedAt: l.now()}
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
		key.Extra = packed(k.Extra)
		for i, c := range k.Codes {
			code, err := l.Row(wire.Code{Sheet: c.Sheet, Inline: c.Inline, Fields: wire.Fields(c.Fields), Unit: c.UnitUS, Train: c.Train, GapUS: c.GapUS,
				CarrierHz: c.CarrierHz, FrequencyHz: c.FrequencyHz, Repeats: c.Repeats, Source: "pack"})
			if err != nil {
				return row, fmt.Errorf("key %s: %w", k.Name, err)
			}
			code.KeyID, code.Version, code.Position, code.Extra = key.ID, 1, i, packed(c.Extra)
			key.Codes = append(key.Codes, code)
		}
	}
	return row, nil
}

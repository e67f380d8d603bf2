package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"urbo/core/device"
)

type setRow struct {
	Slug    string `gorm:"primaryKey"`
	Name    string
	Kind    string
	Maker   string
	Model   string
	Keys    string
	Extra   string
	AddedMS int64 `gorm:"column:added_ms"`
}

// Sets reads the code sets by slug. One that cannot be read is left out, and named in troubles.
func (r Devices) Sets(ctx context.Context) (sets []device.Device, troubles []error, err error) {
	var rows []setRow
	if err := r.store.read.WithContext(ctx).Table("code_sets").Order("slug").Find(&rows).Error; err != nil {
		return nil, nil, Explain(err)
	}
	for _, row := range rows {
		d := device.Device{Slug: row.Slug, Name: row.Name, Kind: row.Kind, Maker: row.Maker, Model: row.Model}
		err := json.Unmarshal([]byte(row.Keys), &d.Keys)
		if err == nil {
			err = readText(row.Extra, &d.Extra)
		}
		if err != nil {
			troubles = append(troubles, fmt.Errorf("the code set %s cannot be read and is left out: %w", row.Slug, err))
			continue
		}
		sets = append(sets, d)
	}
	return sets, troubles, nil
}

func putSet(tx *gorm.DB, d device.Device, at time.Time) error {
	keys, err := json.Marshal(d.Keys)
	if err != nil {
		return err
	}
	row := setRow{Slug: d.Slug, Name: d.Name, Kind: d.Kind, Maker: d.Maker, Model: d.Model, Keys: string(keys),
		AddedMS: millis(at)}
	if row.Extra, err = writeText(d.Extra, len(d.Extra) == 0); err != nil {
		return err
	}
	return tx.Table("code_sets").Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
}

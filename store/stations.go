package store

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// stationTables are what migration 0011 adds: the stations that the house knows, whether they are here or not.
var stationTables = []string{
	`CREATE TABLE stations (id TEXT PRIMARY KEY, name TEXT NOT NULL, over TEXT NOT NULL, address TEXT NOT NULL,
		room TEXT NOT NULL, hello TEXT NOT NULL, settings TEXT NOT NULL, added_ms INTEGER NOT NULL, seen_ms INTEGER,
		removed_ms INTEGER, UNIQUE (over, address))`,
	`CREATE UNIQUE INDEX station_name ON stations (name) WHERE removed_ms IS NULL`,
}

// stations makes the tables of 0011.
func stations(tx *gorm.DB) error { return execute(tx, stationTables) }

// Station is a station that the house knows.
type Station struct {
	ID       string
	Name     string
	Over     string // its transport
	Address  string // by which the transport knows it
	RoomID   string // "" where it stands in none
	Hello    string // what it last said of itself, as a document; "" where it never did
	Settings string // of its ports, as a document; "" for none
	Added    time.Time
	Seen     time.Time // when it was here last; zero where it never was
	Removed  time.Time // zero while it is not
}

type stationRow struct {
	ID, Name, Over, Address, Hello, Settings string
	RoomID                                   *string
	AddedMS                                  int64  `gorm:"column:added_ms"`
	SeenMS                                   *int64 `gorm:"column:seen_ms"`
	RemovedMS                                *int64 `gorm:"column:removed_ms"`
}

// Stations lists the stations that the house knows, in the order in which they were added.
func (s *Store) Stations(ctx context.Context) ([]Station, error) {
	var rows []stationRow
	if err := s.read.WithContext(ctx).Table("stations").Order("added_ms, name").Find(&rows).Error; err != nil {
		return nil, Explain(err)
	}
	out := make([]Station, len(rows))
	for i, r := range rows {
		out[i] = Station{ID: r.ID, Name: r.Name, Over: r.Over, Address: r.Address, RoomID: textOf(r.RoomID),
			Hello:    r.Hello,
			Settings: r.Settings, Added: fromMillis(r.AddedMS), Seen: momentOf(r.SeenMS),
			Removed: momentOf(r.RemovedMS)}
	}
	return out, nil
}

// PutStation adds or changes a station. The error wraps ErrDuplicate where another has its name.
func (s *Store) PutStation(ctx context.Context, st Station) error {
	row := stationRow{ID: st.ID, Name: st.Name, Over: st.Over, Address: st.Address, RoomID: orNull(st.RoomID),
		Hello:    st.Hello,
		Settings: st.Settings, AddedMS: millis(st.Added), SeenMS: msOf(st.Seen), RemovedMS: msOf(st.Removed)}
	err := s.change(ctx, func(tx *gorm.DB) error {
		return tx.Table("stations").Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
			UpdateAll: true}).Create(&row).Error
	})
	if err != nil {
		return fmt.Errorf("keep station %s: %w", st.Name, err)
	}
	return nil
}

// textOf is a text that may be NULL, "" where it is.
func textOf(text *string) string {
	if text == nil {
		return ""
	}
	return *text
}

// orNull is NULL for "".
func orNull(text string) *string {
	if text == "" {
		return nil
	}
	return &text
}

func momentOf(ms *int64) time.Time {
	if ms == nil {
		return time.Time{}
	}
	return fromMillis(*ms)
}

func msOf(t time.Time) *int64 {
	if t.IsZero() {
		return nil
	}
	ms := millis(t)
	return &ms
}

package lesson

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"urbo/core/lesson"
	"urbo/core/line"
	"urbo/service/event"
	"urbo/service/journal"
	"urbo/service/library"
	"urbo/service/roster"
	"urbo/store"
	"urbo/wire"
)

// Open reads the lessons of a house. Those that were running go on where they were.
func Open(ctx context.Context, s *store.Store, l *library.Library, j *journal.Journal, r *roster.Roster, events *event.Hub, book *line.Book, now func() time.Time) (*Lessons, error) {
	ls := &Lessons{store: s, library: l, journal: j, roster: r, events: events, book: book, now: now, wake: make(chan struct{}, 1)}
	var rows []store.Lesson
	if err := s.Read(ctx).Order("touched DESC").Limit(keepOver).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the lessons: %w", err)
	}
	for _, row := range slices.Backward(rows) {
		n := &session{id: row.ID, device: row.Device, by: row.By, started: row.Started, touched: now(), core: &lesson.Lesson{}, codes: map[string]wire.Code{}}
		if err := errors.Join(json.Unmarshal([]byte(row.State), n.core), json.Unmarshal([]byte(row.Codes), &n.codes)); err != nil {
			return nil, fmt.Errorf("read lesson %s: %w", row.ID, err)
		}
		n.core.Restore()
		n.closed = n.core.Over()
		ls.sessions = append(ls.sessions, n)
	}
	return ls, nil
}

// save puts a lesson on disk as it is.
func (ls *Lessons) save(ctx context.Context, s *session) error {
	state, err := json.Marshal(s.core)
	if err != nil {
		return fmt.Errorf("keep the lesson: %w", err)
	}
	codes, err := json.Marshal(s.codes)
	if err != nil {
		return fmt.Errorf("keep the lesson: %w", err)
	}
	row := store.Lesson{ID: s.id, Device: s.device, By: s.by, Started: s.started, Touched: s.touched, State: string(state), Codes: string(codes)}
	err = ls.store.Change(context.WithoutCancel(ctx), func(tx *gorm.DB) error {
		if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error; err != nil {
			return err
		}
		old := tx.Model(&store.Lesson{}).Select("id").Order("touched DESC").Offset(keepOver).Limit(-1)
		return tx.Where("id IN (?)", old).Delete(&store.Lesson{}).Error
	})
	if err != nil {
		return fmt.Errorf("keep the lesson: %w", err)
	}
	return nil
}

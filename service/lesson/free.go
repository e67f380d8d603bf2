package lesson

import (
	"context"

	"urbo/core/lesson"
	"urbo/service/library"
	"urbo/wire"
)

// name gives a key of a free lesson its name, here and in the library.
func (ls *Lessons) name(ctx context.Context, s *session, key, name string) error {
	if err := library.CheckSlug("key", name); err != nil {
		return err
	}
	settled := s.core.State(key) == lesson.Settled
	if err := s.core.Name(key, name); err != nil {
		return err
	}
	if !settled || key == name {
		return nil
	}
	if _, err := ls.library.ChangeKey(ctx, wire.KeyRef{Device: s.device, Key: key}, wire.KeyChange{Name: &name}); err != nil {
		_ = s.core.Name(name, key) // as it was
		return err
	}
	s.codes[name] = s.codes[key]
	delete(s.codes, key)
	return nil
}

// drop forgets a key of a free lesson, and takes it out of the library.
func (ls *Lessons) drop(ctx context.Context, s *session, key string) error {
	settled := s.core.State(key) == lesson.Settled
	if err := s.core.Drop(key); err != nil || !settled {
		return err
	}
	delete(s.codes, key)
	_, err := ls.library.RemoveKey(ctx, wire.KeyRef{Device: s.device, Key: key})
	return err
}

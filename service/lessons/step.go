package lessons

import (
	"context"
	"errors"
	"fmt"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/happening"
	"urbo/core/lesson"
	"urbo/service/library"
)

// Step is something that a person does in a lesson.
type Step struct {
	Do   string // skip, back, redo, add, name, drop, accept, code, pause, resume or finish
	Key  string // for redo, add, name and drop
	As   string // for name: what it is called from now on
	Code string // for code: what the asked key sends, as library.Hand has it
}

// Step moves a lesson. Errors wrap ErrStep, sitting.ErrUnknown, sitting.ErrRunning, or are the library's.
func (ls *Lessons) Step(ctx context.Context, id string, step Step) (happening.LessonChanged, error) {
	err := ls.Do(ctx, func(ctx context.Context) error {
		s, err := ls.Find(id)
		if err != nil {
			return err
		}
		over := s.Core.Over()
		if err := ls.step(ctx, s, step); err != nil {
			return refused(err)
		}
		if over && s.Core.Over() { // its end was told
			ls.Touch(ctx, s, "", "")
			return nil
		}
		ls.touch(ctx, s)
		return nil
	})
	if err != nil {
		return happening.LessonChanged{}, err
	}
	return ls.Lesson(id)
}

// refused marks errors as those of a step. What is in the way of one tells its kind.
func refused(err error) error {
	marked := fmt.Errorf("%w: %w", ErrStep, err)
	if kind := fault.Of(err); kind != fault.None {
		return fault.Give(kind, marked)
	}
	return marked
}

func (ls *Lessons) step(ctx context.Context, s *running, step Step) error {
	switch step.Do {
	case "skip":
		return s.Core.Skip()
	case "back":
		return s.Core.Back()
	case "redo":
		return s.Core.Redo(step.Key)
	case "add":
		if err := device.CheckSlug("key", step.Key); err != nil {
			return err
		}
		return s.Core.Add(step.Key)
	case "name":
		return ls.name(ctx, s, step.Key, step.As)
	case "drop":
		return ls.drop(ctx, s, step.Key)
	case "accept":
		return ls.accept(ctx, s)
	case "code":
		return ls.code(ctx, s, step.Code)
	case "pause":
		return s.Core.Pause()
	case "resume":
		if err := ls.MakeRoom(ctx, s); err != nil {
			return err
		}
		return s.Core.Resume()
	case "finish":
		s.Core.Finish()
		return nil
	}
	return fmt.Errorf("%.20q: do one of skip, back, redo, add, name, drop, accept, code, pause, resume, finish",
		step.Do)
}

// accept takes a refused press after all.
func (ls *Lessons) accept(ctx context.Context, s *running) error {
	d, err := ls.library.ByID(s.DeviceID)
	if err != nil {
		return err
	}
	learned, err := s.Core.Allow(ls.book, ls.knows(d, s.Core.Asked()))
	if err != nil {
		return err
	}
	ls.settle(ctx, s, learned, s.Core.Last.Press.ID)
	return nil
}

// code gives the asked key what somebody has of it: typed, or pasted as it was found.
func (ls *Lessons) code(ctx context.Context, s *running, text string) error {
	key := s.Core.Asked()
	switch {
	case s.Core.Over():
		return lesson.ErrIsOver
	case key == "":
		return fmt.Errorf("%w: no key is asked for: give the code to a key of the device", lesson.ErrNoKey)
	}
	codes, _, err := ls.library.Read(library.Hand{Text: text})
	if err != nil {
		return err
	}
	if err := ls.change(ctx, s, func(d *device.Device) error { return d.SetCodes(key, codes) }); err != nil {
		return err
	}
	s.Core.Give(codes[0])
	return nil
}

// name gives a key of a free lesson its name, in the library and here.
func (ls *Lessons) name(ctx context.Context, s *running, key, name string) error {
	if err := device.CheckSlug("key", name); err != nil {
		return err
	}
	trial := s.Core.Clone()
	if err := trial.Name(key, name); err != nil {
		return err
	}
	if s.Core.State(key) == lesson.Settled && key != name {
		if err := ls.change(ctx, s, func(d *device.Device) error { return d.Rename(key, name) }); err != nil {
			return err
		}
	}
	return s.Core.Name(key, name)
}

// drop takes a key of a free lesson out of the library, and forgets it.
func (ls *Lessons) drop(ctx context.Context, s *running, key string) error {
	if err := s.Core.Clone().Drop(key); err != nil {
		return err
	}
	if s.Core.State(key) == lesson.Settled {
		if err := ls.change(ctx, s, func(d *device.Device) error { return d.Remove(key) }); err != nil &&
			!errors.Is(err, device.ErrUnknownKey) {
			return err
		}
	}
	return s.Core.Drop(key)
}

func (ls *Lessons) change(ctx context.Context, s *running, f func(*device.Device) error) error {
	_, err := ls.library.Change(ctx, s.DeviceID, library.Note{By: s.By, Cause: s.ID}, f)
	return err
}

package api

import (
	"context"
	"net/http"

	"urbo/core/happening"
	"urbo/service/access"
	"urbo/service/lessons"
	"urbo/wire"
)

// LessonIn names a lesson in a path.
type LessonIn struct {
	ID string `path:"lesson" maxLength:"40"`
}

// lessons registers guided learning.
func (a *API) lessons() {
	all := a.house.Lessons
	call(a, operation{"GET", "/lessons", "list-lessons", "The last lessons, the newest first", access.Watch, 0},
		func(context.Context, *nothing) ([]wire.Lesson, error) {
			return list(all.List(), func(w happening.What) wire.Lesson {
				return wire.LessonOf(w.(happening.LessonChanged))
			}), nil
		})
	call(a, operation{"POST", "/lessons", "start-lesson", "Start a lesson for a device", access.Owner,
		http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewLesson }) (wire.Lesson, error) {
		n := lessons.New{Device: in.Body.Device, Keys: in.Body.Keys, Free: in.Body.Free, Needed: in.Body.Needed,
			By: Caller(ctx).Name}
		return as(wire.LessonOf)(all.Start(ctx, n))
	})
	call(a, operation{"GET", "/lessons/{lesson}", "get-lesson", "One lesson as it is now", access.Watch, 0},
		func(_ context.Context, in *LessonIn) (wire.Lesson, error) {
			return as(wire.LessonOf)(all.Lesson(in.ID))
		})
	call(a, operation{"POST", "/lessons/{lesson}/steps", "step-lesson",
		"Skip, go back, redo or add a key, take a refused press, pause, resume, or finish", access.Owner, 0},
		func(ctx context.Context, in *struct {
			LessonIn
			Body wire.LessonStep
		}) (wire.Lesson, error) {
			return as(wire.LessonOf)(all.Step(ctx, in.ID, lessons.Step(in.Body)))
		})
}

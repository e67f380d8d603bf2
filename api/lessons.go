package api

import (
	"context"
	"net/http"

	"urbo/service/access"
	"urbo/wire"
)

// LessonIn names a lesson in a path.
type LessonIn struct {
	ID string `path:"lesson" maxLength:"40"`
}

// lessons registers guided learning.
func (a *API) lessons() {
	call(a, operation{"GET", "/lessons", "list-lessons", "The last lessons, the newest first", access.Watch, 0}, func(context.Context, *nothing) ([]wire.Lesson, error) {
		return a.house.Lessons.Lessons(), nil
	})
	call(a, operation{"POST", "/lessons", "start-lesson", "Start a lesson for a device", access.Owner, http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewLesson }) (wire.Lesson, error) {
		return a.house.Lessons.Start(ctx, in.Body, Caller(ctx).Name)
	})
	call(a, operation{"GET", "/lessons/{lesson}", "get-lesson", "One lesson as it is now", access.Watch, 0}, func(_ context.Context, in *LessonIn) (wire.Lesson, error) {
		return a.house.Lessons.Lesson(in.ID)
	})
	call(a, operation{"POST", "/lessons/{lesson}/steps", "step-lesson", "Skip, go back, redo or add a key, take a refused press, pause, resume, or finish", access.Owner, 0}, func(ctx context.Context, in *struct {
		LessonIn
		Body wire.LessonStep
	}) (wire.Lesson, error) {
		return a.house.Lessons.Step(ctx, in.ID, in.Body)
	})
}

package api

import (
	"context"
	"net/http"

	"urbo/core/grant"
	"urbo/core/happening"
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
	call(a, operation{"GET", "/lessons", "list-lessons", "The last lessons, the newest first", grant.See, filtered, 0},
		func(ctx context.Context, _ *nothing) ([]wire.Lesson, error) {
			out := []wire.Lesson{}
			for _, w := range all.List() {
				if l := w.(happening.LessonChanged); a.sees(ctx, l.DeviceID) {
					out = append(out, wire.LessonOf(l))
				}
			}
			return out, nil
		})
	call(a, operation{"POST", "/lessons", "start-lesson", "Start a lesson for a device", grant.Teach, filtered,
		http.StatusCreated}, func(ctx context.Context, in *struct{ Body wire.NewLesson }) (wire.Lesson, error) {
		if err := a.mayOn(ctx, grant.Teach, in.Body.Device); err != nil {
			return wire.Lesson{}, err
		}
		n := lessons.New{Device: in.Body.Device, Keys: in.Body.Keys, Free: in.Body.Free, Needed: in.Body.Needed,
			By: asking(ctx)}
		return as(wire.LessonOf)(all.Start(ctx, n))
	})
	call(a, operation{"GET", "/lessons/{lesson}", "get-lesson", "One lesson as it is now", grant.See, ofLesson, 0},
		func(_ context.Context, in *LessonIn) (wire.Lesson, error) {
			return as(wire.LessonOf)(all.Lesson(in.ID))
		})
	call(a, operation{"POST", "/lessons/{lesson}/steps", "step-lesson",
		"Skip, go back, redo or add a key, take a refused press, pause, resume, or finish", grant.Teach, ofLesson, 0},
		func(ctx context.Context, in *struct {
			LessonIn
			Body wire.LessonStep
		}) (wire.Lesson, error) {
			return as(wire.LessonOf)(all.Step(ctx, in.ID, lessons.Step(in.Body)))
		})
}

package api

import (
	"context"
	"errors"
	"log/slog"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	coreaudition "urbo/core/audition"
	"urbo/core/bench"
	"urbo/core/device"
	corelesson "urbo/core/lesson"
	"urbo/core/line"
	"urbo/core/notation"
	"urbo/core/pack"
	"urbo/core/recording"
	"urbo/core/signal"
	"urbo/service/access"
	"urbo/service/air"
	"urbo/service/audition"
	"urbo/service/lesson"
	"urbo/service/library"
	"urbo/service/roster"
	"urbo/stage"
	"urbo/station"
	"urbo/store"
)

// statuses maps what went wrong to HTTP, the first that fits.
var statuses = []struct {
	err    error
	status int
}{
	{access.ErrNobody, http.StatusUnauthorized},
	{access.ErrTicket, http.StatusUnauthorized},
	{access.ErrScope, http.StatusForbidden},
	{access.ErrUnknown, http.StatusNotFound},
	{library.ErrUnknownDevice, http.StatusNotFound},
	{library.ErrUnknownKey, http.StatusNotFound},
	{library.ErrUnknownSet, http.StatusNotFound},
	{lesson.ErrUnknown, http.StatusNotFound},
	{audition.ErrUnknown, http.StatusNotFound},
	{stage.ErrUnknownHandset, http.StatusNotFound},
	{stage.ErrUnknownKey, http.StatusNotFound},
	{store.ErrNotFound, http.StatusNotFound},
	{library.ErrTaken, http.StatusConflict},
	{library.ErrNotLearned, http.StatusConflict},
	{lesson.ErrRunning, http.StatusConflict},
	{corelesson.ErrIsOver, http.StatusConflict},
	{corelesson.ErrTaken, http.StatusConflict},
	{audition.ErrRunning, http.StatusConflict},
	{coreaudition.ErrOver, http.StatusConflict},
	{coreaudition.ErrStep, http.StatusConflict},
	{coreaudition.ErrPlan, http.StatusUnprocessableEntity},
	{lesson.ErrStep, http.StatusUnprocessableEntity},
	{library.ErrName, http.StatusUnprocessableEntity},
	{library.ErrPicture, http.StatusUnprocessableEntity},
	{notation.ErrNotation, http.StatusUnprocessableEntity},
	{device.ErrTraits, http.StatusUnprocessableEntity},
	{library.ErrCode, http.StatusUnprocessableEntity},
	{line.ErrFields, http.StatusUnprocessableEntity},
	{line.ErrSheet, http.StatusUnprocessableEntity},
	{signal.ErrMalformed, http.StatusUnprocessableEntity},
	{pack.ErrPack, http.StatusUnprocessableEntity},
	{recording.ErrRecording, http.StatusUnprocessableEntity},
	{bench.ErrTooShort, http.StatusUnprocessableEntity},
	{line.ErrNeverReplay, http.StatusConflict},
	{roster.ErrNoTransmitter, http.StatusConflict},
	{station.ErrAway, http.StatusConflict},
	{air.ErrTooLong, http.StatusConflict},
	{air.ErrBusy, http.StatusTooManyRequests},
	{context.Canceled, 499},
}

// problem turns an error into an RFC 9457 problem.
func problem(err error) huma.StatusError {
	for _, s := range statuses {
		if errors.Is(err, s.err) {
			return huma.NewError(s.status, err.Error())
		}
	}
	slog.Error("request failed", "error", err)
	return huma.NewError(http.StatusInternalServerError, "Urbo could not do this: "+err.Error())
}

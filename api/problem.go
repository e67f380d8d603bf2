package api

import (
	"context"
	"errors"
	"log/slog"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"urbo/core/audition"
	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/lesson"
	"urbo/core/line"
	"urbo/core/notation"
	"urbo/core/pack"
	"urbo/core/recording"
	"urbo/core/signal"
	"urbo/service/access"
	"urbo/service/lessons"
	"urbo/service/library"
	"urbo/service/session"
	"urbo/service/stations"
	"urbo/service/transmit"
	"urbo/stage"
	"urbo/station"
	"urbo/store"
)

// statuses maps what went wrong to HTTP, the first that fits: what the disk refuses is nobody's bad input.
var statuses = []struct {
	err    error
	status int
}{
	{store.ErrFull, http.StatusInsufficientStorage},
	{store.ErrBusy, http.StatusServiceUnavailable},
	{store.ErrDisk, http.StatusInternalServerError},
	{session.ErrEnding, http.StatusServiceUnavailable},
	{transmit.ErrEnding, http.StatusServiceUnavailable},
	{access.ErrNobody, http.StatusUnauthorized},
	{access.ErrTicket, http.StatusUnauthorized},
	{access.ErrScope, http.StatusForbidden},
	{access.ErrUnknown, http.StatusNotFound},
	{library.ErrUnknownDevice, http.StatusNotFound},
	{device.ErrUnknownKey, http.StatusNotFound},
	{library.ErrUnknownSet, http.StatusNotFound},
	{session.ErrUnknown, http.StatusNotFound},
	{transmit.ErrUnknown, http.StatusNotFound},
	{stage.ErrUnknownHandset, http.StatusNotFound},
	{stage.ErrUnknownKey, http.StatusNotFound},
	{store.ErrNotFound, http.StatusNotFound},
	{device.ErrTaken, http.StatusConflict},
	{store.ErrDuplicate, http.StatusConflict},
	{library.ErrNotLearned, http.StatusConflict},
	{session.ErrRunning, http.StatusConflict},
	{lesson.ErrIsOver, http.StatusConflict},
	{lesson.ErrTaken, http.StatusConflict},
	{audition.ErrOver, http.StatusConflict},
	{audition.ErrStep, http.StatusConflict},
	{transmit.ErrOver, http.StatusConflict},
	{transmit.ErrLate, http.StatusConflict},
	{transmit.ErrGivenUp, http.StatusConflict},
	{audition.ErrPlan, http.StatusUnprocessableEntity},
	{lessons.ErrStep, http.StatusUnprocessableEntity},
	{device.ErrName, http.StatusUnprocessableEntity},
	{library.ErrPicture, http.StatusUnprocessableEntity},
	{notation.ErrNotation, http.StatusUnprocessableEntity},
	{device.ErrTraits, http.StatusUnprocessableEntity},
	{device.ErrCode, http.StatusUnprocessableEntity},
	{transmit.ErrMuch, http.StatusUnprocessableEntity},
	{line.ErrFields, http.StatusUnprocessableEntity},
	{line.ErrSheet, http.StatusUnprocessableEntity},
	{signal.ErrMalformed, http.StatusUnprocessableEntity},
	{pack.ErrPack, http.StatusUnprocessableEntity},
	{recording.ErrRecording, http.StatusUnprocessableEntity},
	{bench.ErrTooShort, http.StatusUnprocessableEntity},
	{line.ErrNeverReplay, http.StatusConflict},
	{stations.ErrNoTransmitter, http.StatusConflict},
	{station.ErrAway, http.StatusConflict},
	{transmit.ErrTooLong, http.StatusConflict},
	{transmit.ErrBusy, http.StatusTooManyRequests},
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

package api

import (
	"context"
	"errors"
	"log/slog"
	"math"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"urbo/core/audition"
	"urbo/core/bench"
	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/lesson"
	"urbo/core/line"
	"urbo/core/notation"
	"urbo/core/pack"
	"urbo/core/pairing"
	"urbo/core/recording"
	"urbo/core/signal"
	"urbo/service"
	"urbo/service/access"
	"urbo/service/backup"
	"urbo/service/belief"
	"urbo/service/lessons"
	"urbo/service/library"
	"urbo/service/measure"
	"urbo/service/selftest"
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
	{service.ErrReplacing, http.StatusServiceUnavailable},
	{backup.ErrBackup, http.StatusUnprocessableEntity},
	{access.ErrNobody, http.StatusUnauthorized},
	{access.ErrTicket, http.StatusUnauthorized},
	{access.ErrTickets, http.StatusTooManyRequests},
	{access.ErrScope, http.StatusForbidden},
	{access.ErrUnknown, http.StatusNotFound},
	{library.ErrUnknownDevice, http.StatusNotFound},
	{device.ErrUnknownKey, http.StatusNotFound},
	{library.ErrUnknownSet, http.StatusNotFound},
	{session.ErrUnknown, http.StatusNotFound},
	{transmit.ErrUnknown, http.StatusNotFound},
	{stage.ErrUnknownHandset, http.StatusNotFound},
	{stage.ErrUnknownKey, http.StatusNotFound},
	{stations.ErrUnknownStation, http.StatusNotFound},
	{store.ErrNotFound, http.StatusNotFound},
	{device.ErrTaken, http.StatusConflict},
	{store.ErrDuplicate, http.StatusConflict},
	{library.ErrNotLearned, http.StatusConflict},
	{session.ErrRunning, http.StatusConflict},
	{selftest.ErrRunning, http.StatusConflict},
	{lesson.ErrIsOver, http.StatusConflict},
	{lesson.ErrTaken, http.StatusConflict},
	{audition.ErrOver, http.StatusConflict},
	{audition.ErrStep, http.StatusConflict},
	{transmit.ErrOver, http.StatusConflict},
	{transmit.ErrLate, http.StatusConflict},
	{transmit.ErrGivenUp, http.StatusConflict},
	{audition.ErrPlan, http.StatusUnprocessableEntity},
	{lessons.ErrStep, http.StatusUnprocessableEntity},
	{stations.ErrSetting, http.StatusUnprocessableEntity},
	{device.ErrName, http.StatusUnprocessableEntity},
	{library.ErrPicture, http.StatusUnprocessableEntity},
	{notation.ErrNotation, http.StatusUnprocessableEntity},
	{belief.ErrNoControls, http.StatusConflict},
	{belief.ErrBusy, http.StatusConflict},
	{service.ErrLesson, http.StatusConflict},
	{measure.ErrUnknown, http.StatusNotFound},
	{measure.ErrMeasurement, http.StatusUnprocessableEntity},
	{pairing.ErrWay, http.StatusUnprocessableEntity},
	{control.ErrForm, http.StatusUnprocessableEntity},
	{control.ErrPlan, http.StatusUnprocessableEntity},
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
	{stations.ErrAirtime, http.StatusConflict},
	{stations.ErrNameTaken, http.StatusConflict},
	{stations.ErrMany, http.StatusConflict},
	{stations.ErrReach, http.StatusUnprocessableEntity},
	{stations.ErrUnknownTransmitter, http.StatusUnprocessableEntity},
	{station.ErrAway, http.StatusConflict},
	{transmit.ErrTooLong, http.StatusConflict},
	{transmit.ErrBusy, http.StatusTooManyRequests},
	{context.Canceled, 499},
}

// retryAfter is when it is worth to ask again, by status.
var retryAfter = map[int]time.Duration{http.StatusTooManyRequests: 2 * time.Second,
	http.StatusServiceUnavailable: 5 * time.Second}

// problem turns an error into an RFC 9457 problem.
func problem(err error) error {
	status, text := statusOf(err), err.Error()
	if status == http.StatusInternalServerError {
		slog.Error("request failed", "error", err)
		text = "Urbo could not do this: " + text
	}
	p := huma.NewError(status, text)
	if after, later := retryAfter[status]; later {
		return retry(p, after)
	}
	return p
}

// statusOf is the status that an error is answered with.
func statusOf(err error) int {
	for _, s := range statuses {
		if errors.Is(err, s.err) {
			return s.status
		}
	}
	return http.StatusInternalServerError
}

// retry says when to ask again.
func retry(p error, after time.Duration) error {
	return huma.ErrorWithHeaders(p, http.Header{"Retry-After": {strconv.Itoa(int(math.Ceil(after.Seconds())))}})
}

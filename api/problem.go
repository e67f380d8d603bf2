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

	"urbo/core/fault"
)

// statuses are what the kinds of errors are in HTTP.
var statuses = map[fault.Kind]int{
	fault.Invalid:  http.StatusUnprocessableEntity,
	fault.NotFound: http.StatusNotFound,
	fault.Conflict: http.StatusConflict,
	fault.Away:     http.StatusConflict,
	fault.Busy:     http.StatusTooManyRequests,
	fault.Nobody:   http.StatusUnauthorized,
	fault.Refused:  http.StatusForbidden,
	fault.Later:    http.StatusServiceUnavailable,
	fault.Full:     http.StatusInsufficientStorage,
	fault.Broken:   http.StatusInternalServerError,
}

// clientGone is the status of what nobody waits for any more: it is never read.
const clientGone = 499

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

// statusOf is the status that an error is answered with. An error without a kind is a mistake of Urbo's own.
func statusOf(err error) int {
	if status, known := statuses[fault.Of(err)]; known {
		return status
	}
	if errors.Is(err, context.Canceled) {
		return clientGone
	}
	return http.StatusInternalServerError
}

// retry says when to ask again.
func retry(p error, after time.Duration) error {
	return huma.ErrorWithHeaders(p, http.Header{"Retry-After": {strconv.Itoa(int(math.Ceil(after.Seconds())))}})
}

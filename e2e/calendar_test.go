package e2e

import (
	"io"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// clubCalendar serves a calendar.
func clubCalendar(t *testing.T) *httptest.Server {
	t.Helper()
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		_, _ = io.WriteString(w,
			"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Saltmarsh//club//EN\r\nBEGIN:VEVENT\r\nUID:night\r\n"+
				"DTSTAMP:20261101T000000Z\r\nSUMMARY:Public "+
				"night\r\nDTSTART:20261204T200000Z\r\nRRULE:FREQ=DAILY\r\nDURATION:PT1H\r\n"+
				"END:VEVENT\r\nEND:VCALENDAR\r\n")
	}))
	t.Cleanup(s.Close)
	return s
}

// TestCalendar_InTheTerminal adds calendars, also such as cannot be read, and never shows where they come from.
func TestCalendar_InTheTerminal(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--at", "2026-12-05 12:00")
	s := clubCalendar(t)
	out := r.ok(nil, "calendar", "add", "club", s.URL+"/secret.ics")
	assert.Contains(t, out, "club has 1 event")
	assert.Contains(t, out, "Public night")
	assert.NotContains(t, r.ok(nil, "calendar", "list"), "secret")
	assert.NotContains(t, r.ok(nil, "calendar", "list", "--output", "json"), "secret")
	for args, says := range map[[2]string]string{{"club", "ftp://x"}: "write http://", {"Club!", s.URL}: "name",
		{"dead", "http://127.0.0.1:9/x"}: "cannot be fetched", {"page", r.url + "/healthz"}: "calendar"} {
		assert.Contains(t, r.urbo("calendar", "add", args[0], args[1]).err, says, args)
	}
	assert.Contains(t, r.urbo("calendar", "show", "clbu").err, "club")
	r.ok(nil, "calendar", "remove", "club")
}

// TestCalendar_OfErrandsForAReaderThatOthersWrote reads the coming times of errands with ical.js.
func TestCalendar_OfErrandsForAReaderThatOthersWrote(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--at", "2026-12-05 12:00")
	var h wire.Hook
	r.ok(&h, "hook", "add", "coming", "--calendar")
	var got []struct {
		Title string
		At    time.Time
		UID   string
	}
	client(t, &got, "calendar.mjs", h.Address)
	require.NotEmpty(t, got)
	ids := map[string]bool{}
	for i, e := range got {
		assert.NotEmpty(t, e.Title)
		assert.False(t, ids[e.UID], "each has an id of its own: %s", e.UID)
		ids[e.UID] = true
		if i > 0 {
			assert.False(t, e.At.Before(got[i-1].At), "in their order")
		}
	}
	assert.WithinRange(t, got[0].At, time.Date(2026, 12, 4, 0, 0, 0, 0, time.UTC), time.Date(2026, 12, 8, 0, 0, 0, 0,
		time.UTC))
}

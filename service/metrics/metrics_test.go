package metrics_test

import (
	"context"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/prometheus/client_golang/prometheus/promhttp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/happening"
	"urbo/service/metrics"
	"urbo/service/stream"
)

func TestMetrics_CountWhatHappensFromTheStart(t *testing.T) {
	events := stream.New(0, time.Now)
	m := metrics.New(events, metrics.Sources{Stations: func() (int, int) { return 2, 1 },
		Devices: func() int { return 13 }, Database: func() int64 { return 4096 }}, "0.9.0")
	for _, outcome := range []happening.Outcome{happening.Sent, happening.Sent, happening.Failed} {
		events.Publish(happening.Happening{What: happening.Pressed{Receipt: happening.Receipt{Outcome: outcome}}})
	}
	events.Publish(happening.Happening{What: happening.Heard{}})
	events.Publish(happening.Happening{What: happening.ErrandCame{Did: "ran"}})
	events.Close()
	require.NoError(t, m.Run(context.Background()), "it has had all of it")
	w := httptest.NewRecorder()
	promhttp.HandlerFor(m.Figures(), promhttp.HandlerOpts{}).ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	require.Equal(t, 200, w.Code)
	for _, line := range []string{`urbo_presses_total{outcome="sent"} 2`, `urbo_presses_total{outcome="failed"} 1`,
		`urbo_presses_total{outcome="unknown"} 0`, "urbo_captures_total 1", `urbo_errand_cues_total{did="ran"} 1`,
		`urbo_stations{state="here"} 2`, `urbo_stations{state="away"} 1`, "urbo_devices 13", "urbo_database_bytes 4096",
		`urbo_build_info{version="0.9.0"} 1`, "process_open_fds "} {
		assert.Contains(t, w.Body.String(), "\n"+line)
	}
}

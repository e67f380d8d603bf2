// Package metrics counts what happens in the house, for programs that watch over many machines. They read it as text,
// at /metrics.
package metrics

import (
	"context"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"

	"urbo/core/happening"
	"urbo/service/stream"
)

// Sources are what is asked when somebody reads the figures.
type Sources struct {
	Stations func() (here, away int)
	Devices  func() int
	Database func() int64 // bytes of its file
}

// Metrics is the figures of a house.
type Metrics struct {
	stream   *stream.Stream
	queue    *stream.Queue
	registry *prometheus.Registry

	presses, cues          *prometheus.CounterVec
	captures, contradicted prometheus.Counter
}

// New begins to count.
func New(events *stream.Stream, s Sources, version string) *Metrics {
	m := &Metrics{stream: events, queue: events.Subscribe(), registry: prometheus.NewRegistry()}
	counter := func(name, help string) prometheus.Counter {
		c := prometheus.NewCounter(prometheus.CounterOpts{Name: name, Help: help})
		m.registry.MustRegister(c)
		return c
	}
	counters := func(name, label, help string) *prometheus.CounterVec {
		c := prometheus.NewCounterVec(prometheus.CounterOpts{Name: name, Help: help}, []string{label})
		m.registry.MustRegister(c)
		return c
	}
	gauge := func(name, help string, labels prometheus.Labels, value func() float64) {
		m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help,
			ConstLabels: labels}, value))
	}
	m.presses = counters("urbo_presses_total", "outcome", "Presses that were asked for, by what became of them.")
	m.cues = counters("urbo_errand_cues_total", "did", "Cues of errands that came, by what was made of them.")
	m.captures = counter("urbo_captures_total", "Presses that receivers heard.")
	m.contradicted = counter("urbo_contradictions_total", "Beliefs that a person or sensor contradicted.")
	for _, outcome := range []happening.Outcome{happening.Sent, happening.Failed, happening.Unknown} {
		m.presses.WithLabelValues(string(outcome)) // 0 is a figure, too
	}
	const stations = "Stations that are known."
	gauge("urbo_stations", stations, prometheus.Labels{"state": "here"}, func() float64 {
		here, _ := s.Stations()
		return float64(here)
	})
	gauge("urbo_stations", stations, prometheus.Labels{"state": "away"}, func() float64 {
		_, away := s.Stations()
		return float64(away)
	})
	gauge("urbo_devices", "Devices in the library.", nil, func() float64 { return float64(s.Devices()) })
	gauge("urbo_database_bytes", "Size of the database.", nil, func() float64 { return float64(s.Database()) })
	gauge("urbo_build_info", "1, with the version that runs.", prometheus.Labels{"version": version},
		func() float64 { return 1 })
	m.registry.MustRegister(collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

// Run counts until the context ends.
func (m *Metrics) Run(ctx context.Context) error {
	defer m.stream.Leave(m.queue)
	for {
		all, err := m.queue.Next(ctx)
		for _, h := range all {
			m.count(h.What)
		}
		if err != nil {
			return nil //nolint:nilerr // the context, or the stream, ended
		}
	}
}

func (m *Metrics) count(what happening.What) {
	switch w := what.(type) {
	case happening.Pressed:
		m.presses.WithLabelValues(string(w.Outcome)).Inc()
	case happening.ErrandCame:
		m.cues.WithLabelValues(w.Did).Inc()
	case happening.Heard:
		m.captures.Inc()
	case happening.Contradicted:
		m.contradicted.Inc()
	}
}

// Figures are what is told to whoever reads them.
func (m *Metrics) Figures() prometheus.Gatherer { return m.registry }

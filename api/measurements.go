package api

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"urbo/core/grant"
	"urbo/core/measure"
	"urbo/core/run"
	service "urbo/service/measure"
	"urbo/wire"
)

// GaugeIn names a measurement of one word in a path.
type GaugeIn struct {
	Name string `path:"name" maxLength:"40"`
}

// PlaceIn names a measurement of something.
type PlaceIn struct {
	Place string `path:"place" maxLength:"40"`
	Name  string `path:"name" maxLength:"40"`
}

func (in GaugeIn) measurement() string { return in.Name }
func (in PlaceIn) measurement() string { return in.Place + "/" + in.Name }

// measurements registers what programs and sensors tell, and what is said of that.
func (a *API) measurements() {
	call(a, operation{"GET", "/measurements", "list-measurements", "The measurements, with their last values",
		grant.See,
		filtered, 0}, func(ctx context.Context, _ *nothing) ([]wire.Gauge, error) {
		return list(slices.DeleteFunc(a.house.Measure.List(), func(m service.Measurement) bool {
			return Caller(ctx).Grant.May(grant.See, grant.Target{Measurement: m.Name}) != nil
		}), a.gaugeOf), nil
	})
	gauges[GaugeIn, Tell, Describe](a, "/measurements/{name}", "measurement")
	gauges[PlaceIn, TellOf, DescribeOf](a, "/measurements/{place}/{name}", "measurement-of")
	call(a, operation{"GET", "/measurement-chart", "chart-measurement",
		"The history of a measurement, in spans that become longer with the time that is asked for", grant.See,
		filtered,
		0}, func(ctx context.Context, in *ChartIn) (wire.MeasurementChart, error) {
		m, spans, each, err := a.chart(ctx, in, in.Points)
		out := wire.MeasurementChart{Name: in.Name, Unit: m.Unit, Each: each.Milliseconds(), At: []int64{},
			Least: []float64{}, Mean: []float64{}, Most: []float64{}}
		for _, s := range spans {
			out.At = append(out.At, s.At.Unix())
			out.Least, out.Mean, out.Most = append(out.Least, s.Least), append(out.Mean, s.Mean), append(out.Most,
				s.Most)
		}
		return out, err
	})
	download(a, operation{"GET", "/measurement-export", "export-measurement",
		"The history of a measurement as a file: all that is kept of it", grant.See, filtered, 0},
		func(in *ExportIn) string { return in.As },
		func(in *ExportIn) string { return strings.ReplaceAll(in.Name, "/", "-") },
		func(ctx context.Context, in *ExportIn, out io.Writer) error {
			m, spans, _, err := a.chart(ctx, &in.ChartIn, 0)
			if err != nil {
				return err
			}
			return export(out, in.As, m, spans)
		})
}

// ChartIn asks for the history of a measurement.
type ChartIn struct {
	Name   string    `query:"name" required:"true" maxLength:"81"`
	Since  time.Time `query:"since" doc:"Usually a day ago"`
	Until  time.Time `query:"until" doc:"Usually now"`
	Points int       `query:"points" default:"1200" minimum:"10" maximum:"5000" doc:"How many spans at most"`
}

// ExportIn asks for a file.
type ExportIn struct {
	ChartIn
	As string `query:"as" enum:"csv,json" default:"csv"`
}

// chart reads the history of a measurement that the caller sees.
func (a *API) chart(ctx context.Context, in *ChartIn, points int) (m service.Measurement, spans []measure.Span,
	each time.Duration, err error) {
	if err := Caller(ctx).Grant.May(grant.See, grant.Target{Measurement: in.Name}); err != nil {
		return m, nil, 0, err
	}
	if m, err = a.house.Measure.Find(in.Name); err != nil {
		return m, nil, 0, err
	}
	now := a.house.Calendar.Now()
	if in.Until.IsZero() {
		in.Until = now.Add(time.Second)
	}
	if in.Since.IsZero() {
		in.Since = in.Until.Add(-24 * time.Hour)
	}
	spans, each, err = a.house.History.Chart(ctx, in.Name, in.Since, in.Until, points)
	return m, spans, each, err
}

// export writes the history of a measurement.
func export(out io.Writer, as string, m service.Measurement, spans []measure.Span) error {
	if as == "json" {
		type row struct {
			At    time.Time `json:"at"`
			Least float64   `json:"least"`
			Mean  float64   `json:"mean"`
			Most  float64   `json:"most"`
			Count int       `json:"count"`
		}
		rows := make([]row, len(spans))
		for i, s := range spans {
			rows[i] = row{s.At.UTC(), s.Least, s.Mean, s.Most, s.Count}
		}
		return json.NewEncoder(out).Encode(map[string]any{"name": m.Name, "unit": m.Unit, "values": rows})
	}
	w := csv.NewWriter(out)
	_ = w.Write([]string{"at", "least", "mean", "most", "count", "unit"})
	number := func(f float64) string { return strconv.FormatFloat(f, 'g', -1, 64) }
	for _, s := range spans {
		_ = w.Write([]string{s.At.UTC().Format(time.RFC3339), number(s.Least), number(s.Mean), number(s.Most),
			strconv.Itoa(s.Count), m.Unit})
	}
	w.Flush()
	return w.Error()
}

// told is what is told of a measurement, or said of it.
type told[Body any] interface {
	measurement() string
	said() Body
}

// Tell, TellOf, Describe and DescribeOf are bodies for measurements of one word, and of something.
type (
	Tell struct {
		GaugeIn
		Body wire.Measured
	}
	TellOf struct {
		PlaceIn
		Body wire.Measured
	}
	Describe struct {
		GaugeIn
		Body wire.MeasurementSpec
	}
	DescribeOf struct {
		PlaceIn
		Body wire.MeasurementSpec
	}
)

func (in Tell) said() wire.Measured              { return in.Body }
func (in TellOf) said() wire.Measured            { return in.Body }
func (in Describe) said() wire.MeasurementSpec   { return in.Body }
func (in DescribeOf) said() wire.MeasurementSpec { return in.Body }

// gauges registers what there is to do with one measurement, under one form of its path.
func gauges[In interface{ measurement() string }, T told[wire.Measured], D told[wire.MeasurementSpec]](a *API, path,
	id string) {
	call(a, operation{"GET", path, "get-" + id, "A measurement, with its last value", grant.See, ofMeasurement, 0},
		func(_ context.Context, in *In) (wire.Gauge, error) {
			return as(a.gaugeOf)(a.house.Measure.Find((*in).measurement()))
		})
	call(a, operation{"POST", path, "tell-" + id, "Tell a value, as programs and sensors do", grant.Tell, ofMeasurement,
		0}, func(ctx context.Context, in *T) (wire.Gauge, error) {
		body := (*in).said()
		return as(a.gaugeOf)(a.house.Measure.Put((*in).measurement(), body.Value, body.Unit, asking(ctx)))
	})
	call(a, operation{"PUT", path, "describe-" + id, "Say what a measurement is, and where its values come from",
		grant.Arrange, ofMeasurement, 0}, func(ctx context.Context, in *D) (wire.Gauge, error) {
		spec, err := a.specOf(ctx, (*in).said())
		if err != nil {
			return wire.Gauge{}, err
		}
		return as(a.gaugeOf)(a.house.Measure.Describe(ctx, (*in).measurement(), spec, asking(ctx)))
	})
	remove(a, operation{"DELETE", path, "remove-" + id, "Forget a measurement with its history", grant.Arrange,
		ofMeasurement, http.StatusNoContent}, func(ctx context.Context, in *In) error {
		return a.house.Measure.Remove(ctx, (*in).measurement(), asking(ctx))
	})
}

// specOf translates what is said of a measurement.
func (a *API) specOf(ctx context.Context, w wire.MeasurementSpec) (measure.Spec, error) {
	s := measure.Spec{Unit: w.Unit, Scale: w.Scale, Offset: w.Offset, Least: w.Least, Most: w.Most,
		Silent: time.Duration(w.Silent) * time.Millisecond, Kept: time.Duration(w.Kept) * time.Millisecond}
	if w.Topic != "" || w.Pointer != "" || w.Battery != "" {
		s.Source.Topic = &measure.Topic{Topic: w.Topic, Pointer: w.Pointer, Battery: w.Battery}
	}
	if w.Sheet != "" || w.Reads != "" {
		s.Source.Radio = &measure.Radio{Sheet: w.Sheet, Fields: w.Fields, Value: w.Reads}
		if _, err := a.house.Book.Sheet(w.Sheet); err != nil {
			return s, err
		}
	}
	if w.Worked == "" {
		return s, nil
	}
	s.Source.Worked = &measure.Worked{How: w.Worked, Of: w.Of}
	if w.Worked != measure.OnFor {
		return s, nil
	}
	if len(w.Of) != 1 {
		return s, fmt.Errorf("%w: on-for is worked out from one control, such as mixer/power", measure.ErrMeasurement)
	}
	slug, control, _ := strings.Cut(w.Of[0], "/")
	on, err := a.house.Targets.Target(slug)
	if err == nil {
		err = a.mayAbout(ctx, grant.See, []run.Target{on})
	}
	if err == nil {
		err = a.house.Targets.Control(on, control, w.Value)
	}
	s.Source.Worked = &measure.Worked{How: w.Worked, On: &on, Control: control, Value: w.Value}
	return s, err
}

// gaugeOf translates a measurement.
func (a *API) gaugeOf(m service.Measurement) wire.Gauge {
	g := gauge(m)
	s := m.Spec
	w := &wire.MeasurementSpec{Unit: s.Unit, Scale: s.Scale, Offset: s.Offset, Least: s.Least, Most: s.Most,
		Silent: s.Silent.Milliseconds(), Kept: s.Kept.Milliseconds()}
	if t := s.Source.Topic; t != nil {
		w.Topic, w.Pointer, w.Battery = t.Topic, t.Pointer, t.Battery
	}
	if r := s.Source.Radio; r != nil {
		w.Sheet, w.Fields, w.Reads = r.Sheet, r.Fields, r.Value
	}
	if o := s.Source.Worked; o != nil {
		w.Worked, w.Of, w.Value = o.How, o.Of, o.Value
		if o.On != nil {
			w.Of = []string{a.house.Targets.Name(*o.On) + "/" + o.Control}
		}
	}
	g.Spec = w
	return g
}

// gauge is the last value of a measurement.
func gauge(m service.Measurement) wire.Gauge {
	return wire.Gauge{Name: m.Name, Value: m.Value, Unit: m.Unit, At: m.At, Silent: m.Silent, Battery: m.Battery,
		Refused: m.Refused}
}

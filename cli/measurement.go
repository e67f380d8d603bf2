package cli

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/run"
	"urbo/wire"
)

func (a *app) measurement() *cobra.Command {
	return group("measurement", "Measure things: list, chart, tell and describe measurements", `A measurement is a number
with a name, such as dome/humidity. Programs tell its values (urbo measurement tell, or POST /api/measurements/NAME), or
they come from messages of the MQTT broker of the house, from radio sensors, or are worked out from others: say which
with urbo measurement describe. What is not told for an hour, or for as long as you say, is silent: nobody knows it.`,
		a.measurementList(), a.measurementShow(), a.measurementWatch(), a.measurementTell(), a.measurementDescribe(),
		a.measurementExport(), a.measurementRemove())
}

// gaugePath is where a measurement is in the API.
func gaugePath(name string) string {
	place, rest, two := strings.Cut(name, "/")
	path := "/measurements/" + url.PathEscape(place)
	if two {
		path += "/" + url.PathEscape(rest)
	}
	return path
}

// gaugeText is the value of a measurement, in words.
func gaugeText(m wire.Gauge) string {
	switch {
	case m.At.IsZero():
		return "never told"
	case m.Silent:
		return "silent"
	}
	return strings.TrimSpace(strconv.FormatFloat(m.Value, 'g', -1, 64) + " " + m.Unit)
}

// sourceText says where the values of a measurement come from.
func sourceText(s *wire.MeasurementSpec) string {
	switch {
	case s == nil:
		return ""
	case s.Topic != "":
		return strings.TrimSpace("topic " + s.Topic + " " + s.Pointer)
	case s.Sheet != "":
		fields := []string{}
		for name, value := range s.Fields {
			fields = append(fields, name+"="+value)
		}
		return strings.TrimSpace("radio " + s.Sheet + " " + strings.Join(slices.Sorted(slices.Values(fields)), " ") +
			" " + s.Reads)
	case s.Worked != "":
		return strings.TrimSpace(s.Worked + " of " + strings.Join(s.Of, ", ") + " " + s.Value)
	}
	return "programs"
}

func (a *app) measurementList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the measurements", Args: args(0, 0, "none"),
		Example: "  urbo measurement list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Gauge
			if err := a.call(c.Context(), http.MethodGet, "/measurements", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "Nothing was measured yet. Tell something: urbo measurement tell NAME VALUE "+
					"--unit W")
				return nil
			}
			var rows []table.Row
			for _, m := range all {
				at, note := "", m.Refused
				if !m.At.IsZero() {
					at = clock(m.At)
				}
				if m.Battery == "low" {
					note = strings.TrimPrefix(note+"; its battery is low", "; ")
				}
				rows = append(rows, table.Row{m.Name, gaugeText(m), at, sourceText(m.Spec), note})
			}
			a.table(table.Row{"MEASUREMENT", "VALUE", "AT", "FROM", "NOTE"}, rows)
			return nil
		}}
}

// spanFlags are those of a time in which something was measured.
type spanFlags struct{ since, until string }

func (f *spanFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&f.since, "since", "24h", "from when on: so long ago, a date, or a time")
	c.Flags().StringVar(&f.until, "until", "", "until when; without it until now")
}

func (f *spanFlags) query(name string) (url.Values, error) {
	q := url.Values{"name": {name}}
	for key, text := range map[string]string{"since": f.since, "until": f.until} {
		if text == "" {
			continue
		}
		s, err := spanOf(text, time.Now())
		if err != nil {
			return nil, usageError{fmt.Errorf("--%s: %w", key, err)}
		}
		q.Set(key, s.from.UTC().Format(time.RFC3339))
	}
	return q, nil
}

func (a *app) measurementShow() *cobra.Command {
	var span spanFlags
	c := &cobra.Command{Use: "show MEASUREMENT", Short: "Show a measurement with its history as a chart",
		Args:    args(1, 1, "a MEASUREMENT"),
		Example: "  urbo measurement show dome/humidity\n  urbo measurement show dome/humidity --since 168h",
		RunE: func(c *cobra.Command, argv []string) error {
			var m wire.Gauge
			if err := a.call(c.Context(), http.MethodGet, gaugePath(argv[0]), nil, &m); err != nil {
				return err
			}
			q, err := span.query(argv[0])
			if err != nil {
				return err
			}
			var chart wire.MeasurementChart
			if err := a.call(c.Context(), http.MethodGet, "/measurement-chart?"+q.Encode(), nil, &chart); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(map[string]any{"measurement": m, "chart": chart})
			}
			fmt.Fprintf(a.Out, "%s: %s", m.Name, gaugeText(m))
			if !m.At.IsZero() {
				fmt.Fprintf(a.Out, ", at %s", clock(m.At))
			}
			fmt.Fprintf(a.Out, ", from %s\n", sourceText(m.Spec))
			if m.Refused != "" {
				fmt.Fprintln(a.Out, "The last value was left out:", m.Refused)
			}
			a.drawChart(chart)
			return nil
		}}
	span.add(c)
	return c
}

// chartWidth and chartHeight are the size of a chart in signs.
const chartWidth, chartHeight = 72, 10

// drawChart draws the history of a measurement: in each column the least and most of its time.
func (a *app) drawChart(chart wire.MeasurementChart) {
	if len(chart.At) == 0 {
		fmt.Fprintln(a.Out, "Nothing is known of it in that time.")
		return
	}
	from, to := chart.At[0], chart.At[len(chart.At)-1]
	least, most := math.Inf(1), math.Inf(-1)
	low, high := make([]float64, chartWidth), make([]float64, chartWidth)
	for i := range low {
		low[i], high[i] = math.NaN(), math.NaN()
	}
	for i, at := range chart.At {
		column := 0
		if to > from {
			column = int((at - from) * (chartWidth - 1) / (to - from))
		}
		least, most = math.Min(least, chart.Least[i]), math.Max(most, chart.Most[i])
		if math.IsNaN(low[column]) || chart.Least[i] < low[column] {
			low[column] = chart.Least[i]
		}
		if math.IsNaN(high[column]) || chart.Most[i] > high[column] {
			high[column] = chart.Most[i]
		}
	}
	for row := range chartHeight {
		top := most - (most-least)*float64(row)/chartHeight
		bottom := most - (most-least)*float64(row+1)/chartHeight
		line := strings.Builder{}
		for i := range low {
			sign := ' '
			if !math.IsNaN(low[i]) && high[i] >= bottom && (low[i] <= top || row == 0) {
				sign = '█'
			}
			line.WriteRune(sign)
		}
		label := ""
		switch row {
		case 0:
			label = strconv.FormatFloat(most, 'g', 4, 64)
		case chartHeight - 1:
			label = strconv.FormatFloat(least, 'g', 4, 64)
		}
		fmt.Fprintf(a.Out, "%8s |%s\n", label, strings.TrimRight(line.String(), " "))
	}
	first, last := time.Unix(from, 0).Format("01-02 15:04"), time.Unix(to, 0).Format("01-02 15:04")
	fmt.Fprintf(a.Out, "%8s  %s%s%s\n", chart.Unit, first, strings.Repeat(" ", chartWidth-len(first)-len(last)), last)
}

func (a *app) measurementWatch() *cobra.Command {
	return &cobra.Command{Use: "watch [MEASUREMENT…]", Short: "Print values as they are told, until you end it",
		Args: args(0, 100, "MEASUREMENTS, or none for all"), Example: "  urbo measurement watch dome/humidity",
		RunE: func(c *cobra.Command, argv []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			return cl.events(c.Context(), nil, func(name string, data []byte) error {
				if name != "measured" {
					return nil
				}
				var m wire.Gauge
				if err := json.Unmarshal(data, &m); err != nil {
					return err
				}
				if len(argv) > 0 && !slices.Contains(argv, m.Name) {
					return nil
				}
				if a.output == "json" {
					return a.jsonLine(m)
				}
				fmt.Fprintf(a.Out, "%s  %s  %s\n", clock(m.At), m.Name, gaugeText(m))
				return nil
			})
		}}
}

func (a *app) measurementTell() *cobra.Command {
	var unit string
	c := &cobra.Command{Use: "tell MEASUREMENT VALUE", Short: "Tell a value, as programs and sensors do",
		Args:    args(2, 2, "a MEASUREMENT and a VALUE"),
		Example: "  urbo measurement tell boardwalk/power 42 --unit W",
		RunE:    func(c *cobra.Command, argv []string) error { return a.tellGauge(c, argv[0], argv[1], unit) }}
	c.Flags().StringVar(&unit, "unit", "", "in which it is measured, such as W or °C")
	return c
}

func (a *app) tellGauge(c *cobra.Command, name, text, unit string) error {
	value, err := strconv.ParseFloat(given(text), 64)
	if err != nil || math.IsNaN(value) || math.IsInf(value, 0) {
		return usageError{fmt.Errorf("%.40q is no number", given(text))}
	}
	var m wire.Gauge
	if err := a.call(c.Context(), http.MethodPost, gaugePath(name), wire.Measured{Value: value, Unit: unit},
		&m); err != nil {
		return err
	}
	return a.did(m, "%s is %s.", m.Name, gaugeText(m))
}

func (a *app) measurementDescribe() *cobra.Command {
	var s wire.MeasurementSpec
	var fields, of []string
	var scale, least, most string
	var silent, kept time.Duration
	var onFor string
	c := &cobra.Command{Use: "describe MEASUREMENT", Short: "Say what a measurement is, and where its values come from",
		Long: `Say what a measurement is. What you leave out is as usual: programs tell its values, it is silent after an hour, and
its history is kept for five years. All that was said before is replaced.

  programs     nothing more: urbo measurement tell, or POST /api/measurements/NAME with {"value": 71, "unit": "%"}
  a broker     --topic club/dome, and --pointer /humidity into JSON (RFC 6901); --battery /battery for its charge.
               It is the broker that the stations use: see urbo serve --broker
  radio        --sheet sense36a --field id=90 --reads temperature: see urbo listen for what is heard
  worked out   --worked difference, mean or dew-point --of A --of B, or --on-for boardwalk/power=on for hours of today`,
		Args: args(1, 1, "a MEASUREMENT"),
		Example: "  urbo measurement describe dome/humidity --unit % --topic club/dome --pointer /humidity --least 0 " +
			"--most 100\n" +
			"  urbo measurement describe boardwalk/power --unit W --silent 10m\n" +
			"  urbo measurement describe boardwalk/today --unit h --on-for boardwalk/power=on",
		RunE: func(c *cobra.Command, argv []string) error {
			for _, f := range fields {
				name, value, is := strings.Cut(f, "=")
				if !is {
					return usageError{fmt.Errorf("--field %.40q: write NAME=VALUE, such as id=90", f)}
				}
				if s.Fields == nil {
					s.Fields = map[string]string{}
				}
				s.Fields[name] = value
			}
			s.Of = of
			if onFor != "" {
				path, value, is := strings.Cut(onFor, "=")
				if !is || s.Worked != "" || len(of) > 0 {
					return usageError{errors.New("--on-for is DEVICE/CONTROL=VALUE, such as mixer/power=on, and " +
						"stands alone")}
				}
				s.Worked, s.Of, s.Value = "on-for", []string{path}, value
			}
			for name, text := range map[string]string{"scale": scale, "least": least, "most": most} {
				if text == "" {
					continue
				}
				number, err := strconv.ParseFloat(text, 64)
				if err != nil {
					return usageError{fmt.Errorf("--%s %.40q is no number", name, text)}
				}
				*map[string]**float64{"scale": &s.Scale, "least": &s.Least, "most": &s.Most}[name] = &number
			}
			s.Silent, s.Kept = silent.Milliseconds(), kept.Milliseconds()
			var m wire.Gauge
			if err := a.call(c.Context(), http.MethodPut, gaugePath(argv[0]), s, &m); err != nil {
				return err
			}
			return a.did(m, "%s comes from %s, and is silent after %s.", m.Name, sourceText(m.Spec),
				run.Dur(cmp.Or(silent, time.Hour)))
		}}
	f := c.Flags()
	f.StringVar(&s.Unit, "unit", "", "in which it is measured, such as W or °C")
	f.StringVar(&s.Topic, "topic", "", "topic of the messages that its values come in")
	f.StringVar(&s.Pointer, "pointer", "", "where in a JSON message the value is, such as /humidity")
	f.StringVar(&s.Battery, "battery", "", "where in it the charge of its battery is")
	f.StringVar(&s.Sheet, "sheet", "", "line sheet of a radio sensor")
	f.StringArrayVar(&fields, "field", nil, "NAME=VALUE of a field that says which sensor it is")
	f.StringVar(&s.Reads, "reads", "", "which of what the sensor measures, such as temperature")
	f.StringVar(&s.Worked, "worked", "", "how it is worked out: difference, mean or dew-point")
	f.StringArrayVar(&of, "of", nil, "a measurement that it is worked out from")
	f.StringVar(&onFor, "on-for", "", "DEVICE/CONTROL=VALUE: for how many hours of today it was so")
	f.StringVar(&scale, "scale", "", "what comes in is multiplied by it")
	f.Float64Var(&s.Offset, "offset", 0, "and this is added")
	f.StringVar(&least, "least", "", "the least plausible value; less is left out")
	f.StringVar(&most, "most", "", "the most plausible value; more is left out")
	f.DurationVar(&silent, "silent", 0, "after so long without a value it is silent (usually 1h)")
	f.DurationVar(&kept, "kept", 0, "so long its history is kept (usually five years)")
	return c
}

func (a *app) measurementExport() *cobra.Command {
	var span spanFlags
	var as, out string
	c := &cobra.Command{Use: "export MEASUREMENT", Short: "Write the history of a measurement as CSV or JSON",
		Long: "Write the history of a measurement: each value of the last two days, a row for five minutes before " +
			"that, and " +
			"one for an hour after 90 days.",
		Args:    args(1, 1, "a MEASUREMENT"),
		Example: "  urbo measurement export dome/humidity --since 720h --out humidity.csv",
		RunE: func(c *cobra.Command, argv []string) error {
			if as == "" {
				as = "csv"
				if strings.HasSuffix(out, ".json") {
					as = "json"
				}
			}
			q, err := span.query(argv[0])
			if err != nil {
				return err
			}
			q.Set("as", as)
			return a.save(c, "/measurement-export?"+q.Encode(), out)
		}}
	span.add(c)
	c.Flags().StringVar(&as, "as", "", "csv or json; by the end of --out, else csv")
	c.Flags().StringVar(&out, "out", "", "file; without it standard output")
	return c
}

// save writes what the service answers to a file, or standard output.
func (a *app) save(c *cobra.Command, path, file string) error {
	cl, err := a.client()
	if err != nil {
		return err
	}
	resp, err := cl.send(c.Context(), http.MethodGet, path, nil)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	return a.writeTo(file, func(w io.Writer) error {
		_, err := io.Copy(w, resp.Body)
		return err
	})
}

func (a *app) measurementRemove() *cobra.Command {
	return &cobra.Command{Use: "remove MEASUREMENT", Short: "Forget a measurement with its history",
		Args: args(1, 1, "a MEASUREMENT"), Example: "  urbo measurement remove boardwalk/today",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, gaugePath(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed the measurement %s.", argv[0])
		}}
}

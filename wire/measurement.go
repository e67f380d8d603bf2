package wire

import "time"

// Measured is a value that is told.
type Measured struct {
	Value float64 `json:"value"`
	Unit  string  `json:"unit,omitempty" maxLength:"12"`
}

// Gauge is a measurement with its last value.
type Gauge struct {
	Name    string           `json:"name"`
	Value   float64          `json:"value"`
	Unit    string           `json:"unit,omitempty"`
	At      time.Time        `json:"at,omitzero" doc:"When it was told last; left out where it never was"`
	Silent  bool             `json:"silent,omitempty" doc:"It was not told for so long that nobody knows it"`
	Battery string           `json:"battery,omitempty" enum:"low,good"`
	Refused string           `json:"refused,omitempty" doc:"Why the last value was left out"`
	Spec    *MeasurementSpec `json:"spec,omitempty" doc:"What is said of it; left out of events"`
}

// MeasurementSpec is what is said of a measurement. Where it says nothing of where values come from, programs tell
// them.
type MeasurementSpec struct {
	Unit    string            `json:"unit,omitempty" maxLength:"12"`
	Topic   string            `json:"topic,omitempty" maxLength:"200" doc:"Values are messages at a broker, under this topic"`
	Pointer string            `json:"pointer,omitempty" maxLength:"200" doc:"Where in a JSON message the value is (RFC 6901); left out for a plain number"`
	Battery string            `json:"battery,omitempty" maxLength:"200" doc:"Pointer to its battery: a share in %, or a word"`
	Sheet   string            `json:"sheet,omitempty" maxLength:"40" doc:"Values are sent by a radio sensor with this line sheet"`
	Fields  map[string]string `json:"fields,omitempty" doc:"Fields that say which sensor it is"`
	Reads   string            `json:"reads,omitempty" maxLength:"40" doc:"Which of what the sensor measures, such as temperature"`
	Worked  string            `json:"worked,omitempty" enum:"difference,mean,dew-point,on-for"`
	Of      []string          `json:"of,omitempty" maxItems:"12" doc:"What it is worked out from: measurements, or, for on-for, a control"`
	Value   string            `json:"value,omitempty" maxLength:"40" doc:"Of on-for: the value"`
	Scale   *float64          `json:"scale,omitempty" doc:"What comes in is multiplied by it"`
	Offset  float64           `json:"offset,omitempty" doc:"And this is added"`
	Least   *float64          `json:"least,omitempty" doc:"The least plausible value"`
	Most    *float64          `json:"most,omitempty"`
	Silent  int64             `json:"silent_ms,omitempty" minimum:"0" maximum:"2678400000" doc:"After so long without a value it is silent; 0 is 1 h"`
	Kept    int64             `json:"kept_ms,omitempty" minimum:"0" doc:"So long its history is kept; 0 is five years"`
}

// MeasurementChart is the history of a measurement.
type MeasurementChart struct {
	Name  string    `json:"name"`
	Unit  string    `json:"unit,omitempty"`
	Each  int64     `json:"each_ms" doc:"How long a span is; 0 where each value is told"`
	At    []int64   `json:"at" doc:"Of the first value of each span, in seconds since 1970"`
	Least []float64 `json:"least"`
	Mean  []float64 `json:"mean"`
	Most  []float64 `json:"most"`
}

// MeasurementsChanged says that measurements are to be asked for again.
type MeasurementsChanged struct{}

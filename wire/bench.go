package wire

import (
	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/recording"
	"urbo/core/signal"
)

// Cluster is a group of durations that mean the same.
type Cluster struct {
	Center float64 `json:"center_us" doc:"Mean, in µs"`
	Low    int     `json:"low_us"`
	High   int     `json:"high_us"`
	Count  int     `json:"count"`
	Units  float64 `json:"units" doc:"As a multiple of the unit; 0 where there is no unit"`
}

// Structure is what was found out about a signal.
type Structure struct {
	Words       string       `json:"words" doc:"What was found, in words"`
	Style       string       `json:"style" enum:"space,mark,ratio,biphase,symbol,train" doc:"How bits become durations; train is not at all"`
	Unit        float64      `json:"unit_us" doc:"0 where there is none"`
	Stretch     float64      `json:"stretch_us" doc:"What the receiver added to marks"`
	Bits        []string     `json:"bits" doc:"The bits of each block"`
	Frames      int          `json:"frames" doc:"Equal frames that were heard"`
	Starts      []int        `json:"starts" doc:"Where they begin among the durations of the press"`
	GapUS       int          `json:"gap_us" doc:"From frame to frame; 0 where only one was heard"`
	Frame       signal.Train `json:"frame" doc:"The clean frame, in µs"`
	Once        signal.Train `json:"once,omitempty" doc:"What is sent once before it"`
	Marks       []Cluster    `json:"marks"`
	Spaces      []Cluster    `json:"spaces"`
	Spans       []bench.Span `json:"spans" doc:"Pieces of the frame: bits, lead, pause, tail"`
	Varies      []int        `json:"varies" doc:"Numbers of the bits that differ from frame to frame, from 1, over all blocks: toggles and counters"`
	Others      []string     `json:"others" doc:"Bits of other frames in the press"`
	Sure        float64      `json:"sure" minimum:"0" maximum:"1" doc:"How sure the bits are"`
	Doubts      []string     `json:"doubts" doc:"What cannot be known, or is not sure, in sentences"`
	Fingerprint string       `json:"fingerprint" doc:"Equal for equal signals, whatever the clock"`
}

// StructureOf translates a structure.
func StructureOf(s bench.Structure) Structure {
	out := Structure{Words: s.Words(), Style: string(s.Style), Unit: tenth(s.Unit), Stretch: s.Stretch, Bits: s.Bits,
		Frames: s.Frames, Starts: s.Starts,
		GapUS: s.Gap, Frame: s.Frame, Once: s.Once, Marks: clusters(s.Marks), Spaces: clusters(s.Spaces),
		Spans: s.Spans, Varies: s.Varies(), Others: s.Others, Sure: s.Sure, Doubts: s.Doubts,
		Fingerprint: s.Print.String()}
	for _, list := range []*[]string{&out.Bits, &out.Others, &out.Doubts} {
		if *list == nil {
			*list = []string{}
		}
	}
	if out.Varies == nil {
		out.Varies = []int{}
	}
	if out.Spans == nil {
		out.Spans = []bench.Span{}
	}
	return out
}

func clusters(in []bench.Cluster) []Cluster {
	out := make([]Cluster, len(in))
	for i, c := range in {
		out[i] = Cluster{Center: tenth(c.Center), Low: c.Low, High: c.High, Count: c.Count, Units: c.Units}
	}
	return out
}

func tenth(x float64) float64 { return float64(int(x*10+0.5)) / 10 }

// Finding is one signal of a recording.
type Finding struct {
	Count     int                `json:"count" doc:"How often it came"`
	AtUS      int64              `json:"at_us" doc:"Of the first, since the start of the recording"`
	Line      int                `json:"line,omitempty" doc:"Text: the line it began on"`
	Name      string             `json:"name,omitempty" doc:"Text: the name of a key that stood before it, as short names are"`
	CarrierHz int                `json:"carrier_hz,omitempty" doc:"Measured; left out where the marks are not modulated"`
	OffsetHz  int                `json:"offset_hz,omitempty" doc:"Software radio: from the centre to the strongest carrier"`
	Trains    []signal.Reception `json:"trains"`
	Readings  []Reading          `json:"readings" doc:"Best first; empty where no sheet fits"`
	Held      string             `json:"held,omitempty"`
	Structure *Structure         `json:"structure,omitempty" doc:"Left out where it is too short"`
	Keys      []KeyRef           `json:"keys,omitempty" doc:"Keys of the library that send this"`
	CaptureID string             `json:"capture_id,omitempty" doc:"The capture it was stored as"`
}

// FindingOf translates a finding.
func FindingOf(f bench.Finding) Finding {
	out := Finding{Count: f.Count, AtUS: f.At, Line: f.Line, Name: device.Slug(f.Name), CarrierHz: f.CarrierHz,
		OffsetHz: f.OffsetHz, Trains: f.Trains,
		Readings: Readings(f.Readings), Held: f.Held}
	if f.Structure.Frame != nil {
		s := StructureOf(f.Structure)
		out.Structure = &s
	}
	return out
}

// Recording is what was found in a recording.
type Recording struct {
	Format      string    `json:"format"`
	Channel     string    `json:"channel,omitempty" doc:"That was read"`
	Channels    []string  `json:"channels,omitempty"`
	RateHz      float64   `json:"rate_hz,omitempty"`
	FrequencyHz float64   `json:"frequency_hz,omitempty" doc:"What the radio was tuned to"`
	Inverted    bool      `json:"inverted,omitempty" doc:"A mark was the low level"`
	Understood  string    `json:"understood,omitempty" doc:"Text: the notation"`
	Presses     int       `json:"presses"`
	Strays      int       `json:"strays" doc:"Too short to be a signal"`
	LeftOut     int       `json:"left_out" doc:"Beyond what is kept apart: noise, most likely"`
	Findings    []Finding `json:"findings" doc:"Different signals, in the order they came"`
	Notes       []string  `json:"notes,omitempty" doc:"What is in it and was not read, in sentences"`
	Trouble     string    `json:"trouble,omitempty" doc:"Why reading ended early; what was found before it is good"`
}

// RecordingOf translates what was gathered from a recording.
func RecordingOf(info recording.Info, g *bench.Gatherer, trouble error) Recording {
	out := Recording{Format: info.Format, Channel: info.Channel, Channels: info.Channels, RateHz: info.RateHz,
		FrequencyHz: info.FrequencyHz,
		Inverted:    info.Inverted, Understood: info.Understood, Presses: g.Presses, Strays: g.Strays,
		LeftOut: g.LeftOut, Notes: info.Notes,
		Findings: []Finding{}}
	for _, f := range g.Findings {
		out.Findings = append(out.Findings, FindingOf(f))
	}
	if trouble != nil {
		out.Trouble = trouble.Error()
	}
	return out
}

// Comparison is two signals laid over each other.
type Comparison struct {
	Words     string       `json:"words" doc:"All of it in words"`
	Verdict   string       `json:"verdict" enum:"same,clock,bits,different"`
	Length    float64      `json:"length" doc:"The second's length as a share of the first's"`
	Unit      float64      `json:"unit" doc:"The second's unit as a share of the first's; 0 where one has none"`
	Stretch   float64      `json:"stretch_us" doc:"What the second's marks are longer, at the first's clock"`
	Mean      float64      `json:"mean_us" doc:"Mean difference of the durations after scaling"`
	Most      float64      `json:"most_us" doc:"Largest difference"`
	Worst     int          `json:"worst" doc:"The duration of the first that differs most, from 0"`
	Offset    int          `json:"offset" doc:"The duration of the first that the second begins at"`
	Differing []int        `json:"differing" doc:"Numbers of the bits that differ, from 1"`
	A         signal.Train `json:"a" doc:"The first's frame as heard"`
	B         signal.Train `json:"b" doc:"The second's frame as heard"`
	SpansA    []bench.Span `json:"spans_a" doc:"Pieces of the first's frame"`
	SpansB    []bench.Span `json:"spans_b" doc:"Pieces of the second's frame"`
}

// pieces are none rather than nil.
func pieces(spans []bench.Span) []bench.Span {
	if spans == nil {
		return []bench.Span{}
	}
	return spans
}

// ComparisonOf translates a comparison.
func ComparisonOf(c bench.Comparison) Comparison {
	out := Comparison{Words: c.Words, Verdict: string(c.Verdict), Length: thousandth(c.Length),
		Unit: thousandth(c.Unit), Stretch: c.Stretch, Mean: tenth(c.Mean),
		Most: c.Most, Worst: c.Worst, Offset: c.Offset, Differing: c.Differing, A: c.A.Raw, B: c.B.Raw,
		SpansA: pieces(c.A.Spans), SpansB: pieces(c.B.Spans)}
	if out.Differing == nil {
		out.Differing = []int{}
	}
	return out
}

func thousandth(x float64) float64 { return float64(int(x*1000+0.5)) / 1000 }

// CaptureDetail is a capture with what can be made of it.
type CaptureDetail struct {
	Capture   Capture    `json:"capture"`
	Structure *Structure `json:"structure,omitempty" doc:"Left out where it is too short"`
	Code      *Code      `json:"code,omitempty" doc:"What a key would send, clean"`
	Trouble   string     `json:"trouble,omitempty" doc:"Why it cannot be sent again"`
}

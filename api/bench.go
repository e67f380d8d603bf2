package api

import (
	"context"
	"fmt"
	"io"
	"mime"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/recording"
	"urbo/service/workbench"
	"urbo/wire"
)

// CaptureIn names a capture in a path.
type CaptureIn struct {
	Capture string `path:"capture" maxLength:"40"`
}

// maxRecording is the greatest size of a recording that is sent in, in bytes. It is read as a stream.
const maxRecording = 16 << 30

// ImportIn is a recording: its bytes are the body, and are read as they come.
type ImportIn struct {
	Name      string  `query:"name" maxLength:"200" doc:"The file's name: its end may tell the format"`
	Format    string  `query:"format" maxLength:"10" doc:"Where it is not found by itself: wav, vcd, sigmf, iq, c, csv or text"`
	Channel   string  `query:"channel" maxLength:"80" doc:"VCD, CSV, WAV: which channel; the first that changes where it is left out"`
	RateHz    float64 `query:"rate_hz" minimum:"0" doc:"Bare samples: how many a second"`
	Datatype  string  `query:"datatype" maxLength:"10" doc:"Bare samples: cu8, ci8, ci16_le or cf32_le"`
	Frequency float64 `query:"frequency_hz" minimum:"0" doc:"Bare samples: what the radio was tuned to"`
	Stream
}

// Stream is a request's body that is read as it comes: huma would read it whole.
type Stream struct{ body io.Reader }

// Resolve takes the body.
func (s *Stream) Resolve(ctx huma.Context) []error {
	s.body = io.LimitReader(ctx.BodyReader(), maxRecording)
	return nil
}

// FileIn asks for a file.
type FileIn struct {
	As string `query:"as" enum:"vcd,csv,wav,text,c" default:"text" doc:"Format of the file"`
}

// file answers with a file.
type file struct {
	ContentType        string `header:"Content-Type"`
	ContentDisposition string `header:"Content-Disposition"`
	Body               func(huma.Context)
}

// types and ends of the files that are written.
var fileTypes = map[string][2]string{"vcd": {"text/plain; charset=utf-8", ".vcd"},
	"csv": {"text/csv; charset=utf-8", ".csv"}, "wav": {"audio/wav", ".wav"},
	"ics": {"text/calendar; charset=utf-8", ".ics"}, "json": {"application/json", ".json"},
	"text": {"text/plain; charset=utf-8", ".txt"}, "c": {"text/plain; charset=utf-8", ".c"}}

// download registers an operation that answers with a file of the asked format.
func download[In any](a *API, o operation, format func(*In) string, name func(*In) string,
	write func(context.Context, *In, io.Writer) error) {
	huma.Register(a.huma, o.describe(a), func(ctx context.Context, in *In) (*file, error) {
		var whole writer // small: at most one press
		if err := write(ctx, in, &whole); err != nil {
			return nil, problem(err)
		}
		t := fileTypes[format(in)]
		return &file{ContentType: t[0], ContentDisposition: mime.FormatMediaType("attachment",
			map[string]string{"filename": name(in) + t[1]}),
			Body: func(ctx huma.Context) { _, _ = ctx.BodyWriter().Write(whole) }}, nil
	})
}

// writer gathers what is written.
type writer []byte

func (w *writer) Write(p []byte) (int, error) {
	*w = append(*w, p...)
	return len(p), nil
}

// takes describes the body of an operation that reads it as a stream.
func (a *API) takes(path, contentType, about string) {
	a.huma.OpenAPI().Paths["/api"+path].Post.RequestBody = &huma.RequestBody{Required: true, Description: about,
		Content: map[string]*huma.MediaType{contentType: {Schema: &huma.Schema{Type: huma.TypeString,
			Format: "binary"}}}}
}

// bench registers what can be done with captures.
func (a *API) bench() {
	call(a, operation{"POST", "/bench/import", "import-recording",
		"Read a recording (the body): every signal in it becomes a capture", grant.Teach, wholeHouse,
		http.StatusCreated},
		func(ctx context.Context, in *ImportIn) (wire.Recording, error) {
			o := recording.Options{Format: in.Format, Channel: in.Channel, RateHz: in.RateHz, Datatype: in.Datatype,
				FrequencyHz: in.Frequency}
			return as(importedOf)(a.house.Workbench.Import(ctx, in.Name, in.body, o, asking(ctx)))
		})
	a.takes("/bench/import", "application/octet-stream", "The recording as it is on disk")
	call(a, operation{"GET", "/captures/{capture}", "get-capture",
		"One capture, its structure, and the code a key would send", grant.See, wholeHouse, 0},
		func(ctx context.Context, in *CaptureIn) (wire.CaptureDetail, error) {
			c, err := a.house.Workbench.Capture(ctx, in.Capture)
			if err != nil {
				return wire.CaptureDetail{}, err
			}
			code, trouble := a.house.Workbench.Code(c)
			if trouble != nil {
				return wire.DetailOf(c, nil, trouble), nil
			}
			w := wire.CodeOf(code)
			return wire.DetailOf(c, &w, nil), nil
		})
	call(a, operation{"GET", "/captures/{capture}/compare/{other}", "compare-captures",
		"Lay another capture over this one", grant.See, wholeHouse, 0},
		func(ctx context.Context, in *struct {
			CaptureIn
			Other string `path:"other" maxLength:"40"`
		}) (wire.Comparison, error) {
			return as(wire.ComparisonOf)(a.house.Workbench.Compare(ctx, in.Capture, in.Other))
		})
	call(a, operation{"POST", "/captures/{capture}/send", "send-capture",
		"Send a capture again, clean, and wait for the receipt", grant.Teach, wholeHouse, 0},
		func(ctx context.Context, in *CaptureIn) (wire.Press, error) {
			return as(wire.PressOf)(a.house.Workbench.Send(ctx, in.Capture, asking(ctx)))
		})
	call(a, operation{"POST", "/captures/{capture}/keep", "keep-capture", "Make a capture what a key sends",
		grant.Teach, wholeHouse, 0},
		func(ctx context.Context, in *struct {
			CaptureIn
			Body wire.KeyRef
		}) (wire.Device, error) {
			return as(a.deviceFor(ctx))(a.house.Workbench.Keep(ctx, in.Capture, in.Body.Ref(), asking(ctx)))
		})
	call(a, operation{"POST", "/captures/{capture}/follow", "follow-capture",
		"Let a capture count as a press of a key when it is heard again; it is never sent", grant.Teach, wholeHouse, 0},
		func(ctx context.Context, in *struct {
			CaptureIn
			Body wire.KeyRef
		}) (wire.Device, error) {
			return as(a.deviceFor(ctx))(a.house.Workbench.Follow(ctx, in.Capture, in.Body.Ref(), asking(ctx)))
		})
	type captureFile struct {
		CaptureIn
		FileIn
	}
	download(a, operation{"GET", "/captures/{capture}/file", "export-capture", "A capture as a file", grant.See,
		wholeHouse, 0},
		func(in *captureFile) string { return in.As }, func(in *captureFile) string { return "capture-" + in.Capture },
		func(ctx context.Context, in *captureFile, w io.Writer) error {
			return a.house.Workbench.Export(ctx, in.Capture, in.As, w)
		})
	type keyFile struct {
		KeyIn
		FileIn
	}
	download(a, operation{"GET", "/devices/{device}/keys/{key}/file", "export-key", "What a key sends as a file",
		grant.See, ofDevice, 0},
		func(in *keyFile) string { return in.As }, func(in *keyFile) string {
			return fmt.Sprintf("%s-%s", in.Device,
				in.Key)
		},
		func(_ context.Context, in *keyFile, w io.Writer) error {
			return a.house.Workbench.ExportKey(device.Ref{Device: in.Device, Key: in.Key}, in.As, w)
		})
}

func importedOf(in workbench.Imported) wire.Recording {
	out := wire.RecordingOf(in.Info, in.Gathered, in.Trouble)
	for i, c := range in.Captures {
		out.Findings[i].CaptureID, out.Findings[i].Keys = c.ID, wire.CaptureOf(c).Keys
	}
	return out
}

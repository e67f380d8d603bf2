package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"log/slog"
	"maps"
	"net/http"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/access"
	"urbo/service/feed"
	"urbo/wire"
)

// eventTypes are the events of the stream, by name.
var eventTypes = map[string]any{
	"about": wire.About{}, "capture": wire.Capture{}, "press": wire.Press{}, "entry": wire.Entry{},
	"lesson": wire.Lesson{}, "audition": wire.Audition{},
	"device": wire.DeviceEvent{}, "device-removed": wire.DeviceEvent{}, "set": wire.SetEvent{},
	"believed": wire.BelievedEvent{}, "measured": wire.Gauge{}, "measurements": wire.MeasurementsChanged{},
	"station": wire.Station{}, "stations": wire.StationsChanged{}, "stored": wire.Stored{},
	"rooms": wire.RoomsChanged{}, "house": wire.HouseChanged{}, "groups": wire.GroupsChanged{},
	"sequences": wire.SequencesChanged{}, "occasions": wire.OccasionsChanged{},
	"errands": wire.ErrandsChanged{},
	"boards":  wire.BoardsChanged{}, "tiles": wire.TilesChanged{}, "questions": wire.QuestionsChanged{},
	"run": wire.RunEvent{}, "hold": wire.HoldEvent{},
	"notice": wire.NoticeEvent{},
	"stage":  wire.StageChanged{},
	"reset":  wire.Reset{},
}

// event is one server-sent event.
type event struct {
	name string
	data any
}

// events registers the event stream.
func (a *API) events() {
	o := operation{method: "GET", path: "/events", id: "events",
		summary: "Everything that happens, as server-sent events", right: grant.See, where: theirBoards}.describe(a)
	o.Responses = map[string]*huma.Response{"200": {Description: "OK",
		Content: map[string]*huma.MediaType{"text/event-stream": {Schema: a.eventSchema()}}}}
	o.Errors = append(o.Errors, http.StatusServiceUnavailable)
	huma.Register(a.huma, o, func(ctx context.Context, in *struct {
		Last string `header:"Last-Event-ID" maxLength:"80" doc:"Go on after this event; without it, now"`
	}) (*huma.StreamResponse, error) {
		who := Caller(ctx).Caller
		revoked, err := a.house.Access.Revoked(ctx, who)
		if err != nil {
			return nil, problem(err)
		}
		leave, err := a.streams.enter(who.Door, who.Role == grant.Guest)
		if err != nil {
			return nil, retry(huma.Error503ServiceUnavailable(err.Error()), 10*time.Second)
		}
		return &huma.StreamResponse{Body: func(ctx huma.Context) {
			defer leave()
			ctx.SetHeader("Content-Type", "text/event-stream")
			w, ok := ctx.BodyWriter().(http.ResponseWriter)
			if !ok {
				return
			}
			while, end := context.WithCancel(ctx.Context())
			defer end()
			if !who.Until.IsZero() {
				defer time.AfterFunc(time.Until(who.Until), end).Stop()
			}
			go func() {
				select {
				case <-revoked:
					end()
				case <-while.Done():
				}
			}()
			if who.Role == grant.Guest {
				_ = a.listenGuest(while, w, who.Grant)
				return
			}
			_ = a.listen(while, w, who.Grant, in.Last)
		}}, nil
	})
}

// listen writes what a caller hears of. Ids name the caller's rights: who comes back with others is to ask for
// everything again.
func (a *API) listen(ctx context.Context, w http.ResponseWriter, g grant.Grant, last string) error {
	sum := fnv.New32a()
	fmt.Fprint(sum, g)
	rights := fmt.Sprintf("-%08x", sum.Sum32())
	after, same := strings.CutSuffix(last, rights)
	if !same && last != "" {
		after = "other rights"
	}
	hears := func(h happening.Happening) bool { return a.shows(g, h) }
	return a.house.Feed.Listen(ctx, after, hears, func(i feed.Item, more bool) error {
		return writeEvents(w, i.ID+rights, i.Encoded(func() []byte { return encodeEvents(a.told(i)) }), more)
	})
}

// Bounds of the event streams that are open at once.
const (
	maxStreams   = 256 // in all
	maxStreamsOf = 64  // of one token, of one session, or of the command line on this machine
	maxGuests    = 128 // of guests: the others are for those who live here
)

// streams counts the event streams that are open.
type streams struct {
	mu     sync.Mutex
	all    int
	by     map[access.Credential]int
	guests int
}

// enter counts one more, until it leaves.
func (s *streams) enter(d access.Credential, guest bool) (leave func(), err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch {
	case s.by[d] >= maxStreamsOf:
		return nil, fmt.Errorf("%d event streams of this caller are open, which is the most: close one", maxStreamsOf)
	case guest && s.guests >= maxGuests:
		return nil, fmt.Errorf("%d guests listen, which is the most: close a page", maxGuests)
	case s.all >= maxStreams:
		return nil, fmt.Errorf("%d event streams are open, which is the most: close one", maxStreams)
	}
	if s.by == nil {
		s.by = map[access.Credential]int{}
	}
	s.all++
	s.by[d]++
	if guest {
		s.guests++
	}
	return func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.all--
		if guest {
			s.guests--
		}
		if s.by[d]--; s.by[d] == 0 {
			delete(s.by, d)
		}
	}, nil
}

// eventSchema describes the stream in the API's document.
func (a *API) eventSchema() *huma.Schema {
	var kinds []*huma.Schema
	for _, name := range slices.Sorted(maps.Keys(eventTypes)) {
		kinds = append(kinds, &huma.Schema{Title: "Event " + name, Type: huma.TypeObject,
			Required: []string{"data", "event"}, Properties: map[string]*huma.Schema{
				"id":    {Type: huma.TypeString, Description: "To go on after it (Last-Event-ID)"},
				"event": {Type: huma.TypeString, Extensions: map[string]any{"const": name}},
				"data":  a.huma.OpenAPI().Components.Schemas.Schema(reflect.TypeOf(eventTypes[name]), true, name),
			}})
	}
	return &huma.Schema{Title: "Server-sent events", Type: huma.TypeArray,
		Items: &huma.Schema{Extensions: map[string]any{"oneOf": kinds}}}
}

// writeEvents writes what one item says. Its id ends the last event, so that none of them is skipped.
// Where more follow at once they are sent together.
func writeEvents(w http.ResponseWriter, id string, events []byte, more bool) error {
	if len(events) > 0 {
		if _, err := fmt.Fprintf(w, "%sid: %s\n\n", events, id); err != nil {
			return err
		}
	}
	if more {
		return nil
	}
	return http.NewResponseController(w).Flush()
}

// encodeEvents writes events as the stream carries them, but for the end of the last one.
func encodeEvents(events []event) []byte {
	var out bytes.Buffer
	for i, e := range events {
		data, err := json.Marshal(e.data)
		if err != nil {
			slog.Error("an event cannot be written", "event", e.name, "error", err)
			continue
		}
		if i > 0 {
			out.WriteByte('\n')
		}
		fmt.Fprintf(&out, "event: %s\ndata: %s\n", e.name, data)
	}
	return out.Bytes()
}

// told is what the network gets to know of an item of the feed. The first one, which has no happening, says that the
// listener is listening.
func (a *API) told(i feed.Item) []event {
	switch {
	case i.Reset:
		return []event{{"reset", wire.Reset{}}}
	case i.What.What == nil:
		return []event{{"about", a.about()}}
	}
	out := a.changed(i.What)
	if _, told := i.What.What.Tell(); told {
		out = append(out, event{"entry", wire.EntryOf(i.What)})
	}
	return out
}

// changed is the new state of what a happening is about.
func (a *API) changed(h happening.Happening) []event {
	switch what := h.What.(type) {
	case happening.Heard:
		return []event{{"capture", wire.CaptureOf(what.Capture)}}
	case happening.Stored:
		return []event{{"stored", wire.Stored{Captures: what.Captures}}}
	case happening.Pressed:
		r := what.Receipt
		r.ID, r.At, r.By = h.ID, h.At, h.By
		return []event{{"press", wire.PressOf(r)}}
	case happening.LessonChanged:
		return []event{{"lesson", wire.LessonOf(what)}}
	case happening.AuditionChanged:
		return []event{{"audition", auditionOf(what)}}
	case happening.DeviceChanged:
		return []event{{"device", wire.DeviceEvent{Slug: what.Device, Was: what.Was}}}
	case happening.DeviceRemoved:
		return []event{{"device-removed", wire.DeviceEvent{Slug: what.Device}}}
	case happening.SetChanged:
		return []event{{"set", wire.SetEvent{Slug: what.Set}}}
	case happening.StationHere:
		return a.station(what.Station)
	case happening.StationAway:
		return a.station(what.Station)
	case happening.StationChanged:
		return []event{{"stations", wire.StationsChanged{}}}
	case happening.GroupChanged:
		return []event{{"groups", wire.GroupsChanged{}}}
	case happening.SequenceChanged:
		return []event{{"sequences", wire.SequencesChanged{}}}
	case happening.OccasionChanged, happening.OccasionInForce, happening.OccasionDiffers:
		return []event{{"occasions", wire.OccasionsChanged{}}}
	case happening.ErrandChanged, happening.ErrandCame, happening.Marked:
		return []event{{"errands", wire.ErrandsChanged{}}}
	case happening.BoardChanged:
		return []event{{"boards", wire.BoardsChanged{}}}
	case happening.QuestionChanged:
		return []event{{"questions", wire.QuestionsChanged{}}}
	case happening.RunChanged:
		return []event{{"run", wire.RunEvent{ID: what.RunID, Phase: what.Phase}}}
	case happening.Notice:
		return []event{{"notice", wire.NoticeEvent{Run: what.Run, Text: what.Text}}}
	case happening.HoldChanged:
		return []event{{"hold", wire.HoldEvent{Device: what.Device, Control: what.Control, Phase: what.Phase}}}
	case happening.HouseChanged:
		return []event{{"house", wire.HouseChanged{}}}
	case happening.RoomChanged:
		return []event{{"rooms", wire.RoomsChanged{}}}
	case happening.StationUsed:
		return a.station(what.Station)
	case happening.StageChanged:
		return []event{{"stage", wire.StageChanged{}}}
	case happening.Believed:
		return []event{{"believed", wire.BelievedEvent{Device: what.Device, Control: what.Control, Value: what.Value}}}
	case happening.Measured:
		return []event{{"measured", wire.Gauge{Name: what.Measurement, Value: what.Value, Unit: what.Unit, At: h.At,
			Battery: what.Battery}}}
	case happening.FellSilent:
		if m, err := a.house.Measure.Find(what.Measurement); err == nil {
			return []event{{"measured", gauge(m)}}
		}
	case happening.MeasurementChanged:
		return []event{{"measurements", wire.MeasurementsChanged{}}}
	case happening.PackImported:
		return []event{{"set", wire.SetEvent{}}}
	}
	return nil
}

func (a *API) station(name string) []event {
	s, known := a.house.Stations.State(name)
	if !known {
		return nil
	}
	return []event{{"station", stationOf(s)}}
}

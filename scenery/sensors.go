package scenery

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"time"

	"urbo/core/grant"
	"urbo/core/measure"
	"urbo/service"
	"urbo/service/access"
	"urbo/stage"
	"urbo/station/mqtt"
)

// sensorsEvery is how often the sensors of the demo tell their values at least.
const sensorsEvery = 30 * time.Second

// Topics of the sensors that publish.
const (
	warmRoomTopic = "saltmarsh/warm-room"
	mixerTopic    = "saltmarsh/mixer/power"
)

// Sensors are the sensors of the observatory. Those of the dome and the boardwalk push their values over HTTP; those of
// the warm room and the mixer publish them at the broker, or push them as well, where the demo has none of its own.
type Sensors struct {
	stage   *stage.Stage
	http    *http.Client
	url     string // of the service
	token   string
	publish *mqtt.Teller // nil without a broker
	changed chan struct{}
}

// Describe says what the sensors measure, and where that comes from. published says that there is a broker.
func Describe(ctx context.Context, house *service.House, published bool) error {
	number := func(f float64) *float64 { return &f }
	specs := map[string]measure.Spec{
		"dome/humidity":         {Unit: "%", Least: number(0), Most: number(100), Silent: 10 * time.Minute},
		"boardwalk/power":       {Unit: "W", Least: number(0), Most: number(500), Silent: 10 * time.Minute},
		"warm-room/temperature": {Unit: "°C", Least: number(-40), Most: number(60), Silent: 10 * time.Minute},
		"mixer/power":           {Unit: "W", Least: number(0), Most: number(500), Silent: 10 * time.Minute},
	}
	if published {
		warm, mixer := specs["warm-room/temperature"], specs["mixer/power"]
		warm.Source.Topic = &measure.Topic{Topic: warmRoomTopic, Pointer: "/celsius", Battery: "/battery"}
		mixer.Source.Topic = &measure.Topic{Topic: mixerTopic}
		specs["warm-room/temperature"], specs["mixer/power"] = warm, mixer
	}
	for name, spec := range specs {
		if was, err := house.Measure.Find(name); err == nil && was.Spec != (measure.Spec{}) &&
			(was.Spec.Source.Topic != nil) == published { // somebody may have changed it
			continue
		}
		if _, err := house.Measure.Describe(ctx, name, spec, grant.Named("demo")); err != nil {
			return err
		}
	}
	return nil
}

// sensorsToken is the name of the token that the sensors of the demo have.
const sensorsToken = "sensors"

// NewSensors gives the sensors of a stage a token, and says where they tell their values: to the service at a URL, and
// at a broker, "" being none.
func NewSensors(ctx context.Context, house *service.House, s *stage.Stage, client *http.Client, url, broker string) (
	*Sensors, error) {
	by := grant.Named("demo")
	if err := house.Access.RemoveToken(ctx, sensorsToken, by); err != nil { // of a demo before this one
		slog.Debug("there was no token of the sensors", "error", err)
	}
	_, secret, err := house.Access.AddToken(ctx, access.NewToken{Name: sensorsToken, Rights: []grant.Right{grant.Tell},
		Where: grant.Everywhere}, by)
	if err != nil {
		return nil, err
	}
	out := &Sensors{stage: s, http: client, url: url, token: secret, changed: make(chan struct{}, 1)}
	if broker != "" {
		out.publish = mqtt.NewTeller(mqtt.Options{URL: broker, User: mqtt.ProgramUser, Password: secret})
	}
	s.Change(func() {
		select {
		case out.changed <- struct{}{}:
		default:
		}
	})
	return out, nil
}

// Run tells what the sensors measure, whenever that changes and every half a minute, until the context ends.
func (s *Sensors) Run(ctx context.Context) {
	tick := time.NewTicker(sensorsEvery)
	defer tick.Stop()
	if s.publish != nil {
		defer s.publish.Close()
	}
	said := ""
	for {
		for _, m := range s.stage.Meters() {
			// the ones before it were told meanwhile, and it may show something else by now
			if now, ok := s.stage.Meter(m.Name); ok {
				m = now
			}
			if err := s.tell(ctx, m); err != nil && ctx.Err() == nil && err.Error() != said {
				said = err.Error()
				slog.Warn("a sensor of the demo", "name", m.Name, "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-s.changed:
		case <-tick.C:
		}
	}
}

func (s *Sensors) tell(ctx context.Context, m stage.Meter) error {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	switch {
	case s.publish != nil && m.Name == "warm-room/temperature":
		payload, err := json.Marshal(map[string]any{"celsius": m.Value, "battery": 84})
		if err != nil {
			return err
		}
		return s.publish.Tell(ctx, warmRoomTopic, payload)
	case s.publish != nil && m.Name == "mixer/power":
		return s.publish.Tell(ctx, mixerTopic, fmt.Append(nil, m.Value))
	}
	body, err := json.Marshal(map[string]any{"value": m.Value, "unit": m.Unit})
	if err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, s.url+"/api/measurements/"+m.Name, bytes.NewReader(body))
	if err != nil {
		return err
	}
	r.Header.Set("Authorization", "Bearer "+s.token)
	r.Header.Set("Content-Type", "application/json")
	resp, err := s.http.Do(r)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		text, _ := io.ReadAll(io.LimitReader(resp.Body, 1000))
		return fmt.Errorf("%s: %s", resp.Status, text)
	}
	return nil
}

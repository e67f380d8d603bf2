package scenery_test

import (
	"context"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/scenery"
	"urbo/service"
	"urbo/service/errands"
	"urbo/service/library"
	"urbo/service/setting"
	"urbo/service/stream"
	"urbo/stage"
	"urbo/station"
	"urbo/station/onstage"
)

// december is the midnight in which these tests begin.
var december = time.Date(2026, 12, 4, 0, 0, 0, 0, time.UTC)

// observatory is the demo's house in fake time, with all of its devices learned.
type observatory struct {
	*service.House
	stage   *stage.Stage
	t       *testing.T
	dir     string
	stop    func()
	told    *stream.Queue
	away    func()               // lets the station in the dome leave
	prepare func(*service.House) // is done to each house before it runs
}

// leaving is a station that can leave.
type leaving struct {
	station.Transport
	away func()
}

// Run brings its link until it leaves.
func (l *leaving) Run(ctx context.Context, join func(context.Context, station.Link) error) error {
	here, away := context.WithCancel(ctx)
	defer away()
	l.away = away
	err := l.Transport.Run(here, join)
	<-ctx.Done()
	return err
}

// inObservatory runs the demo's house in fake time.
func inObservatory(t *testing.T, begins time.Time, act func(t *testing.T, o *observatory)) {
	t.Helper()
	inPrepared(t, begins, func(*service.House) {}, act)
}

// inPrepared is inObservatory with something that is done to each house before it runs.
func inPrepared(t *testing.T, begins time.Time, prepare func(*service.House), act func(t *testing.T, o *observatory)) {
	t.Helper()
	synctest.Test(t, func(t *testing.T) {
		dir := t.TempDir()
		require.NoError(t, scenery.BringSheets(dir))
		s, err := stage.New(stage.Options{Seed: 7})
		require.NoError(t, err)
		on, end := context.WithCancel(context.Background())
		done := make(chan struct{})
		go func() { defer close(done); _ = s.Run(on) }()
		o := &observatory{stage: s, t: t, dir: dir, prepare: prepare}
		o.open(begins)
		require.NoError(t, scenery.Furnish(t.Context(), o.Library, true))
		o.learn()
		_, err = scenery.Arrange(t.Context(), o.House)
		require.NoError(t, err)
		o.truly("amplifier", "boardwalk", "radio", "projector", "mixer", "screen")
		for _, told := range [][3]string{{"dew-a", "power", "off"}, {"dew-b", "power", "off"}, {"dew-c", "power",
			"off"},
			{"heat-pump", "power", "off"}, {"door", "door", "closed"}} {
			_, err := o.Beliefs.Tell(told[0], told[1], told[2], by)
			require.NoError(t, err, told)
		}
		o.pause(5 * time.Second)
		act(t, o)
		o.stop()
		end()
		<-done
	})
}

var (
	by     = grant.Named("test")
	person = grant.By{Actor: grant.Actor{ID: "p1", Kind: grant.Person, Name: "Warden"}}
)

// open begins the house, which believes that it is a time.
func (o *observatory) open(at time.Time) {
	o.t.Helper()
	dome := &leaving{Transport: onstage.NewRadio(o.stage, "dome", scenery.DomeHz)}
	h, err := service.Open(context.Background(), service.Config{Dir: o.dir, Calendar: at,
		Transports: []station.Transport{onstage.New(o.stage, "lecture"), dome}})
	require.NoError(o.t, err)
	o.prepare(h)
	o.told = h.Stream.Subscribe()
	o.away = func() { dome.away() }
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); _ = h.Run(ctx) }()
	o.House = h
	o.stop = func() {
		cancel()
		<-done
		require.NoError(o.t, h.Close())
	}
	synctest.Wait()
}

// learn gives the projector and the mixer what people learn in the demo.
func (o *observatory) learn() {
	o.t.Helper()
	keys := func(sheet string, shared line.Fields, first int64, names ...string) (out []device.Key) {
		for i, name := range names {
			fields := line.Fields{"command": line.Number(first + int64(i))}
			for n, v := range shared {
				fields[n] = v
			}
			out = append(out, device.Key{Name: name, Codes: []device.Code{{Sheet: sheet, Source: "demo", Fields: fields,
				Channel: device.Channel{Medium: line.Infrared}}}})
		}
		return out
	}
	for slug, change := range map[string]func(d *device.Device){
		"projector": func(d *device.Device) {
			d.Keys = keys("nec-wide", line.Fields{"address": line.Number(0x2D5E)}, 0x11, "on", "off", "source")
			d.Controls = []control.Control{{Name: "power", Kind: control.Power,
				Keys: map[string]string{"on": "on", "off": "off"}, AgainMS: 4000, WarmUpMS: 20_000},
				{Name: "source", Kind: control.Selector, Values: []string{"a", "b", "network"}, Round: "source"}}
		},
		"mixer": func(d *device.Device) {
			d.Keys = keys("twin32", line.Fields{"address": line.Number(0xA6), "subaddress": line.Number(0xA6)}, 0x30,
				"power", "speed-1", "speed-2", "speed-3", "speed-4", "sweep")
			d.Controls = []control.Control{{Name: "power", Kind: control.Power, Round: "power"},
				{Name: "speed", Kind: control.Selector, Values: []string{"1", "2", "3", "4"},
					Keys: map[string]string{"1": "speed-1", "2": "speed-2", "3": "speed-3", "4": "speed-4"}},
				{Name: "sweep", Kind: control.Selector, Values: []string{"off", "on"}, Round: "sweep"}}
		},
	} {
		_, err := o.Library.ChangeBySlug(o.t.Context(), slug, library.Note{By: by}, func(d *device.Device) error {
			change(d)
			return nil
		})
		require.NoError(o.t, err, slug)
	}
	synctest.Wait()
}

// truly tells what devices really are at.
func (o *observatory) truly(slugs ...string) {
	o.t.Helper()
	for _, slug := range slugs {
		for _, name := range []string{"power", "volume", "input", "mute", "colour", "brightness", "breathe", "source",
			"speed",
			"sweep", "channel", "position"} {
			value, is := o.truth(slug)[name]
			if id, err := o.Library.ID(slug); !is || err != nil || o.spec(id).Check(name, value) != nil {
				continue
			}
			_, err := o.Beliefs.Tell(slug, name, value, by)
			require.NoError(o.t, err, "%s/%s %s", slug, name, value)
		}
	}
	synctest.Wait()
}

func (o *observatory) spec(id string) *control.Spec {
	spec, err := o.Beliefs.Spec(id)
	require.NoError(o.t, err)
	return spec
}

// truth is what an appliance really is at.
func (o *observatory) truth(slug string) map[string]string {
	o.t.Helper()
	state, err := o.stage.State(slug)
	require.NoError(o.t, err)
	for name, value := range state {
		state[name], _, _ = strings.Cut(value, " of ") // "3 of 8"
		if plain, is := map[string]string{"sweeping": "on", "still": "off"}[value]; is {
			state[name] = plain
		}
	}
	return state
}

// pause lets time go by.
func (o *observatory) pause(d time.Duration) {
	time.Sleep(d)
	synctest.Wait()
}

// until lets time go by until the calendar shows a time of day.
func (o *observatory) until(clock string) {
	o.t.Helper()
	now := o.Calendar.Now().In(o.Errands.Where().Zone)
	of, err := time.ParseInLocation("2006-01-02 15:04", now.Format("2006-01-02 ")+clock, now.Location())
	require.NoError(o.t, err)
	if !of.After(now) {
		of = of.AddDate(0, 0, 1)
	}
	o.pause(of.Sub(now))
}

// press presses a key of a handset.
func (o *observatory) press(handset, key string) {
	o.t.Helper()
	require.NoError(o.t, o.stage.Press(handset, key, 0))
	o.pause(time.Second)
}

// measure tells a value.
func (o *observatory) measure(name string, value float64, unit string) {
	o.t.Helper()
	_, err := o.Measure.Put(name, value, unit, by)
	require.NoError(o.t, err)
	o.pause(time.Second)
}

// notices are the texts for people since they were asked for last.
func (o *observatory) notices() (out []string) {
	o.t.Helper()
	o.Stream.Publish(happening.Happening{What: happening.HouseNote{Text: "here"}})
	for {
		all, err := o.told.Next(o.t.Context())
		require.NoError(o.t, err)
		for _, h := range all {
			switch w := h.What.(type) {
			case happening.Notice:
				out = append(out, w.Text)
			case happening.HouseNote:
				if w.Text == "here" {
					return out
				}
			}
		}
	}
}

// wish sets a control, as a person does.
func (o *observatory) wish(slug, name, value string) {
	o.t.Helper()
	id, err := o.Library.ID(slug)
	require.NoError(o.t, err)
	_, err = o.Setting.Set(o.t.Context(), setting.Wish{Device: id, Asked: true, By: person,
		Wants: []control.Want{{Control: name, Value: value}}})
	require.NoError(o.t, err)
	synctest.Wait()
}

// says adds an errand.
func (o *observatory) says(text string) errands.Errand {
	o.t.Helper()
	one, err := o.Errands.Add(o.t.Context(), text, nil, by)
	require.NoError(o.t, err, text)
	synctest.Wait()
	return one
}

// came is the cues of an errand that came, the oldest first.
func (o *observatory) came(one errands.Errand) (out []errands.Came) {
	o.t.Helper()
	all, err := o.Errands.Came(o.t.Context(), one.ID, 1000)
	require.NoError(o.t, err)
	for _, c := range all {
		out = append([]errands.Came{c}, out...)
	}
	return out
}

// did is what was made of the cues of an errand, the oldest first.
func (o *observatory) did(one errands.Errand) (out []string) {
	o.t.Helper()
	for _, c := range o.came(one) {
		out = append(out, c.Did)
	}
	return out
}

package service_test

import (
	"context"
	"slices"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/service"
	"urbo/service/lessons"
	"urbo/service/library"
	"urbo/service/rooms"
	"urbo/service/setting"
	"urbo/service/stations"
	"urbo/service/transmit"
	"urbo/stage"
	"urbo/station"
	"urbo/station/onstage"
)

func number(x float64) *float64 { return &x }

// key is a key with one code.
func key(name, sheet string, fields map[string]int64) device.Key {
	c := device.Code{Sheet: sheet, Fields: line.Fields{}}
	for f, v := range fields {
		c.Fields[f] = line.Number(v)
	}
	return device.Key{Name: name, Codes: []device.Code{c}}
}

// coded are keys of one line code whose commands count up.
func coded(sheet string, fields map[string]int64, first, step int64, names ...string) []device.Key {
	var out []device.Key
	for i, name := range names {
		all := map[string]int64{"command": first + step*int64(i)}
		for f, v := range fields {
			all[f] = v
		}
		out = append(out, key(name, sheet, all))
	}
	return out
}

// observatory is the appliances of the stage as devices with controls.
func observatory() []device.Device {
	forms := func(c ...control.Control) device.Traits { return device.Traits{Forms: control.Forms{Controls: c}} }
	power := control.Control{Name: "power", Kind: control.Power, Round: "power"}
	screen := map[string]int64{"id": 0x4D2B7}
	with := func(name string, k int64) device.Key {
		return key(name, "ev1527", map[string]int64{"id": screen["id"], "key": k})
	}
	roll := func(name string, button int64) device.Key {
		return key(name, "roll56", map[string]int64{"handset": 0x2E4F81, "button": button, "counter": 10})
	}
	radio := coded("rc5", map[string]int64{"address": 17}, 0, 1, "0", "1", "2", "3", "4", "5", "6", "7", "8", "9")
	radio = append(radio, coded("rc5", map[string]int64{"address": 17}, 12, 4, "power", "volume-up")...)
	radio = append(radio, coded("rc5", map[string]int64{"address": 17}, 17, 1, "volume-down")...)
	return []device.Device{
		{Name: "Projector", Keys: coded("nec-wide", map[string]int64{"address": 0x2D5E}, 0x11, 1, "on", "off",
			"source"),
			Traits: forms(control.Control{Name: "power", Kind: control.Power,
				Keys:    map[string]string{"on": "on", "off": "off"},
				AgainMS: 4000, WarmUpMS: 20_000},
				control.Control{Name: "source", Kind: control.Selector, Values: []string{"a", "b", "network"},
					Round: "source"})},
		{Name: "Amplifier", Keys: coded("sirc15", map[string]int64{"address": 0x6B}, 21, 1, "power", "volume-up",
			"volume-down",
			"mute", "input-1", "input-2"),
			Traits: device.Traits{Forms: control.Forms{Controls: []control.Control{power,
				{Name: "volume", Kind: control.Dial, Most: number(60), Up: "volume-up", Down: "volume-down"},
				{Name: "mute", Kind: control.Selector, Values: []string{"off", "on"}, Round: "mute", OnStart: "off"},
				{Name: "input", Kind: control.Selector, Values: []string{"1", "2"},
					Keys: map[string]string{"1": "input-1", "2": "input-2"}}},
				Effects: []control.KeyEffects{{Key: "power",
					Effects: []control.Effect{{Control: "mute", Op: control.OpSet, While: control.WhileAny}}},
					{Key: "volume-up",
						Effects: []control.Effect{{Control: "mute", Op: control.OpSet}}},
					{Key: "volume-down", Effects: []control.Effect{{Control: "mute", Op: control.OpSet}}}}}}},
		{Name: "Radio", Keys: radio, Traits: forms(power,
			control.Control{Name: "channel", Kind: control.Digits, Least: number(1), Most: number(99),
				Favourites: map[string]int{"marsh radio": 47}},
			control.Control{Name: "volume", Kind: control.Dial, Most: number(30), Up: "volume-up",
				Down: "volume-down"})},
		{Name: "Mixer", Keys: coded("twin32", map[string]int64{"address": 0xA6, "subaddress": 0xA6}, 0x30, 1, "power",
			"speed-1", "speed-2", "speed-3", "speed-4", "sweep"),
			Traits: forms(power, control.Control{Name: "speed", Kind: control.Selector,
				Values: []string{"1", "2", "3", "4"},
				Keys:   map[string]string{"1": "speed-1", "2": "speed-2", "3": "speed-3", "4": "speed-4"}},
				control.Control{Name: "sweep", Kind: control.Selector, Values: []string{"off", "on"}, Round: "sweep"})},
		{Name: "Boardwalk", Keys: coded("nec", map[string]int64{"address": 0x39}, 2, 3, "power", "red", "amber",
			"white", "dim",
			"brighter"),
			Traits: forms(power, control.Control{Name: "colour", Kind: control.Selector,
				Values: []string{"red", "amber", "white"},
				Keys:   map[string]string{"red": "red", "amber": "amber", "white": "white"}},
				control.Control{Name: "brightness", Kind: control.Dial, Least: number(1), Most: number(8),
					Up:   "brighter",
					Down: "dim"})},
		{Name: "Screen", Keys: []device.Key{with("up", 1), with("down", 2), with("stop", 4)},
			Traits: forms(control.Control{Name: "position", Kind: control.Travel, Open: "down", Close: "up",
				Stop:   "stop",
				OpenMS: 18_000, Values: []string{"up", "down"}})},
		{Name: "Shutter", Keys: []device.Key{roll("up", 2), roll("down", 4), roll("stop", 1)},
			Traits: forms(control.Control{Name: "position", Kind: control.Travel, Open: "up", Close: "down",
				Stop:   "stop",
				OpenMS: 42_000})},
	}
}

// onStage runs a house in fake time on a stage with all appliances as devices.
func onStage(t *testing.T, dir string, act func(t *testing.T, h *service.House, s *stage.Stage)) {
	onDay(t, dir, time.Time{}, act)
}

// onDay is onStage with a calendar that shows a time at the beginning.
func onDay(t *testing.T, dir string, day time.Time, act func(t *testing.T, h *service.House, s *stage.Stage)) {
	synctest.Test(t, func(t *testing.T) {
		s, err := stage.New(stage.Options{Seed: 7})
		require.NoError(t, err)
		h, stop := startWith(t, service.Config{Dir: dir, Calendar: day, Extra: []service.Runner{s},
			Transports: []station.Transport{
				onstage.New(s, "lecture"), onstage.NewRadio(s, "dome", 433_420_000)}})
		synctest.Wait()
		for _, d := range observatory() {
			_, err := h.Library.Add(t.Context(), d, library.Note{})
			require.NoError(t, err, d.Name)
		}
		act(t, h, s)
		stop()
	})
}

// wish sets controls, CONTROL VALUE after another.
func wish(t *testing.T, h *service.House, slug string, words ...string) setting.Result {
	t.Helper()
	r, err := h.Setting.Set(t.Context(), wishOf(t, h, slug, words...))
	require.NoError(t, err)
	return r
}

// wishOf is a person's wish, CONTROL VALUE after another.
func wishOf(t *testing.T, h *service.House, slug string, words ...string) setting.Wish {
	t.Helper()
	id, err := h.Library.ID(slug)
	require.NoError(t, err)
	w := setting.Wish{Device: id, Asked: true, By: grant.Named("test")}
	for i := 0; i < len(words); i += 2 {
		w.Wants = append(w.Wants, control.Want{Control: words[i], Value: words[i+1]})
	}
	return w
}

// tellTrue says what is true of an appliance.
func tellTrue(t *testing.T, h *service.House, slug string, words ...string) {
	t.Helper()
	for i := 0; i < len(words); i += 2 {
		_, err := h.Beliefs.Tell(slug, words[i], words[i+1], grant.Named("test"))
		require.NoError(t, err)
	}
}

func believed(t *testing.T, h *service.House, slug, name string) control.State {
	t.Helper()
	states, _, err := h.Beliefs.States(slug)
	require.NoError(t, err)
	for _, s := range states {
		if s.Control == name {
			return s
		}
	}
	require.FailNow(t, "no such control", name)
	return control.State{}
}

func TestSet_EveryQuirkOfTheObservatory(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		fact := func(slug, name, want string) {
			t.Helper()
			facts, err := s.State(slug)
			require.NoError(t, err)
			assert.Equal(t, want, facts[name], "%s %s: %v", slug, name, facts)
		}
		done := func(r setting.Result) {
			t.Helper()
			assert.True(t, r.Done, "%+v", r)
		}
		// The projector warms up, its source goes round, and off is pressed twice.
		r := wish(t, h, "projector", "power", "on", "source", "b")
		assert.False(t, r.Plan.Sure, "which source it is at is not known")
		assert.Empty(t, r.Presses, "and then nothing is pressed")
		tellTrue(t, h, "projector", "power", "off", "source", "a")
		done(wish(t, h, "projector", "power", "on", "source", "network"))
		fact("projector", "power", "on")
		fact("projector", "source", "network")
		done(wish(t, h, "projector", "power", "off"))
		fact("projector", "power", "off")

		// The amplifier toggles; its volume goes to an end where it is not known.
		tellTrue(t, h, "amplifier", "power", "off")
		done(wish(t, h, "amplifier", "power", "on", "volume", "22", "input", "2"))
		fact("amplifier", "power", "on")
		fact("amplifier", "volume", "22")
		fact("amplifier", "input", "2")
		again := wish(t, h, "amplifier", "power", "on")
		assert.Empty(t, again.Presses, "a toggle is not pressed where it is believed so")
		assert.Equal(t, control.HelpPress, again.Plan.Helps[1].Kind)

		// The radio's channels are typed; a favourite has a name.
		tellTrue(t, h, "radio", "power", "off")
		done(wish(t, h, "radio", "power", "on", "channel", "marsh radio"))
		fact("radio", "channel", "47")
		done(wish(t, h, "radio", "channel", "7"))
		fact("radio", "channel", "7")

		// Speeds and colours work only while on.
		tellTrue(t, h, "mixer", "power", "off", "sweep", "off")
		done(wish(t, h, "mixer", "speed", "3", "sweep", "on"))
		fact("mixer", "speed", "3")
		fact("mixer", "sweep", "sweeping")
		tellTrue(t, h, "boardwalk", "power", "off")
		done(wish(t, h, "boardwalk", "colour", "red", "brightness", "3"))
		fact("boardwalk", "colour", "red")
		fact("boardwalk", "brightness", "3 of 8")

		// What travels goes to a place on its way; the shutter's counter goes up.
		done(wish(t, h, "screen", "position", "down"))
		fact("screen", "position", "down")
		done(wish(t, h, "screen", "position", "40"))
		st := believed(t, h, "screen", "position")
		assert.Equal(t, "40%", st.Value)
		done(wish(t, h, "shutter", "position", "open"))
		fact("shutter", "position", "open")
		done(wish(t, h, "shutter", "position", "closed"))
		fact("shutter", "position", "closed")
	})
}

// TestBelief_FollowsHandsets presses handsets, and looks at what is believed.
func TestBelief_FollowsHandsets(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	onStage(t, dir, func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "off", "volume", "14", "input", "1")
		for _, k := range []string{"power", "input-2", "volume-up", "volume-up"} {
			require.NoError(t, s.Press("amplifier", k, 0))
			time.Sleep(2 * time.Second)
		}
		facts, err := s.State("amplifier")
		require.NoError(t, err)
		for name, want := range map[string]string{"power": facts["power"], "volume": facts["volume"],
			"input": facts["input"]} {
			st := believed(t, h, "amplifier", name)
			assert.Equal(t, want, st.Value, name)
			assert.Equal(t, control.ByHandset, st.Source)
			assert.Equal(t, control.Believed, st.Word)
		}
		_, history, err := h.Beliefs.States("amplifier")
		require.NoError(t, err)
		require.Len(t, history["power"], 2)
		assert.Equal(t, []string{"off", "on"}, []string{history["power"][0].Value, history["power"][1].Value})
	})
}

// TestBelief_SurvivesARestart ends in order, in disorder, and after a while.
func TestBelief_SurvivesARestart(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	h, stop := start(t, dir, nil, newBoard(nil))
	_, err := h.Library.Add(t.Context(), observatory()[1], library.Note{})
	require.NoError(t, err)
	tellTrue(t, h, "amplifier", "power", "on", "volume", "20", "input", "2")
	stop()
	h, stop = start(t, dir, nil, newBoard(nil))
	st := believed(t, h, "amplifier", "power")
	assert.Equal(t, "on", st.Value)
	assert.Equal(t, control.Believed, st.Word, "for a moment nobody was listening")
	stop()
	later := func() time.Time { return time.Now().Add(time.Hour) }
	h, stop = start(t, dir, later, newBoard(nil))
	defer stop()
	st = believed(t, h, "amplifier", "power")
	assert.Equal(t, "on", st.Value)
	assert.Equal(t, control.Doubtful, st.Word, "for an hour nobody was listening")
	assert.Equal(t, control.Believed, believed(t, h, "amplifier", "input").Word, "its keys only set it")
}

// TestBelief_AClockThatIsBehindAfterARestartChangesNothing: told off, sent off, restarted with the clock an hour back,
// it was believed to be on.
func TestBelief_AClockThatIsBehindAfterARestartChangesNothing(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	h, stop := start(t, dir, nil, newBoard(nil))
	_, err := h.Library.Add(t.Context(), observatory()[1], library.Note{})
	require.NoError(t, err)
	tellTrue(t, h, "amplifier", "power", "on", "volume", "20")
	tellTrue(t, h, "amplifier", "power", "off")
	stop()
	for _, back := range []time.Duration{time.Hour, 30 * time.Second, 2 * time.Hour} {
		h, stop = start(t, dir, func() time.Time { return time.Now().Add(-back) }, newBoard(nil))
		assert.Equal(t, "off", believed(t, h, "amplifier", "power").Value, "the clock is %v behind", back)
		assert.Equal(t, "20", believed(t, h, "amplifier", "volume").Value)
		tellTrue(t, h, "amplifier", "power", "on")
		assert.Equal(t, "on", believed(t, h, "amplifier", "power").Value, "what is said now comes last")
		tellTrue(t, h, "amplifier", "power", "off")
		stop()
	}
	h, stop = start(t, dir, nil, newBoard(nil))
	defer stop()
	assert.Equal(t, "off", believed(t, h, "amplifier", "power").Value)
}

// TestSet_GoesOnWithoutWhoeverAsked closes the page while the screen is on its way: it still has to be stopped.
func TestSet_GoesOnWithoutWhoeverAsked(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "screen", "position", "up")
		ctx, leave := context.WithTimeout(t.Context(), 2*time.Second)
		defer leave()
		_, err := h.Setting.Set(ctx, wishOf(t, h, "screen", "position", "40"))
		require.ErrorIs(t, err, context.DeadlineExceeded)
		time.Sleep(20 * time.Second)
		facts, err := s.State("screen")
		require.NoError(t, err)
		assert.Equal(t, "stands", facts["movement"])
		assert.Contains(t, facts["position"], "% down")
		assert.Equal(t, "40%", believed(t, h, "screen", "position").Value)
	})
}

func TestSet_TwoPeopleAtOnceTakeTurns(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "on", "volume", "10")
		require.NoError(t, s.Press("amplifier", "power", 0))
		time.Sleep(2 * time.Second)
		tellTrue(t, h, "amplifier", "power", "on", "volume", "14")
		var group sync.WaitGroup
		for _, v := range []string{"20", "5", "17"} {
			group.Go(func() { wish(t, h, "amplifier", "volume", v) })
		}
		group.Wait()
		facts, err := s.State("amplifier")
		require.NoError(t, err)
		assert.Equal(t, believed(t, h, "amplifier", "volume").Value, facts["volume"])
		assert.Contains(t, []string{"20", "5", "17"}, facts["volume"], "it is where one of them wanted it")
	})
}

func TestBelief_ASensorCorrectsAndTheJournalSaysSo(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		_, err := h.Library.ChangeBySlug(t.Context(), "boardwalk", library.Note{}, func(d *device.Device) error {
			d.Sensors = []device.Sensor{{Control: "power", Measurement: "boardwalk/power", High: "on", Low: "off",
				Above: 8,
				Below: 3}}
			return nil
		})
		require.NoError(t, err)
		tellTrue(t, h, "boardwalk", "power", "on")
		measure := func(w float64) {
			_, err := h.Measure.Put("boardwalk/power", w, "W", grant.Named("test"))
			require.NoError(t, err)
			time.Sleep(500 * time.Millisecond)
		}
		for range 20 { // it flaps, and says nothing
			measure(1)
			measure(40)
		}
		measure(5)
		time.Sleep(time.Minute)
		assert.Equal(t, "on", believed(t, h, "boardwalk", "power").Value)
		measure(1)
		time.Sleep(5 * time.Second)
		st := believed(t, h, "boardwalk", "power")
		assert.Equal(t, "off", st.Value)
		assert.Equal(t, control.Sensed, st.Source)
		assert.Equal(t, control.Certain, st.Word)
		assert.Contains(t, told(t, h)[0], "boardwalk power was certain to be on since")
	})
}

// TestSet_WhatWasMeasuredBeforeAPressSaysNothingAfterIt has a meter that tells seldom: what it told before a press is
// no reason to press again, and no reason to believe that nothing came of a handset's press.
func TestSet_WhatWasMeasuredBeforeAPressSaysNothingAfterIt(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		_, err := h.Library.ChangeBySlug(t.Context(), "boardwalk", library.Note{}, func(d *device.Device) error {
			d.Sensors = []device.Sensor{{Control: "power", Measurement: "string/power", High: "on", Low: "off",
				Above: 8, Below: 3}}
			return nil
		})
		require.NoError(t, err)
		truth := func() string {
			facts, err := s.State("boardwalk")
			require.NoError(t, err)
			return facts["power"]
		}
		tellTrue(t, h, "boardwalk", "power", truth())
		if truth() == "off" {
			wish(t, h, "boardwalk", "power", "on")
		}
		measure := func(w float64) {
			_, err := h.Measure.Put("string/power", w, "W", grant.Named("test"))
			require.NoError(t, err)
			time.Sleep(5 * time.Second)
		}
		measure(29)
		require.Equal(t, control.Sensed, believed(t, h, "boardwalk", "power").Source)
		wish(t, h, "boardwalk", "power", "off")
		assert.Equal(t, "off", truth(), "it is pressed once")
		time.Sleep(time.Minute)
		assert.Equal(t, "off", believed(t, h, "boardwalk", "power").Value)
		require.NoError(t, s.Press("boardwalk", "power", 0))
		time.Sleep(time.Minute)
		assert.Equal(t, truth(), believed(t, h, "boardwalk", "power").Value, "a handset's press is believed, too")
		measure(0.4)
		assert.Equal(t, "off", believed(t, h, "boardwalk", "power").Value, "what is measured after it counts")
	})
}

func TestBelief_AnEchoSettlesWhatIsUnknown(t *testing.T) {
	t.Parallel()
	b := newBoard(func(b *board, s station.Send) { // it hears what it sends, and never says so
		b.say(station.Heard{Port: "ir-in", At: time.Now().UnixMicro(), Train: s.Once[:len(s.Once)-1], Gap: 40_000})
	})
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		d, err := h.Library.Add(t.Context(), device.Device{Name: "Lamp", Keys: []device.Key{
			{Name: "power", Codes: []device.Code{necCode(1)}}},
			Traits: device.Traits{Forms: control.Forms{Controls: []control.Control{{Name: "power", Kind: control.Power,
				Round: "power"}}}}}, library.Note{})
		require.NoError(t, err)
		tellTrue(t, h, d.Slug, "power", "off")
		assert.Equal(t, happening.Unknown, press(t, h, power).Outcome)
		assert.Equal(t, "on", believed(t, h, "lamp", "power").Value, "it was heard: it went out")
		b.obey = func(*board, station.Send) {}
		press(t, h, power)
		assert.Equal(t, "", believed(t, h, "lamp", "power").Value, "and this one nobody heard")
	})
}

// TestBelief_LateNewsIsPutInItsPlace lets an outpost tell an hour late that the power key was pressed before the
// volume.
func TestBelief_LateNewsIsPutInItsPlace(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "off", "volume", "14")
		d, err := h.Library.Device("amplifier")
		require.NoError(t, err)
		heard := func(key string, at time.Time) {
			h.Stream.Publish(happening.Happening{At: at,
				What: happening.HeardOf(happening.Capture{ID: key + at.String(), At: at,
					Station: "garden", Port: "ir-in", Medium: line.Infrared, Late: true,
					Keys: []happening.KeyMatch{{DeviceID: d.ID, Ref: device.Ref{Device: d.Slug, Key: key}}}})})
		}
		began := time.Now()
		time.Sleep(10 * time.Minute)
		heard("volume-up", time.Now())
		assert.Equal(t, "14", believed(t, h, "amplifier", "volume").Value, "it is off, as far as is known")
		time.Sleep(time.Hour)
		heard("power", began.Add(5*time.Minute))
		assert.Equal(t, "on", believed(t, h, "amplifier", "power").Value)
		assert.Equal(t, "15", believed(t, h, "amplifier", "volume").Value, "it was on by then")
	})
}

// BenchmarkBelief_AfterAPress is a press up to where its belief can be read.
func BenchmarkBelief_AfterAPress(b *testing.B) {
	h, stop := start(b, b.TempDir(), nil, newBoard(nil))
	defer stop()
	d, err := h.Library.Add(b.Context(), observatory()[1], library.Note{})
	require.NoError(b, err)
	var took []time.Duration
	for n := 0; b.Loop(); n++ {
		_, err := h.Transmit.Press(b.Context(), transmit.Order{Device: d, Key: d.Keys[1+n%5]})
		require.NoError(b, err)
		began := time.Now()
		_, _, err = h.Beliefs.States(d.Slug)
		require.NoError(b, err)
		took = append(took, time.Since(began))
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2])/1e6, "ms-median")
	b.ReportMetric(float64(took[len(took)*99/100])/1e6, "ms-99%")
}

func TestBelief_WhatWasOnForTooLongIsSwitchedOff(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		_, err := h.Library.ChangeBySlug(t.Context(), "projector", library.Note{}, func(d *device.Device) error {
			d.Controls[0].LongestS = 3600
			return nil
		})
		require.NoError(t, err)
		wish(t, h, "projector", "power", "on")
		time.Sleep(50 * time.Minute)
		assert.Equal(t, "on", believed(t, h, "projector", "power").Value)
		time.Sleep(15 * time.Minute)
		facts, err := s.State("projector")
		require.NoError(t, err)
		assert.Equal(t, "off", facts["power"])
	})
}

func TestSet_SaysWhyItCannot(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		_, err := h.Setting.Set(t.Context(), setting.Wish{Device: "nothing"})
		require.ErrorIs(t, err, library.ErrUnknownDevice)
		_, err = h.Library.Add(t.Context(),
			device.Device{Name: "Lamp", Keys: []device.Key{{Name: "power"}, {Name: "red"}}},
			library.Note{})
		require.NoError(t, err)
		on := wishOf(t, h, "lamp", "power", "on")
		_, err = h.Setting.Set(t.Context(), on)
		require.ErrorContains(t, err, "nothing can be set on lamp yet: urbo device control propose lamp")
		change(t, h, func(d *device.Device) error {
			d.Controls = []control.Control{{Name: "power", Kind: control.Power, Keys: map[string]string{"on": "power"}}}
			return nil
		})
		_, err = h.Setting.Set(t.Context(), on)
		require.ErrorContains(t, err, "start a lesson for it (urbo learn lamp power)")
		l := startLesson(t, h, lessons.New{Keys: []string{"power"}})
		_, err = h.Setting.Set(t.Context(), on)
		require.ErrorIs(t, err, setting.ErrLesson)
		stepLesson(t, h, l.ID, lessons.Step{Do: "finish"})
		change(t, h, func(d *device.Device) error { return d.Remove("power") })
		d, err := h.Library.Device("lamp")
		require.NoError(t, err)
		assert.Empty(t, d.Controls, "its only key is gone")
	})
}

func TestBelief_AMainsFailureLeavesDevicesAsTheirFormsSay(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		_, err := h.Library.ChangeBySlug(t.Context(), "boardwalk", library.Note{}, func(d *device.Device) error {
			d.Room = "Outside"
			for i := range d.Controls {
				if d.Controls[i].Name == "power" {
					d.Controls[i].MainsFail = "off"
				}
			}
			return nil
		})
		require.NoError(t, err)
		for _, slug := range []string{"boardwalk", "amplifier"} {
			_, err := h.Beliefs.Tell(slug, "power", "on", grant.Named("test"))
			require.NoError(t, err)
		}
		n, err := h.MainsFailed("OUTSIDE", grant.Named("test"))
		require.NoError(t, err)
		assert.Equal(t, 1, n, "in one room")
		assert.Equal(t, "off", believed(t, h, "boardwalk", "power").Value)
		assert.Equal(t, "on", believed(t, h, "amplifier", "power").Value)
		_, err = h.MainsFailed("Cellar", grant.Named("test"))
		require.ErrorIs(t, err, rooms.ErrUnknown)
		n, err = h.MainsFailed("", grant.Named("test"))
		require.NoError(t, err)
		assert.Greater(t, n, 1)
		assert.Empty(t, believed(t, h, "amplifier", "power").Value, "its form does not say")
	})
}

func TestBelief_FramesReachEveryDeviceInTheRoomThatObeysThem(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		heater := func(name, room string) {
			_, err := h.Library.Add(t.Context(), device.Device{Name: name, Room: room, Kind: "other",
				Traits: device.Traits{Forms: control.Forms{
					Controls: []control.Control{
						{Name: "target", Kind: control.Dial, Least: number(0), Most: number(15)}},
					Whole: &control.Whole{Sheet: "sirc12", Fixed: map[string]int64{"address": 3},
						Settings: []control.Setting{{Control: "target", Field: "command", From: 1}}}}}}, library.Note{})
			require.NoError(t, err)
		}
		room := "Lecture room"
		err := h.Stations.Alter(t.Context(), "lecture", stations.Change{Room: &room}, grant.Named("test"))
		require.NoError(t, err)
		heater("One", room)
		heater("Two", room)
		heater("Three", "Cellar")
		wish(t, h, "one", "target", "7")
		assert.Equal(t, "7", believed(t, h, "one", "target").Value)
		assert.Equal(t, "7", believed(t, h, "two", "target").Value, "it obeys the same frames")
		assert.Empty(t, believed(t, h, "three", "target").Value, "another room")
	})
}

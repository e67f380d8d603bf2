package onstage_test

import (
	"context"
	"fmt"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
	"urbo/stage"
	"urbo/station"
	"urbo/station/linktest"
	"urbo/station/onstage"
)

// theatre is the whole observatory with its stations, under fake time.
type theatre struct {
	*testing.T
	stage *stage.Stage
	alone map[string]*linktest.Peer // by station
}

func perform(t *testing.T, act func(*theatre)) {
	synctest.Test(t, func(t *testing.T) {
		s, err := stage.New(stage.Options{Seed: 4})
		require.NoError(t, err)
		th := &theatre{t, s, map[string]*linktest.Peer{}}
		ctx, cancel := context.WithCancel(t.Context())
		var group sync.WaitGroup
		group.Go(func() { _ = s.Run(ctx) })
		for name, n := range map[string]*onstage.Station{"lecture": onstage.New(s, "lecture"),
			"dome": onstage.NewRadio(s, "dome", 433_420_000)} {
			p := &linktest.Peer{}
			th.alone[name] = p
			group.Go(func() { _ = n.Run(ctx, p.Join) })
		}
		synctest.Wait()
		act(th)
		cancel()
		group.Wait()
	})
}

// press pushes a key of a handset and reads what was heard of it, best reading first.
func (th *theatre) press(handset, key string) []line.Reading {
	th.Helper()
	before := map[string]int{}
	for name, p := range th.alone {
		before[name] = len(linktest.Said[station.Heard](p))
	}
	require.NoError(th, th.stage.Press(handset, key, 0))
	time.Sleep(1500 * time.Millisecond)
	var trains []signal.Reception
	for name, p := range th.alone {
		for _, h := range linktest.Said[station.Heard](p)[before[name]:] {
			trains = append(trains, signal.Reception{Train: h.Train, Gap: 60_000})
		}
	}
	require.NotEmpty(th, trains, "%s/%s is heard", handset, key)
	return line.Builtin().Decode(trains).Readings
}

// send plays a reading again, as Urbo would.
func (th *theatre) send(r line.Reading, change func(line.Fields)) {
	th.Helper()
	s, err := line.Builtin().Sheet(r.Sheet)
	require.NoError(th, err)
	if change != nil {
		change(r.Fields)
	}
	unit := 0.0
	if s.UnitFrom != s.UnitTo {
		unit = r.Unit
	}
	b, err := s.EncodeUnit(r.Fields, unit)
	require.NoError(th, err)
	hall, port := "lecture", "ir-out"
	if s.Medium == line.Radio {
		port = "radio-out"
	}
	if s.FrequencyHz == 433_420_000 {
		hall = "dome"
	}
	m := station.Send{ID: fmt.Sprint(time.Now().UnixNano()), Port: port, CarrierHz: s.CarrierHz,
		FrequencyHz: s.FrequencyHz, Once: b.Once, Repeat: b.Repeat, Repeats: b.Repeats, Last: b.Last}
	th.alone[hall].Tell(th.T, m)
	time.Sleep(1500 * time.Millisecond)
}

func (th *theatre) fact(appliance, name string) string {
	th.Helper()
	facts, err := th.stage.State(appliance)
	require.NoError(th, err)
	return facts[name]
}

// TestObservatory_HandsetsAreReadAndReadingsAreObeyed is the circle for every device with a known line code: its
// handset is read, what was read is sent, and the appliance does what its handset makes it do.
func TestObservatory_HandsetsAreReadAndReadingsAreObeyed(t *testing.T) {
	for _, c := range []struct {
		handset, ready, key, sheet string // ready is pressed first, where the key needs it
		fact, by, again            string // the fact, after the handset's key, and after Urbo's sending
	}{
		{"projector", "", "on", "nec-wide", "power", "warming up", "warming up"},
		{"dew-b", "", "on", "pt2262", "power", "on", "on"},
		{"amplifier", "", "power", "sirc15", "power", "on", "off"},
		{"amplifier", "power", "volume-up", "sirc15", "volume", "15", "16"},
		{"amplifier", "power", "input-3", "sirc15", "input", "3", "3"},
		{"mixer", "", "power", "twin32", "power", "on", "off"},
		{"mixer", "power", "speed-4", "twin32", "speed", "4", "4"},
	} {
		t.Run(c.handset+"/"+c.key, func(t *testing.T) {
			perform(t, func(th *theatre) {
				if c.ready != "" {
					th.press(c.handset, c.ready)
				}
				readings := th.press(c.handset, c.key)
				require.NotEmpty(th, readings)
				assert.Equal(th, c.sheet, readings[0].Sheet, "%+v", readings)
				assert.Equal(th, c.by, th.fact(c.handset, c.fact))
				th.send(readings[0], nil)
				assert.Equal(th, c.again, th.fact(c.handset, c.fact))
			})
		})
	}
}

func TestWeatherRadio_TellsPressesApartByTheToggle(t *testing.T) {
	perform(t, func(th *theatre) {
		power := th.press("radio", "power")
		require.NotEmpty(th, power)
		require.Equal(th, "rc5", power[0].Sheet)
		assert.Equal(th, "on", th.fact("radio", "power"))
		th.send(power[0], nil)
		assert.Equal(th, "on", th.fact("radio", "power"), "the same toggle is the same press")
		th.send(power[0], func(f line.Fields) { f["toggle"] = line.Number(0) })
		assert.Equal(th, "off", th.fact("radio", "power"))

		th.press("radio", "power") // the handset's own toggle is where Urbo's was: ignored
		th.press("radio", "power")
		require.Equal(th, "on", th.fact("radio", "power"))
		th.press("radio", "4")
		th.press("radio", "7")
		assert.Equal(th, "47", th.fact("radio", "channel"))
		th.press("radio", "3")
		time.Sleep(4 * time.Second)
		th.press("radio", "9")
		assert.Equal(th, "9", th.fact("radio", "channel"), "too late for the second digit")
		th.press("radio", "channel-down")
		assert.Equal(th, "8", th.fact("radio", "channel"))
	})
}

func TestScreen_TravelsAndStops(t *testing.T) {
	perform(t, func(th *theatre) {
		down := th.press("screen", "down")
		require.NotEmpty(th, down)
		assert.Equal(th, "moving down", th.fact("screen", "movement"))
		time.Sleep(7500 * time.Millisecond)
		stop := th.press("screen", "stop")
		assert.Equal(th, "stands", th.fact("screen", "movement"))
		assert.Regexp(th, `^(4[5-9]|5[0-5]) % down$`, th.fact("screen", "position"))
		time.Sleep(time.Minute)
		th.send(down[0], nil)
		time.Sleep(20 * time.Second)
		assert.Equal(th, "down", th.fact("screen", "position"))
		assert.Equal(th, "stands", th.fact("screen", "movement"))
		assert.Equal(th, "ev1527", down[0].Sheet)
		assert.NotEqual(th, down[0].Fields["key"], stop[0].Fields["key"])
	})
}

func TestShutter_ObeysEachCounterOnceAndOnlyPairedHandsets(t *testing.T) {
	perform(t, func(th *theatre) {
		up := th.press("shutter", "up")
		require.NotEmpty(th, up)
		require.Equal(th, "roll56", up[0].Sheet)
		assert.Equal(th, "moving open", th.fact("shutter", "movement"))
		th.press("shutter", "stop")
		require.Equal(th, "stands", th.fact("shutter", "movement"))
		th.send(up[0], nil)
		assert.Equal(th, "stands", th.fact("shutter", "movement"), "a replay is not obeyed")
		th.send(up[0], func(f line.Fields) { f["counter"] = line.Number(3); f["handset"] = line.Number(0x111111) })
		assert.Equal(th, "stands", th.fact("shutter", "movement"), "nor is a handset that is not paired")
		th.send(up[0], func(f line.Fields) { f["handset"] = line.Number(0x2E4F81) })
		assert.Equal(th, "moving open", th.fact("shutter", "movement"), "the next counter is")
		time.Sleep(time.Minute)
		assert.Equal(th, "open", th.fact("shutter", "position"))
	})
}

func TestShutter_IsHeardOnlyOnItsOwnChannel(t *testing.T) {
	perform(t, func(th *theatre) {
		th.press("shutter", "down")
		assert.NotEmpty(th, linktest.Said[station.Heard](th.alone["dome"]))
		assert.Empty(th, linktest.Said[station.Heard](th.alone["lecture"]), "its receiver is half a megahertz off")
	})
}

func TestHeatPump_EveryPressCarriesTheWholeState(t *testing.T) {
	perform(t, func(th *theatre) {
		th.press("heat-pump", "on-off")
		th.press("heat-pump", "warmer")
		th.press("heat-pump", "warmer")
		assert.Equal(th, "on", th.fact("heat-pump", "power"))
		assert.Equal(th, "20 °C", th.fact("heat-pump", "temperature"))
		th.press("heat-pump", "mode")
		assert.Equal(th, "auto", th.fact("heat-pump", "mode"))
	})
}

func TestClickerAndDoor_AreHeardAndNothingAnswers(t *testing.T) {
	perform(t, func(th *theatre) {
		assert.Empty(th, th.press("clicker", "a"), "a code without a name")
		opened := th.press("door", "opened")
		require.NotEmpty(th, opened)
		assert.Equal(th, "ev1527", opened[0].Sheet)
		assert.Equal(th, line.Number(0x1C3A9), opened[0].Fields["id"])
	})
}

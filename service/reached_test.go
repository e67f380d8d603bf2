package service_test

import (
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/reach"
	"urbo/service"
	"urbo/service/library"
	"urbo/service/stations"
	"urbo/service/transmit"
	"urbo/stage"
	"urbo/station"
	"urbo/station/onstage"
)

// heater is a device with a key that sets and one that toggles.
func heater(t testing.TB, h *service.House) device.Device {
	t.Helper()
	d, err := h.Library.Add(t.Context(), device.Device{Name: "Heater", Room: "Dome", Keys: []device.Key{
		{Name: "on", Codes: []device.Code{necCode(1)}}, {Name: "mute", Codes: []device.Code{necCode(2)}}}},
		library.Note{})
	require.NoError(t, err)
	return d
}

// echoes is a board whose receiver hears what it sends, but for the first few.
func echoes(deaf int) *board {
	return newBoard(func(b *board, s station.Send) {
		took := int64(s.Airtime())
		b.say(station.Sent{ID: s.ID, Took: took})
		if len(b.sent()) > deaf {
			b.say(station.Heard{Port: "ir-in", At: time.Now().UnixMicro(), Train: s.Once[:len(s.Once)-1], Gap: 40_000})
		}
	})
}

func TestVerify_SendsOnceMoreWhatOnlySetsAndNeverAToggle(t *testing.T) {
	t.Parallel()
	yes, no := true, false
	for name, c := range map[string]struct {
		deaf, key, sends int
		heard            *bool
		note             string
	}{
		"heard at once":            {0, 0, 1, &yes, ""},
		"heard the second time":    {1, 0, 2, &yes, "sent once more, and heard"},
		"never heard":              {9, 0, 2, &no, "nor when it was sent once more"},
		"a toggle that was heard":  {0, 1, 1, &yes, ""},
		"a toggle that nobody did": {9, 1, 1, &no, "not sent again by itself"},
	} {
		t.Run(name, func(t *testing.T) {
			b := echoes(c.deaf)
			inFakeTime(t, b, func(t *testing.T, h *service.House) {
				d := heater(t, h)
				d, err := h.Library.ChangeBySlug(t.Context(), d.Slug, library.Note{}, func(d *device.Device) error {
					d.Verify = true
					return nil
				})
				require.NoError(t, err)
				r, err := h.Transmit.Press(t.Context(), transmit.Order{Device: d, Key: d.Keys[c.key]})
				require.NoError(t, err)
				assert.Equal(t, happening.Sent, r.Outcome)
				assert.Equal(t, c.heard, r.Heard)
				assert.Contains(t, r.Note, c.note)
				assert.Len(t, b.sent(), c.sends)
			})
		})
	}
}

func TestTransmit_WhatWaitsAndAddsNothingIsSentOnce(t *testing.T) {
	t.Parallel()
	b := newBoard(takes)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		d := heater(t, h)
		ask := func(key int) *transmit.Ticket {
			k, err := h.Transmit.Start(transmit.Order{Device: d, Key: d.Keys[key]})
			require.NoError(t, err)
			return k
		}
		ask(1)
		synctest.Wait() // it is on the air
		on := []*transmit.Ticket{ask(0), ask(0), ask(0)}
		on[0].Cancel() // one of three does not want it any more
		ask(1)
		ask(1)
		last := ask(0) // after another key it counts again
		first, err := on[1].Wait(t.Context())
		require.NoError(t, err)
		assert.Contains(t, first.Note, "Asked for 3 times while it waited, and sent once.")
		again, err := last.Wait(t.Context())
		require.NoError(t, err)
		assert.NotEqual(t, first.ID, again.ID)
		assert.Len(t, b.sent(), 1+1+2+1, "toggles count every time")
		var order []int
		for _, s := range b.sent() {
			order = append(order, s.Once[len(s.Once)/2+2]) // where on and mute differ
		}
		assert.Equal(t, []int{order[0], order[1], order[0], order[0], order[1]}, order,
			"presses of a device keep their order")
	})
}

// TestTransmit_WhatMustNotComeLateGoesBetweenThePressesOfALongOrder stops something while a volume is turned down.
func TestTransmit_WhatMustNotComeLateGoesBetweenThePressesOfALongOrder(t *testing.T) {
	t.Parallel()
	b := newBoard(takes)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		d := heater(t, h)
		lamp(t, h)
		_, err := h.Transmit.Start(transmit.Order{Device: d, Key: d.Keys[1], Times: 20})
		require.NoError(t, err)
		synctest.Wait() // the first of them is on the air
		o := order(t, h, power)
		o.Next, o.Within = true, 600*time.Millisecond
		began := time.Now()
		_, err = h.Transmit.Press(t.Context(), o)
		require.NoError(t, err)
		assert.Less(t, time.Since(began), time.Second)
		time.Sleep(20 * time.Second)
		assert.Len(t, b.sent(), 21)
	})
}

// three is a house with three boards, two of which a test may let go away.
func three(t *testing.T, act func(t *testing.T, h *service.House, here, there *board)) {
	synctest.Test(t, func(t *testing.T) {
		here, there, attic := newBoard(nil), newBoard(nil), newBoard(nil)
		there.name, attic.name = "outside", "attic"
		h, stop := start(t, t.TempDir(), nil, here, there, attic)
		for name, room := range map[string]string{"lecture": "Lecture", "outside": "Outside"} {
			require.NoError(t, h.Stations.Alter(t.Context(), name, stations.Change{Room: &room}, grant.Named("test")))
		}
		act(t, h, here, there)
		stop()
	})
}

func TestTransmit_SeveralTransmittersForOneDevice(t *testing.T) {
	t.Parallel()
	three(t, func(t *testing.T, h *service.House, here, there *board) {
		d := heater(t, h)
		d.Transmitter, d.Also = place(t, h, "lecture/ir-out"), []device.Place{place(t, h, "outside/ir-out")}
		ask := func() happening.Receipt {
			r, err := h.Transmit.Press(t.Context(), transmit.Order{Device: d, Key: d.Keys[0]})
			require.NoError(t, err)
			return r
		}
		r := ask()
		assert.Equal(t, happening.Sent, r.Outcome)
		assert.Contains(t, r.Note, "Sent through outside/ir-out as well.")
		assert.Equal(t, []int{1, 1}, []int{len(here.sent()), len(there.sent())})

		there.obey = func(b *board, s station.Send) { b.say(station.Failed{ID: s.ID, Reason: "no power"}) }
		r = ask()
		assert.Equal(t, happening.Unknown, r.Outcome, "only some sent it")
		assert.Contains(t, r.Reason, "outside/ir-out: no power")

		require.NoError(t, there.Close())
		synctest.Wait()
		r = ask()
		assert.Equal(t, happening.Sent, r.Outcome)
		assert.Contains(t, r.Note, `One transmitter did not send: no transmitter for infrared at 38 kHz: station "outside"`)
	})
}

// TestTransmit_AKeyHasATransmitterOfItsOwn instead of the device's, also after it is read from disk, and another stands
// in for it where it is away.
func TestTransmit_AKeyHasATransmitterOfItsOwn(t *testing.T) {
	t.Parallel()
	three(t, func(t *testing.T, h *service.House, here, there *board) {
		d := heater(t, h)
		key := d.Keys[0].Name
		_, err := h.Library.ChangeBySlug(t.Context(), d.Slug, library.Note{}, func(d *device.Device) error {
			d.Transmitter, d.Also = place(t, h, "lecture/ir-out"), []device.Place{place(t, h, "attic/ir-out")}
			d.Keys[0].Transmitter = place(t, h, "outside/ir-out")
			return nil
		})
		require.NoError(t, err)
		ask := func() happening.Receipt {
			one, k, err := h.Library.Key(device.Ref{Device: d.Slug, Key: key})
			require.NoError(t, err)
			r, err := h.Transmit.Press(t.Context(), transmit.Order{Device: one, Key: k})
			require.NoError(t, err)
			return r
		}
		assert.Equal(t, "outside", ask().Station)
		assert.Equal(t, []int{0, 1}, []int{len(here.sent()), len(there.sent())})
		require.NoError(t, there.Close())
		synctest.Wait()
		assert.NotEqual(t, "outside", ask().Station)
	})
}

func TestTransmitter_IsTheOneThatATestSawReachingTheRoom(t *testing.T) {
	t.Parallel()
	three(t, func(t *testing.T, h *service.House, here, there *board) {
		require.NoError(t, here.Close()) // a transmitter in the room itself would be the first choice
		synctest.Wait()
		dome := "Dome"
		require.NoError(t, h.Stations.Alter(t.Context(), "lecture", stations.Change{Room: &dome}, grant.Named("test")))
		d := heater(t, h)
		for _, nearest := range []string{"attic", "outside", "attic"} {
			for _, name := range []string{"attic", "outside"} {
				heard := map[string]float64{"lecture/ir-in": 0.2}
				if name == nearest {
					heard["lecture/ir-in"] = 0.4
				}
				require.NoError(t, h.Stations.Witness(t.Context(), name+"/ir-out", heard))
			}
			r, err := h.Transmit.Press(t.Context(), transmit.Order{Device: d, Key: d.Keys[0]})
			require.NoError(t, err)
			assert.Equal(t, nearest, r.Station)
		}
	})
}

func TestStations_ACorrectedTransmitterIsTrue(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		dir := t.TempDir()
		s, err := stage.New(stage.Options{})
		require.NoError(t, err)
		c := service.Config{Dir: dir, Extra: []service.Runner{s}, Transports: []station.Transport{
			onstage.NewFaulty(s, "board", onstage.Inexact), onstage.New(s, "sound")}}
		h, stop := startWith(t, c)
		synctest.Wait()
		m, err := h.SelfTest.Run(t.Context(), "", grant.Named("test"))
		require.NoError(t, err)
		found := m.Corrections()
		assert.NotContains(t, found, "sound/ir-out")
		ir := found["board/ir-out"]
		assert.InDelta(t, 1.04, ir.Unit, 0.01, "%+v", found)
		assert.InDelta(t, 120, ir.Stretch, 40)
		require.NoError(t, h.Stations.Correct(t.Context(), "board", "ir-out", ir.Correction, grant.Named("test")))
		stop()

		h, stop = startWith(t, c) // it is kept
		defer stop()
		synctest.Wait()
		m, err = h.SelfTest.Run(t.Context(), "", grant.Named("test"))
		require.NoError(t, err)
		assert.NotContains(t, m.Corrections(), "board/ir-out")
		require.ErrorIs(t, h.Stations.Correct(t.Context(), "board", "ir-out", reach.Correction{Unit: 9}, grant.By{}),
			stations.ErrSetting)
		require.ErrorIs(t, h.Stations.Correct(t.Context(), "board", "ir-in", ir.Correction, grant.By{}),
			stations.ErrUnknownTransmitter)
	})
}

func TestPress_AThousandInASecondAllHaveAnAnswer(t *testing.T) {
	t.Parallel()
	b := newBoard(takes)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		var group sync.WaitGroup
		var mu sync.Mutex
		answers := map[string]int{}
		for i := range 1000 {
			group.Go(func() {
				time.Sleep(time.Duration(i) * time.Millisecond)
				r, err := h.Transmit.Press(t.Context(), order(t, h, power))
				mu.Lock()
				defer mu.Unlock()
				if err != nil {
					assert.ErrorIs(t, err, transmit.ErrBusy)
					answers["busy"]++
					return
				}
				answers[string(r.Outcome)]++
			})
		}
		group.Wait()
		assert.Equal(t, 1000, answers["busy"]+answers["sent"], "%v", answers)
		assert.Equal(t, answers["sent"], len(b.sent()), "none is sent that was refused, and none twice")
		assert.Greater(t, answers["sent"], 32)
	})
}

func TestStations_AirtimeIsCountedAcrossARestart(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	for run := range 2 {
		b := newBoard(nil)
		h, stop := start(t, dir, nil, b)
		if run == 0 {
			lamp(t, h)
			press(t, h, power)
		}
		s, err := h.Stations.Find("lecture")
		require.NoError(t, err)
		assert.InDelta(t, 0.1, s.Ports[1].Air.Used.Seconds(), 0.05, "start %d", run)
		stop()
	}
}

// TestStations_AirtimeOfAStationThatWasRemovedCountsOn: removing and adding it forgot the hour.
func TestStations_AirtimeOfAStationThatWasRemovedCountsOn(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	b := newBoard(nil)
	h, stop := start(t, dir, nil, b)
	lamp(t, h)
	press(t, h, power)
	used := func() float64 {
		s, err := h.Stations.Find("lecture")
		require.NoError(t, err)
		for _, p := range s.Ports {
			if p.ID == "ir-out" {
				return p.Air.Used.Seconds()
			}
		}
		return 0
	}
	before := used()
	require.Positive(t, before)
	from, err := h.Stations.Remove(t.Context(), "lecture", grant.By{})
	require.NoError(t, err)
	require.NoError(t, h.Stations.Add(t.Context(), "lecture", from, "", grant.By{}))
	ports := func() int {
		s, err := h.Stations.Find("lecture")
		require.NoError(t, err)
		return len(s.Ports)
	}
	if ports() == 0 { // it says hello again after a restart
		stop()
		h, stop = start(t, dir, nil, newBoard(nil))
	}
	defer func() { stop() }()
	assert.InDelta(t, before, used(), 0.01)
}

func TestStations_AClockThatIsWrongOrWrapsSpoilsNothing(t *testing.T) {
	t.Parallel()
	b := newBoard(func(b *board, s station.Send) { b.say(station.Sent{ID: s.ID, Started: -1 << 62, Took: 1 << 62}) })
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		for _, at := range []int64{1 << 62, 1<<32 - 30_000, 30_000, -1 << 62} { // it wraps between the second and third
			b.hear(at, nec(t, 1), 40_000)
			time.Sleep(time.Second)
		}
		all := captures(t, h)
		require.Len(t, all, 4)
		for _, c := range all {
			assert.Equal(t, "power", c.Keys[0].Key)
			assert.WithinDuration(t, time.Now(), c.At, 5*time.Second, "its time is the house's")
		}
		assert.LessOrEqual(t, press(t, h, power).Took, 2*time.Minute)
	})
}

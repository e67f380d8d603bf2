package stage_test

import (
	"context"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/stage"
)

// play runs a test on a stage under fake time.
func play(t *testing.T, o stage.Options, act func(*stage.Stage)) {
	t.Helper()
	synctest.Test(t, func(t *testing.T) {
		s, err := stage.New(o)
		require.NoError(t, err)
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan struct{})
		go func() { defer close(done); _ = s.Run(ctx) }()
		act(s)
		cancel()
		<-done
	})
}

func press(t *testing.T, s *stage.Stage, handset, key string) {
	t.Helper()
	require.NoError(t, s.Press(handset, key, 0))
	time.Sleep(time.Second)
}

func state(t *testing.T, s *stage.Stage, slug string) map[string]string {
	t.Helper()
	facts, err := s.State(slug)
	require.NoError(t, err)
	return facts
}

func TestProjector_WarmsUpAndAsksTwiceForOff(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		press(t, s, "projector", "on")
		assert.Equal(t, "warming up", state(t, s, "projector")["power"])
		press(t, s, "projector", "source")
		assert.Equal(t, "A", state(t, s, "projector")["source"], "it ignores keys while warming up")

		time.Sleep(20 * time.Second)
		press(t, s, "projector", "source")
		assert.Equal(t, "B", state(t, s, "projector")["source"])

		press(t, s, "projector", "off")
		assert.Equal(t, "press off again", state(t, s, "projector")["asks"])
		time.Sleep(5 * time.Second)
		press(t, s, "projector", "off")
		assert.Equal(t, "on", state(t, s, "projector")["power"], "the second press came too late")
		press(t, s, "projector", "off")
		assert.Equal(t, "off", state(t, s, "projector")["power"])
	})
}

func TestChange_IsToldWhenTimeAloneChangesAnAppliance(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		var told atomic.Int32
		s.Change(func() { told.Add(1) })
		press(t, s, "projector", "on")
		before := told.Load()
		time.Sleep(25 * time.Second)
		assert.Equal(t, before+1, told.Load(), "it has warmed up")
	})
}

func TestBoardwalk_PowerTogglesAndColoursNeedPower(t *testing.T) {
	play(t, stage.Options{Seed: 3}, func(s *stage.Stage) {
		until := func(key, fact, want string) { // its handset is weak: press until it is heard
			for range 20 {
				if state(t, s, "boardwalk")[fact] == want {
					return
				}
				press(t, s, "boardwalk", key)
			}
			t.Fatalf("%s never made %s %s", key, fact, want)
		}
		for range 5 {
			press(t, s, "boardwalk", "red")
		}
		assert.Equal(t, "white", state(t, s, "boardwalk")["colour"], "dark lights take no colour")
		until("power", "power", "on")
		until("red", "colour", "red")
		until("dim", "brightness", "1 of 8")
		until("power", "power", "off")
	})
}

func TestDewHeater_ObeysItsHandset(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		press(t, s, "dew-a", "on")
		assert.Equal(t, "on", state(t, s, "dew-a")["power"])
		press(t, s, "dew-a", "off")
		assert.Equal(t, "off", state(t, s, "dew-a")["power"])
	})
}

func TestReceiver_HearsOnlyNearItsFrequency(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		var mu sync.Mutex
		heard := map[string]int{}
		listen := func(name string, m stage.Medium, hz, width int) {
			s.Receive(stage.Receiver{Medium: m, Hz: hz, Width: width}, func(stage.Heard) {
				mu.Lock()
				defer mu.Unlock()
				heard[name]++
			})
		}
		listen("same channel", stage.Radio, 433_920_000, 250_000)
		listen("shutter channel", stage.Radio, 433_420_000, 250_000)
		listen("infrared", stage.Infrared, 38_000, 2_500)
		press(t, s, "dew-a", "on")
		mu.Lock()
		defer mu.Unlock()
		assert.Equal(t, map[string]int{"same channel": 1}, heard)
	})
}

// listen collects what a receiver hears of a press.
func listen(t *testing.T, s *stage.Stage, r stage.Receiver, handset, key string) []stage.Heard {
	t.Helper()
	var mu sync.Mutex
	var out []stage.Heard
	s.Receive(r, func(h stage.Heard) {
		mu.Lock()
		defer mu.Unlock()
		out = append(out, h)
	})
	press(t, s, handset, key)
	mu.Lock()
	defer mu.Unlock()
	return out
}

func TestReceiver_AShortTimeOutCutsAPress(t *testing.T) {
	for silence, trains := range map[time.Duration]int{0: 1, 4 * time.Millisecond: 2, 1200 * time.Microsecond: 15} {
		play(t, stage.Options{}, func(s *stage.Stage) {
			got := listen(t, s, stage.Receiver{Medium: stage.Infrared, Hz: 38_000, Width: 2_500, Silence: silence},
				"projector", "on")
			assert.GreaterOrEqual(t, len(got), trains, "time-out of %s", silence)
			for _, h := range got[:len(got)-1] {
				assert.Positive(t, h.Gap)
			}
		})
	}
}

func TestReceiver_LongBurstsTurnTheGainDown(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		got := listen(t, s, stage.Receiver{Medium: stage.Infrared, Hz: 38_000, Width: 2_500, Stretch: 100}, "mixer",
			"power")
		require.NotEmpty(t, got)
		train := got[0].Train
		mean := func(marks []int) (m int) {
			for i := 0; i < len(marks); i += 2 {
				m += 2 * marks[i] / len(marks)
			}
			return m
		}
		assert.Greater(t, mean(train[4:14]), mean(train[44:54]), "late marks are shorter")
	})
}

func TestReceiver_SomeInvert(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		got := listen(t, s, stage.Receiver{Medium: stage.Radio, Hz: 433_420_000, Width: 250_000, Inverts: true},
			"shutter", "up")
		require.NotEmpty(t, got)
		assert.Equal(t, 1, len(got[0].Train)%2, "it begins and ends with a mark still")
	})
}

func TestHandset_ATouchIsOnlyTheBeginningOfAFrame(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		var heard []stage.Heard
		var mu sync.Mutex
		s.Receive(stage.Receiver{Medium: stage.Infrared, Hz: 38_000, Width: 2_500}, func(h stage.Heard) {
			mu.Lock()
			defer mu.Unlock()
			heard = append(heard, h)
		})
		require.NoError(t, s.Press("projector", "on", 15*time.Millisecond))
		time.Sleep(time.Second)
		assert.Equal(t, "off", state(t, s, "projector")["power"])
		mu.Lock()
		defer mu.Unlock()
		require.Len(t, heard, 1)
		assert.Less(t, len(heard[0].Train), 12)
	})
}

func TestShutter_PairsAHandset(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		press(t, s, "shutter-spare", "up")
		press(t, s, "shutter-spare", "pair")
		assert.Equal(t, "1", state(t, s, "shutter")["handsets"], "nobody asked for it")
		press(t, s, "shutter-box", "pair-next")
		assert.Equal(t, "yes", state(t, s, "shutter")["waits for a handset"])
		press(t, s, "shutter-spare", "pair")
		assert.Equal(t, "2", state(t, s, "shutter")["handsets"])
		press(t, s, "shutter-spare", "up")
		assert.Equal(t, "moving open", state(t, s, "shutter")["movement"])
		press(t, s, "shutter-box", "pair-next")
		time.Sleep(3 * time.Minute)
		assert.Equal(t, "no", state(t, s, "shutter")["waits for a handset"], "it does not wait for ever")
	})
}

func TestTwoHandsetsAtOnce_SpoilEachOther(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		require.NoError(t, s.Press("projector", "on", 0))
		require.NoError(t, s.Press("boardwalk", "power", 0))
		time.Sleep(time.Second)
		assert.Equal(t, "off", state(t, s, "projector")["power"])
		assert.Equal(t, "off", state(t, s, "boardwalk")["power"])
	})
}

func TestUnpluggedAppliance_ObeysNothing(t *testing.T) {
	play(t, stage.Options{Unplug: []string{"projector"}}, func(s *stage.Stage) {
		press(t, s, "projector", "on")
		assert.Equal(t, "off", state(t, s, "projector")["power"])
	})
	_, err := stage.New(stage.Options{Unplug: []string{"projektor"}})
	assert.ErrorContains(t, err, "there are projector, boardwalk, dew-a")
}

func TestPace_SpeedsUpTheStageOnly(t *testing.T) {
	play(t, stage.Options{Pace: 10}, func(s *stage.Stage) {
		require.NoError(t, s.Press("projector", "on", 0))
		time.Sleep(1500 * time.Millisecond)
		assert.Equal(t, "warming up", state(t, s, "projector")["power"])
		time.Sleep(time.Second)
		assert.Equal(t, "on", state(t, s, "projector")["power"])
	})
}

func TestPress_NamesWhatThereIs(t *testing.T) {
	s, err := stage.New(stage.Options{})
	require.NoError(t, err)
	assert.ErrorContains(t, s.Press("lamp", "on", 0), "there are projector, boardwalk, dew-a")
	assert.ErrorIs(t, s.Press("lamp", "on", 0), stage.ErrUnknownHandset)
	assert.ErrorContains(t, s.Press("dew-a", "dim", 0), "only on, off")
}

func TestDewHeater_GoesOffByItself(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		press(t, s, "dew-a", "on")
		time.Sleep(4*time.Hour - time.Minute)
		assert.Equal(t, "on", state(t, s, "dew-a")["power"])
		time.Sleep(2 * time.Minute)
		assert.Equal(t, "off", state(t, s, "dew-a")["power"])
	})
}

func TestProjector_ItsMenuClosesWhereNobodyPresses(t *testing.T) {
	play(t, stage.Options{}, func(s *stage.Stage) {
		press(t, s, "projector", "on")
		time.Sleep(21 * time.Second)
		press(t, s, "projector", "menu")
		time.Sleep(10 * time.Second)
		press(t, s, "projector", "down")
		time.Sleep(10 * time.Second)
		assert.Equal(t, "line 2", state(t, s, "projector")["menu"], "each key keeps it open")
		time.Sleep(6 * time.Second)
		assert.Empty(t, state(t, s, "projector")["menu"])
	})
}

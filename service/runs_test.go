package service_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	steps "urbo/core/run"
	"urbo/service"
	"urbo/service/library"
	"urbo/service/runs"
	"urbo/service/sequences"
	"urbo/stage"
	"urbo/store"
)

// begin makes a sequence of steps and runs it.
func begin(t *testing.T, h *service.House, text string) runs.Run {
	t.Helper()
	name := fmt.Sprintf("s%d", len(h.Sequences.List()))
	_, err := h.Sequences.Add(t.Context(), "", name, sequences.Text{Steps: text}, grant.By{})
	require.NoError(t, err)
	one, err := h.RunSequence(name, false, grant.Named("test"), "")
	require.NoError(t, err)
	return one
}

// ended waits until a run is over.
func ended(t *testing.T, h *service.House, r runs.Run) runs.Run {
	t.Helper()
	for range 10_000 {
		one, err := h.Runs.One(r.ID)
		require.NoError(t, err)
		if one.State.Phase == steps.Ended {
			return one
		}
		time.Sleep(time.Second)
	}
	require.Fail(t, "it does not end")
	return runs.Run{}
}

func TestRuns_StepsInOrder(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "boardwalk", "power", "off")
		tellTrue(t, h, "amplifier", "power", "off")
		r := ended(t, h, begin(t, h, `set (boardwalk/power on, boardwalk/colour amber, amplifier/power on)
			wait 90 s
			press amplifier/input-2
			if boardwalk/colour is amber do set amplifier/volume to 5 else notify "not amber"
			notify "all is ready"`))
		assert.Equal(t, steps.Done, r.State.End, r.State.Reason)
		assert.Equal(t, "on", truly(t, s, "boardwalk", "power"))
		assert.Equal(t, "amber", truly(t, s, "boardwalk", "colour"))
		assert.Equal(t, "5", truly(t, s, "amplifier", "volume"))
		all := strings.Join(told(t, h), "\n")
		for _, text := range []string{"Began s0", "s0, step 2: wait 1 min 30 s", "s0, step 3: press amplifier/input-2",
			"s0, step 4: if boardwalk/colour is amber: yes", "s0 says: all is ready", "Ran s0"} {
			assert.Contains(t, all, text)
		}
		assert.GreaterOrEqual(t, r.Over.Sub(r.Began), 90*time.Second)
	})
}

// TestRuns_StoppedInEachStep: whatever it is just doing, it ends where that is safe.
func TestRuns_StoppedInEachStep(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		text  string
		after time.Duration
		safe  func(t *testing.T, h *service.House, s *stage.Stage)
	}{
		"a projector with one off": {"set projector/power to off", 700 * time.Millisecond,
			func(t *testing.T, h *service.House, s *stage.Stage) {
				assert.Equal(t, truly(t, s, "projector", "power") != "on", believed(t, h, "projector",
					"power").Value == "off")
			}},
		"a screen on its way": {"set screen/position to 40%", 3 * time.Second,
			func(t *testing.T, h *service.House, s *stage.Stage) {
				time.Sleep(time.Minute)
				at := truly(t, s, "screen", "position")
				time.Sleep(time.Minute)
				assert.Equal(t, at, truly(t, s, "screen", "position"), "it stands")
			}},
		"waiting": {"wait 1 h then set boardwalk/power to on", time.Minute, func(t *testing.T, _ *service.House,
			s *stage.Stage) {
			assert.Equal(t, "off", truly(t, s, "boardwalk", "power"))
		}},
		"held down": {"press boardwalk/dim held 30 s then set boardwalk/power to on", 5 * time.Second,
			func(t *testing.T, _ *service.House, s *stage.Stage) {
				assert.Equal(t, "off", truly(t, s, "boardwalk", "power"))
			}},
		"before it waits": {"wait until boardwalk/power is on at most 1 h", time.Second,
			func(*testing.T, *service.House, *stage.Stage) {}},
		"asking": {"set mixer/power to on", time.Second, func(t *testing.T, h *service.House, _ *stage.Stage) {
			assert.Equal(t, 0, presses(h))
		}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
				require.NoError(t, s.Press("projector", "on", 0))
				time.Sleep(30 * time.Second)
				tellTrue(t, h, "projector", "power", truly(t, s, "projector", "power"))
				tellTrue(t, h, "boardwalk", "power", "off")
				tellTrue(t, h, "screen", "position", "up")
				r := begin(t, h, c.text+" then notify \"never told\"")
				time.Sleep(c.after)
				got, err := h.Runs.Stop(t.Context(), r.ID, grant.Named("Keeper"))
				require.NoError(t, err)
				assert.Equal(t, steps.Stopped, got.State.End)
				assert.Equal(t, "stopped by Keeper", got.State.Reason)
				_, err = h.Runs.Stop(t.Context(), r.ID, grant.Named("Keeper"))
				require.ErrorIs(t, err, runs.ErrOver)
				c.safe(t, h, s)
				assert.NotContains(t, strings.Join(told(t, h), "\n"), "never told")
			})
		})
	}
}

func TestRuns_AskWhatTheyDoNotKnow(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		r := begin(t, h, "set amplifier/power to on then wait 1 s")
		time.Sleep(time.Minute)
		one, err := h.Runs.One(r.ID)
		require.NoError(t, err)
		assert.Equal(t, steps.Asking, one.State.Phase)
		assert.Equal(t, "amplifier/power", one.State.Asks)
		tellTrue(t, h, "amplifier", "power", "off")
		assert.Equal(t, steps.Done, ended(t, h, r).State.End)
		assert.Equal(t, "on", truly(t, s, "amplifier", "power"))

		r = ended(t, h, begin(t, h, "if mixer/power is on do wait 1 s"))
		assert.Equal(t, steps.Failed, r.State.End)
		assert.Equal(t, "nobody said what mixer/power is at", r.State.Reason)

		_, err = h.Measure.Put("dome/humidity", 71, "%", grant.By{})
		require.NoError(t, err)
		r = begin(t, h, "wait until dome/humidity above 80 at most 10 min then if dome/humidity above 85 do wait 1 s")
		time.Sleep(time.Minute)
		_, err = h.Measure.Put("dome/humidity", 86, "%", grant.By{})
		require.NoError(t, err)
		r = ended(t, h, r)
		assert.Equal(t, steps.Done, r.State.End)
		assert.Less(t, r.Over.Sub(r.Began), 2*time.Minute)

		r = begin(t, h, "set mixer/power to on then notify \"next\"")
		time.Sleep(time.Minute)
		wish(t, h, "mixer", "speed", "2") // nothing of this is sure either
		tellTrue(t, h, "mixer", "power", "off")
		assert.Equal(t, steps.Done, ended(t, h, r).State.End)
	})
}

func TestRuns_SomebodysWishWins(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "off")
		require.True(t, wish(t, h, "amplifier", "power", "on", "volume", "5").Done)
		r := begin(t, h, "set amplifier/volume to 40 for 10 min and back then notify \"went on\"")
		time.Sleep(2 * time.Second)
		require.True(t, wish(t, h, "amplifier", "volume", "8").Done)
		assert.Equal(t, steps.Done, ended(t, h, r).State.End)
		synctest.Wait()
		assert.Empty(t, heldNow(h), "without its hold")
		time.Sleep(time.Hour)
		assert.Equal(t, "8", truly(t, s, "amplifier", "volume"))
		assert.Contains(t, strings.Join(told(t, h), "\n"), "went on")
	})
}

func TestRuns_OneAfterTheOther(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		r := begin(t, h, "wait 3 min")
		_, err := h.RunSequence("s0", false, grant.By{}, "")
		require.ErrorIs(t, err, runs.ErrRunning)
		assert.ErrorContains(t, err, "s0 is in step 1 of 1")
		var all []runs.Run
		for range 8 {
			next, err := h.RunSequence("s0", true, grant.By{}, "")
			require.NoError(t, err)
			all = append(all, next)
		}
		_, err = h.RunSequence("s0", true, grant.By{}, "")
		require.ErrorIs(t, err, runs.ErrMany)
		_, err = h.Runs.Stop(t.Context(), all[1].ID, grant.Named("Keeper"))
		require.NoError(t, err)
		require.Equal(t, steps.Done, ended(t, h, r).State.End)
		for i, next := range all {
			end := ended(t, h, next)
			switch {
			case i == 1:
				assert.Equal(t, steps.Dropped, end.State.End)
			case i < 4:
				assert.Equal(t, steps.Done, end.State.End)
				assert.GreaterOrEqual(t, end.Over.Sub(end.Began), 3*time.Minute)
			default:
				assert.Equal(t, steps.Dropped, end.State.End, "its turn did not come in ten minutes: %d", i)
			}
		}
		_, err = h.RunSequence("none", false, grant.By{}, "")
		require.ErrorIs(t, err, sequences.ErrUnknown)
	})
}

func TestRuns_EndAtWhatIsGone(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		waits := begin(t, h, "wait 10 min then press boardwalk/power")
		begin(t, h, "wait 1 h")
		asks := begin(t, h, "set boardwalk/power to on")
		time.Sleep(time.Second)
		require.NoError(t, h.Library.Remove(t.Context(), "boardwalk", library.Note{}))
		assert.Equal(t, "boardwalk was removed", ended(t, h, asks).State.Reason)
		r := ended(t, h, waits)
		assert.Equal(t, "boardwalk was removed", r.State.Reason)
		assert.GreaterOrEqual(t, r.Over.Sub(r.Began), 10*time.Minute, "not before it needs it")
		one, err := h.Sequences.Find("s0")
		require.NoError(t, err)
		assert.Equal(t, []string{"boardwalk"}, h.Sequences.Gone(one))
		assert.Contains(t, h.Sequences.Text(one), "press boardwalk/power", "it keeps the name that it had")
	})
}

// TestRuns_OverARestart: what waited goes on, what was in a step is not begun again, what waited for its turn is
// dropped.
func TestRuns_OverARestart(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		_, open := stagedHouse(t, t.TempDir())
		h, stop := open()
		tellTrue(t, h, "amplifier", "power", "off")
		require.True(t, wish(t, h, "amplifier", "power", "on", "volume", "0").Done)
		waits, queued := begin(t, h, "wait 20 min then notify \"a\""), runs.Run{}
		queued, err := h.RunSequence("s0", true, grant.By{}, "")
		require.NoError(t, err)
		short := begin(t, h, "wait 1 min")
		asks := begin(t, h, "set mixer/power to on")
		busy := begin(t, h, "set amplifier/volume to 50")
		time.Sleep(3 * time.Second)
		stop()
		time.Sleep(12 * time.Minute)
		h, stop = open()
		synctest.Wait()
		for _, c := range []struct {
			run    runs.Run
			end    steps.End
			reason string
		}{{queued, steps.Dropped, "the house ended while it waited for its turn"},
			{busy, steps.Interrupted, "the house ended in step 1 of 1, which is not begun again"},
			{short, steps.Interrupted, "the house was away, and step 1 of 1 was over more than 10 min before"},
			{asks, steps.Failed, "nobody said what mixer/power is at"}} {
			one, err := h.Runs.One(c.run.ID)
			require.NoError(t, err)
			assert.Equal(t, c.end, one.State.End)
			assert.Equal(t, c.reason, one.State.Reason)
		}
		r := ended(t, h, waits)
		assert.Equal(t, steps.Done, r.State.End)
		assert.GreaterOrEqual(t, r.Over.Sub(r.Began), 20*time.Minute)
		stop()
		h, stop = open()
		assert.Empty(t, h.Runs.List(), "nothing is left on disk")
		stop()
	})
}

func TestRuns_ADocumentThatCannotBeReadIsSetAside(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	_, stop := start(t, dir, nil)
	stop()
	s, err := store.Open(dir)
	require.NoError(t, err)
	ctx := context.Background()
	require.NoError(t, s.PutRun(ctx, store.Run{ID: "r1", Document: `{"version":9}`, State: "{}"}))
	require.NoError(t, s.PutRun(ctx, store.Run{ID: "r2", Document: `{"program":[{"jump":0}]}`,
		State: `{"phase":"waiting","at":7}`}))
	require.NoError(t, s.PutHolds(ctx, []store.HeldControl{{ID: "k1", Document: "{damaged"}}, nil))
	require.NoError(t, s.Sequences().Put(ctx, store.Named{ID: "q1", Slug: "later", Name: "Later", Document: `{"version":7}`}))
	require.NoError(t, s.Close())
	h, stop := start(t, dir, nil)
	eventually(t, func() bool { return len(told(t, h)) > 4 }, "it is said")
	all := strings.Join(told(t, h), "\n")
	assert.Contains(t, all, "A run that was under way cannot be read: it is of version 9, and this Urbo knows 1")
	assert.Contains(t, all, "nothing goes back by itself")
	assert.Contains(t, all, "The steps of the sequence Later cannot be read")
	assert.Empty(t, h.Runs.List())
	assert.Empty(t, h.Holds.List())
	_, err = h.RunSequence("later", false, grant.By{}, "")
	require.ErrorIs(t, err, sequences.ErrUnread)
	name := "Renamed"
	_, err = h.Sequences.Alter(t.Context(), "later", sequences.Change{Name: &name}, grant.By{})
	require.NoError(t, err, "a new name leaves the steps that cannot be read")
	text := `notify "anew"`
	_, err = h.Sequences.Alter(t.Context(), "later", sequences.Change{Steps: &sequences.Text{Steps: text}}, grant.By{})
	require.NoError(t, err)
	stop()
	s, err = store.Open(dir)
	require.NoError(t, err)
	aside, err := s.SetAside(ctx)
	require.NoError(t, err)
	var kinds []string
	for _, a := range aside {
		kinds = append(kinds, a.Kind+" "+a.Document)
	}
	assert.Equal(t, []string{"hold {damaged", `run {"version":9}{}`,
		`run {"program":[{"jump":0}]}{"phase":"waiting","at":7}`, `sequence {"version":7}`}, kinds)
	require.NoError(t, s.Close())
}

func TestSequences_RunEachOther(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, _ *stage.Stage) {
		add := func(name, text string) error {
			_, err := h.Sequences.Add(t.Context(), "", name, sequences.Text{Steps: text}, grant.By{})
			return err
		}
		require.NoError(t, add("inner", "press boardwalk/power"))
		require.NoError(t, add("outer", "run inner then run inner"))
		text := "run outer"
		_, err := h.Sequences.Alter(t.Context(), "inner", sequences.Change{Steps: &sequences.Text{Steps: text}},
			grant.By{})
		require.ErrorContains(t, err, "would run itself")
		require.ErrorIs(t, h.Sequences.Remove(t.Context(), "inner", grant.By{}), sequences.ErrUsed)
		require.ErrorContains(t, add("x", "run outr"), "nearest are outer")
		require.ErrorContains(t, add("outer", "wait 1 s"), "another sequence is called \"outer\"")
		slug := "within"
		_, err = h.Sequences.Alter(t.Context(), "inner", sequences.Change{Slug: &slug}, grant.By{})
		require.NoError(t, err)
		_, err = h.Library.ChangeBySlug(t.Context(), "boardwalk", library.Note{}, rename("planks"))
		require.NoError(t, err)
		outer, err := h.Sequences.Find("outer")
		require.NoError(t, err)
		inner, err := h.Sequences.Find("within")
		require.NoError(t, err)
		assert.Equal(t, "run within\nthen run within", h.Sequences.Text(outer),
			"a rename needs no change of what runs it")
		assert.Equal(t, "press planks/power", h.Sequences.Text(inner))
		p, err := h.Sequences.Program(outer)
		require.NoError(t, err)
		assert.Equal(t, 2, p.Steps())
		long := strings.Repeat("wait 1 s;", 190)
		_, err = h.Sequences.Alter(t.Context(), "within", sequences.Change{Steps: &sequences.Text{Steps: long}},
			grant.By{})
		require.NoError(t, err)
		require.NoError(t, add("most", "run outer then run outer"))
		require.ErrorContains(t, add("over", "run most then run outer"), "more than 1000")
		require.NoError(t, h.Sequences.Remove(t.Context(), "most", grant.By{}))
	})
}

// rename gives a device another short name.
func rename(slug string) func(*device.Device) error {
	return func(d *device.Device) error {
		d.Slug = slug
		return nil
	}
}

package service_test

import (
	"context"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	tiles "urbo/core/board"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/occasion"
	steps "urbo/core/run"
	"urbo/service"
	"urbo/service/library"
	"urbo/service/occasions"
	"urbo/service/questions"
	"urbo/service/sequences"
	"urbo/stage"
	"urbo/store"
)

// theOccasions adds the occasions of the observatory, and says what is true at the beginning.
func theOccasions(t *testing.T, h *service.House) {
	t.Helper()
	for slug, room := range map[string]string{"projector": "Lecture room", "amplifier": "Lecture room",
		"screen": "Lecture room", "boardwalk": "Outside", "mixer": "Dome"} {
		_, err := h.Library.ChangeBySlug(t.Context(), slug, library.Note{}, func(d *device.Device) error {
			d.Room = room
			return nil
		})
		require.NoError(t, err)
	}
	add := func(slug, wants string, more occasions.Text) {
		more.Wants = &wants
		_, err := h.Occasions.Add(t.Context(), slug, "", more, grant.Named("test"))
		require.NoError(t, err)
	}
	add("public-talk", `set (projector/power on, projector/source b, amplifier/power on, amplifier/input 2,
		amplifier/volume 22, screen/position down)
		then set (boardwalk/power on, boardwalk/colour white)`, occasions.Text{Stays: &[]string{"boardwalk"}})
	add("observing-run", `set (boardwalk/power on, boardwalk/colour red, mixer/power on, mixer/speed 1)`, occasions.Text{})
	leaves := true
	add("closed-up", `set (projector/power off, amplifier/power off, boardwalk/power off, mixer/power off,
		screen/position up)`, occasions.Text{Leaves: &leaves})
	tellTrue(t, h, "projector", "power", "off", "source", "a")
	tellTrue(t, h, "amplifier", "power", "off", "volume", "14", "input", "1")
	tellTrue(t, h, "boardwalk", "power", "off", "colour", "amber")
	tellTrue(t, h, "mixer", "power", "off")
	tellTrue(t, h, "screen", "position", "up")
}

// does does something with an occasion, and waits until its run is over.
func does(t *testing.T, h *service.House, slug string, what occasions.What) steps.State {
	t.Helper()
	r, err := h.Occasions.Do(t.Context(), slug, what, grant.Named("test"), nil)
	require.NoError(t, err)
	if r.ID == "" {
		return steps.State{Phase: steps.Ended, End: steps.Done}
	}
	return ended(t, h, r).State
}

// pressed counts the presses that were sent since it was called.
func pressed(h *service.House) func() int {
	queue := h.Stream.Subscribe()
	return func() int {
		synctest.Wait()
		h.Stream.Publish(happening.Happening{What: happening.HouseNote{Text: "that is all"}})
		batch, _ := queue.Next(context.Background())
		n := 0
		for _, one := range batch {
			if p, is := one.What.(happening.Pressed); is && p.Outcome == happening.Sent {
				n += max(p.Times, 1)
			}
		}
		return n
	}
}

func stateOf(t *testing.T, h *service.House, slug string) occasions.State {
	t.Helper()
	one, err := h.Occasions.Find(slug)
	require.NoError(t, err)
	return h.Occasions.StateOf(one)
}

func truth(t *testing.T, s *stage.Stage, slug string) map[string]string {
	t.Helper()
	facts, err := s.State(slug)
	require.NoError(t, err)
	return facts
}

func TestOccasions_PressOnlyWhatDiffers(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		theOccasions(t, h)
		plan, err := h.Occasions.Plan("public-talk", occasions.Start)
		require.NoError(t, err)
		assert.True(t, plan.Sure, "%+v", plan)
		count := pressed(h)
		end := does(t, h, "public-talk", occasions.Start)
		assert.Equal(t, steps.Done, end.End)
		assert.Empty(t, end.Reason)
		assert.Equal(t, plan.Presses, count(), "the plan said so")
		assert.Equal(t, "on", truth(t, s, "projector")["power"])
		assert.Equal(t, "B", truth(t, s, "projector")["source"])
		assert.Equal(t, "22", truth(t, s, "amplifier")["volume"])
		assert.Equal(t, "white", truth(t, s, "boardwalk")["colour"])
		assert.Equal(t, "down", truth(t, s, "screen")["position"])
		assert.Empty(t, stateOf(t, h, "public-talk").Differs)

		// started once more, nothing is pressed
		count = pressed(h)
		does(t, h, "public-talk", occasions.Start)
		assert.Zero(t, count())

		// somebody changes something by hand, and it is put right
		require.NoError(t, s.Press("amplifier", "mute", 0))
		require.NoError(t, s.Press("amplifier", "input-1", 0))
		time.Sleep(2 * time.Second)
		differs := stateOf(t, h, "public-talk").Differs
		require.Len(t, differs, 1)
		assert.Equal(t, []string{"input", "2", "1"}, []string{differs[0].Control, differs[0].Wanted,
			differs[0].Value})
		plan, err = h.Occasions.Plan("public-talk", occasions.Right)
		require.NoError(t, err)
		assert.Equal(t, 1, plan.Presses)
		count = pressed(h)
		does(t, h, "public-talk", occasions.Right)
		assert.Equal(t, 1, count())
		assert.Empty(t, stateOf(t, h, "public-talk").Differs)

		// the next one switches off what it does not want, but for what stays
		plan, err = h.Occasions.Plan("observing-run", occasions.Start)
		require.NoError(t, err)
		assert.Equal(t, []string{"public-talk"}, plan.Ends)
		does(t, h, "observing-run", occasions.Start)
		assert.Equal(t, "on", truth(t, s, "projector")["power"], "the projector's room is not touched by it")
		assert.Equal(t, "red", truth(t, s, "boardwalk")["colour"])
		assert.Equal(t, "1", truth(t, s, "mixer")["speed"])

		plan, err = h.Occasions.Plan("closed-up", occasions.Start)
		require.NoError(t, err)
		count = pressed(h)
		does(t, h, "closed-up", occasions.Start)
		assert.Equal(t, plan.Presses, count())
		for _, slug := range []string{"projector", "amplifier", "boardwalk", "mixer"} {
			assert.Equal(t, "off", truth(t, s, slug)["power"], slug)
		}
		assert.Equal(t, "up", truth(t, s, "screen")["position"])
		assert.Nil(t, stateOf(t, h, "observing-run").Force)
		count = pressed(h)
		assert.Equal(t, steps.Done, does(t, h, "closed-up", occasions.End).End)
		assert.Zero(t, count(), "it leaves all as it is")
		assert.Empty(t, h.Occasions.InForce())
	})
}

func TestOccasions_AskWhatIsNotKnownAndGoOnWithTheRest(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		wants := `set (radio/power on, boardwalk/power on) then set mixer/power to on`
		_, err := h.Occasions.Add(t.Context(), "evening", "", occasions.Text{Wants: &wants}, grant.Named("test"))
		require.NoError(t, err)
		tellTrue(t, h, "boardwalk", "power", "off")
		start := func() steps.State {
			r, err := h.Occasions.Do(t.Context(), "evening", occasions.Start, grant.Named("test"), nil)
			require.NoError(t, err)
			time.Sleep(20 * time.Second)
			synctest.Wait()
			r, err = h.Runs.One(r.ID)
			require.NoError(t, err)
			return r.State
		}
		asks := start()
		assert.Equal(t, steps.Asking, asks.Phase, "%+v", asks)
		assert.Equal(t, "radio/power", asks.Asks)
		assert.Equal(t, "on", truth(t, s, "boardwalk")["power"], "the others do not wait")
		assert.True(t, stateOf(t, h, "evening").Starting)
		tellTrue(t, h, "radio", "power", "off")
		time.Sleep(10 * time.Second)
		assert.Equal(t, "on", truth(t, s, "radio")["power"])

		// nobody says what the mixer is at: it is passed over, and said
		time.Sleep(11 * time.Minute)
		assert.Equal(t, "off", truth(t, s, "mixer")["power"])
		is := stateOf(t, h, "evening")
		require.NotNil(t, is.Force)
		assert.False(t, is.Starting)
		require.Len(t, is.Differs, 1)
		assert.True(t, is.Differs[0].Unsure)
		over, err := h.Runs.One(is.Force.Run)
		require.NoError(t, err)
		assert.Equal(t, steps.Done, over.State.End)
		assert.Equal(t, "nobody said what mixer/power is at", over.State.Reason)
	})
}

func TestOccasions_SurviveLostPressesRemovedDevicesAndRestarts(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	onStage(t, dir, func(t *testing.T, h *service.House, s *stage.Stage) {
		theOccasions(t, h)
		s.SetFaults(stage.Faults{Lose: 10})
		does(t, h, "public-talk", occasions.Start)
		s.SetFaults(stage.Faults{})
		// what was missed is seen by somebody, said, and put right
		for slug, controls := range map[string][]string{"projector": {"power", "source"},
			"amplifier": {"power", "volume", "input"}, "boardwalk": {"power", "colour"}, "screen": {"position"}} {
			for _, c := range controls {
				if is := truth(t, s, slug)[c]; is != "" {
					tellTrue(t, h, slug, c, strings.ToLower(is))
				}
			}
		}
		does(t, h, "public-talk", occasions.Right)
		assert.Equal(t, "on", truth(t, s, "projector")["power"])
		assert.Equal(t, "B", truth(t, s, "projector")["source"])
		assert.Equal(t, "22", truth(t, s, "amplifier")["volume"])
		assert.Equal(t, "2", truth(t, s, "amplifier")["input"])
		assert.Equal(t, "white", truth(t, s, "boardwalk")["colour"])

		err := h.Library.Remove(t.Context(), "screen", library.Note{})
		require.NoError(t, err)
		one, err := h.Occasions.Find("public-talk")
		require.NoError(t, err)
		assert.Equal(t, []string{"screen"}, h.Occasions.Gone(one))
		end := does(t, h, "public-talk", occasions.Start)
		assert.Equal(t, steps.Done, end.End, "the rest goes on")
	})
	synctest.Test(t, func(t *testing.T) {
		h, stop := start(t, dir, nil)
		require.NotNil(t, stateOf(t, h, "public-talk").Force, "it is in force after a restart")
		assert.False(t, stateOf(t, h, "public-talk").Starting)
		stop()
	})
	damage(t, dir)
	synctest.Test(t, func(t *testing.T) {
		h, stop := start(t, dir, nil)
		synctest.Wait()
		assert.Empty(t, h.Occasions.InForce(), "what cannot be read is said, and nothing is in force")
		does(t, h, "closed-up", occasions.Start)
		assert.Len(t, h.Occasions.InForce(), 1)
		stop()
	})
}

// damage makes what is in force unreadable.
func damage(t *testing.T, dir string) {
	t.Helper()
	s, err := store.Open(dir)
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, s.PutHouseText(t.Context(), "force", `{"version":99}`))
}

// TestOccasions_TwoAtOnce starts two from two phones: the later one is in force, and what it wants is true.
func TestOccasions_TwoAtOnce(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		theOccasions(t, h)
		_, err := h.Occasions.Do(t.Context(), "public-talk", occasions.Start, grant.Named("one phone"), nil)
		require.NoError(t, err)
		time.Sleep(3 * time.Second) // the projector warms up
		does(t, h, "closed-up", occasions.Start)
		time.Sleep(time.Minute)
		for _, slug := range []string{"projector", "amplifier", "boardwalk"} {
			assert.Equal(t, "off", truth(t, s, slug)["power"], slug)
		}
		assert.Equal(t, "up", truth(t, s, "screen")["position"])
		all := h.Occasions.InForce()
		require.Len(t, all, 1)
		assert.Empty(t, stateOf(t, h, "closed-up").Differs)
		for _, r := range h.Runs.List() {
			assert.Equal(t, steps.Ended, r.State.Phase, r.Name)
		}
	})
}

// TestQuestions_AreAnsweredOnce lets two people answer what an occasion asks, at the same moment.
func TestQuestions_AreAnsweredOnce(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		wants := "set radio/power to on"
		_, err := h.Occasions.Add(t.Context(), "evening", "", occasions.Text{Wants: &wants}, grant.Named("test"))
		require.NoError(t, err)
		r, err := h.Occasions.Do(t.Context(), "evening", occasions.Start, grant.Named("test"), nil)
		require.NoError(t, err)
		time.Sleep(time.Second)
		synctest.Wait()
		all := h.Questions.List()
		require.Len(t, all, 1)
		assert.Equal(t, "Radio: off or on now?", all[0].Text)
		assert.Equal(t, "evening", all[0].For)
		_, err = h.Questions.Answer(all[0].ID, "green", grant.Named("test"))
		require.ErrorIs(t, err, questions.ErrAnswer)
		answers := make(chan error)
		for range 2 {
			go func() {
				_, err := h.Questions.Answer(all[0].ID, "off", grant.Named("test"))
				answers <- err
			}()
		}
		first, second := <-answers, <-answers
		if first != nil {
			first, second = second, first
		}
		require.NoError(t, first)
		require.ErrorIs(t, second, questions.ErrOver, "the second is told that it was answered")
		assert.ErrorContains(t, second, "off, said test")
		assert.Equal(t, steps.Done, ended(t, h, r).State.End)
		assert.Equal(t, "on", truth(t, s, "radio")["power"])
		assert.Empty(t, h.Questions.List())

		// somebody says it elsewhere: it is not asked any more
		wants = "set mixer/power to on"
		_, err = h.Occasions.Alter(t.Context(), "evening", occasions.Change{Text: occasions.Text{Wants: &wants}},
			grant.Named("test"))
		require.NoError(t, err)
		r, err = h.Occasions.Do(t.Context(), "evening", occasions.Start, grant.Named("test"), nil)
		require.NoError(t, err)
		time.Sleep(time.Second)
		synctest.Wait()
		all = h.Questions.List()
		require.Len(t, all, 1)
		tellTrue(t, h, "mixer", "power", "off")
		assert.Equal(t, steps.Done, ended(t, h, r).State.End)
		_, err = h.Questions.Answer(all[0].ID, "on", grant.Named("test"))
		require.ErrorIs(t, err, questions.ErrOver)
		_, err = h.Questions.Answer("nothing", "off", grant.Named("test"))
		require.ErrorIs(t, err, questions.ErrUnknown)
	})
}

// TestReins_GoToWhatTheOccasionInForceSays presses and sets them, also in a sequence that was written before.
func TestReins_GoToWhatTheOccasionInForceSays(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		tellTrue(t, h, "amplifier", "power", "on", "volume", "14")
		tellTrue(t, h, "radio", "power", "on", "volume", "5")
		require.NoError(t, s.Press("amplifier", "power", 0))
		require.NoError(t, s.Press("radio", "power", 0))
		time.Sleep(2 * time.Second)
		tellTrue(t, h, "amplifier", "power", "on")
		tellTrue(t, h, "radio", "power", "on")
		for slug, of := range map[string]string{"talk": "amplifier", "evening": "radio"} {
			wants := "set " + of + "/power to on"
			_, err := h.Occasions.Add(t.Context(), slug, "", occasions.Text{Wants: &wants,
				Reins: &map[string]string{"volume": of + "/volume", "digits": of}}, grant.Named("test"))
			require.NoError(t, err)
		}
		louder := begin(t, h, "set reins/volume by +2 then press reins/volume-up")
		assert.Equal(t, steps.Failed, ended(t, h, louder).State.End)
		assert.Contains(t, ended(t, h, louder).State.Reason, "start an occasion that gives them")

		held := tiles.Tile{ID: "t", Kind: tiles.Control, On: steps.Target{Kind: steps.Reins, ID: "reins", Was: "reins"},
			Name: "volume"}
		assert.True(t, h.TileOf(held).Idle, "it is not gone: nobody has it now")
		volume := func(slug string) string { return truth(t, s, slug)["volume"] }
		before := []string{volume("amplifier"), volume("radio")}
		does(t, h, "talk", occasions.Start)
		louder = begin(t, h, "set reins/volume by +2 then press reins/volume-up")
		assert.Equal(t, steps.Done, ended(t, h, louder).State.End)
		assert.NotEqual(t, before[0], volume("amplifier"))
		assert.Len(t, h.TileOf(held).Controls, 1)
		assert.Equal(t, before[1], volume("radio"))
		amplifier := volume("amplifier")
		time.Sleep(time.Second)
		does(t, h, "evening", occasions.Start) // in the same rooms: it takes the place of the other, and the reins
		typed := begin(t, h, "press reins/4 then set reins/volume by +1")
		assert.Equal(t, steps.Done, ended(t, h, typed).State.End)
		assert.Equal(t, amplifier, volume("amplifier"))
		assert.NotEqual(t, before[1], volume("radio"))
		refused := func(text string) error {
			_, err := h.Sequences.Add(t.Context(), "", "odd", sequences.Text{Steps: text}, grant.Named("test"))
			return err
		}
		require.ErrorIs(t, refused("press reins/brighter"), occasion.ErrOccasion)
		assert.ErrorContains(t, refused("set reins/arrows to up"), "volume is set, and the others are keys")
	})
}

package service_test

import (
	"context"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	"urbo/core/home"
	"urbo/service"
	"urbo/service/errands"
	"urbo/stage"
)

// december is the midnight in which these tests begin.
var december = time.Date(2026, 12, 4, 0, 0, 0, 0, time.UTC)

// says adds an errand.
func says(t *testing.T, h *service.House, text string) errands.Errand {
	t.Helper()
	one, err := h.Errands.Add(t.Context(), text, nil, grant.Named("test"))
	require.NoError(t, err, text)
	synctest.Wait()
	return one
}

// dids is what was made of the cues of an errand, the oldest first.
func dids(h *service.House, one errands.Errand) (out []string) {
	for _, c := range cues(h, one) {
		out = append([]string{c.Did}, out...)
	}
	return out
}

// cues is the cues of an errand that came, the newest first.
func cues(h *service.House, one errands.Errand) []errands.Came {
	all, err := h.Errands.Came(context.Background(), one.ID, 1000)
	if err != nil {
		panic(err)
	}
	return all
}

// here says where the house is.
func here(t *testing.T, h *service.House) {
	t.Helper()
	_, err := h.Home.Change(t.Context(), grant.Named("test"), func(h *home.Home) {
		h.Zone, h.Place = "Europe/London", &home.Place{Latitude: 53.9, Longitude: 0.1}
	})
	require.NoError(t, err)
}

// until sleeps until the calendar shows a time of day.
func until(t *testing.T, h *service.House, clock string) {
	t.Helper()
	now := h.Calendar.Now().In(h.Errands.Where().Zone)
	of, err := time.ParseInLocation("2006-01-02 15:04", now.Format("2006-01-02 ")+clock, now.Location())
	require.NoError(t, err)
	if !of.After(now) {
		of = of.AddDate(0, 0, 1)
	}
	time.Sleep(of.Sub(now))
	synctest.Wait()
}

func TestErrands_ComeByTheClockByKeysAndByWhatIsBelieved(t *testing.T) {
	t.Parallel()
	onDay(t, t.TempDir(), december, func(t *testing.T, h *service.House, s *stage.Stage) {
		here(t, h)
		tellTrue(t, h, "amplifier", "power", "off", "volume", "14", "input", "1")
		tellTrue(t, h, "boardwalk", "power", "off", "colour", "amber")
		clock := says(t, h, "errand early when at 7:00 do set amplifier/power to on")
		no := says(t, h, "errand late when at 7:00 only if sun up do set boardwalk/power to on")
		follows := says(t, h, "errand off when amplifier/power becomes on for 10 min do set amplifier/power to off")
		marks := says(t, h, "errand mark when amplifier/power becomes off by errand do mark done")
		_, err := h.Home.Change(t.Context(), grant.Named("test"), func(h *home.Home) { h.Zone = "Europe/Berlin" })
		require.NoError(t, err)
		synctest.Wait()
		until(t, h, "06:59")
		assert.Equal(t, "off", truth(t, s, "amplifier")["power"])
		until(t, h, "07:01")
		assert.Equal(t, "on", truth(t, s, "amplifier")["power"])
		assert.Equal(t, []string{"ran"}, dids(h, clock))
		assert.Equal(t, []string{"skipped"}, dids(h, no), "it is dark in winter")
		require.Len(t, cues(h, no), 1)
		answers := cues(h, no)[0].Answers
		require.Len(t, answers, 1)
		assert.Equal(t, "sun up", answers[0].Asked)
		assert.Equal(t, "no", answers[0].Is)
		until(t, h, "07:12")
		assert.Equal(t, []string{"ran"}, dids(h, follows))
		assert.Equal(t, "off", truth(t, s, "amplifier")["power"])
		assert.Equal(t, []string{"ran"}, dids(h, marks))
		assert.Equal(t, []string{"done"}, h.Errands.Markers())

		// a handset's key; not while the house is quiet
		key := says(t, h,
			"errand key when radio/0 pressed only if marker done do set amplifier/power to on for 5 min and back")
		require.NoError(t, h.Errands.Quiet(t.Context(), time.Minute, grant.Named("test")))
		require.NoError(t, s.Press("radio", "0", 0))
		time.Sleep(2 * time.Minute)
		synctest.Wait()
		assert.Equal(t, []string{"skipped"}, dids(h, key))
		require.NoError(t, s.Press("radio", "0", 0))
		time.Sleep(10 * time.Second)
		synctest.Wait()
		assert.Equal(t, []string{"skipped", "ran"}, dids(h, key))
		assert.Equal(t, "on", truth(t, s, "amplifier")["power"])
		time.Sleep(6 * time.Minute)
		synctest.Wait()
		assert.Equal(t, "off", truth(t, s, "amplifier")["power"], "and back")
	})
}

// TestErrands_WhatWasMissedComesAsItsRuleSays: the house is away from six to eight.
func TestErrands_WhatWasMissedComesAsItsRuleSays(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		dir := t.TempDir()
		open := func(at time.Duration) (*service.House, func()) {
			h, stop := startWith(t, service.Config{Dir: dir, Calendar: december.Add(at)})
			synctest.Wait()
			return h, stop
		}
		h, stop := open(6 * time.Hour)
		late := says(t, h, "errand late when at 7:00 do mark late if missed run within 2 h")
		plain := says(t, h, "errand plain when at 7:00 do mark plain")
		often := says(t, h, "errand often when every 10 min do notify \"often\" if missed run within 2 h")
		pending := says(t, h, "errand pending when 2 h after house starts do mark pending")
		level := says(t, h, "errand level while between 05:00 and 07:30 do mark level afterwards unmark level")
		time.Sleep(time.Second)
		synctest.Wait()
		assert.Equal(t, []string{"level"}, h.Errands.Markers())
		stop()
		_, stop = open(6*time.Hour + 10*time.Minute)
		time.Sleep(time.Second)
		stop()

		h, stop = open(8 * time.Hour)
		time.Sleep(time.Second)
		synctest.Wait()
		assert.Equal(t, []string{"ran"}, dids(h, late))
		assert.Equal(t, []string{"missed"}, dids(h, plain))
		assert.Equal(t, []string{"ran", "ran"}, dids(h, often), "at ten past six, and of several after it the latest")
		assert.Equal(t, []string{"ran", "ended"}, dids(h, level))
		assert.Equal(t, []string{"late"}, h.Errands.Markers())
		time.Sleep(11 * time.Minute)
		synctest.Wait()
		assert.Equal(t, []string{"ran"}, dids(h, late), "once")
		assert.Equal(t, []string{"ran"}, dids(h, pending), "two hours after the start before")
		stop()
	})
}

// TestErrands_WaitForAClockThatCanBeRight: a board without a battery begins years ago, until the network tells it.
func TestErrands_WaitForAClockThatCanBeRight(t *testing.T) {
	t.Parallel()
	onStage(t, t.TempDir(), func(t *testing.T, h *service.House, s *stage.Stage) {
		clock := says(t, h, "errand clock when every 10 s do mark clock")
		night := says(t, h, "errand night while sun down or between 00:00 and 23:59 do mark night")
		key := says(t, h, "errand key when radio/0 pressed do mark key")
		require.NoError(t, s.Press("radio", "0", 0))
		time.Sleep(time.Minute)
		synctest.Wait()
		assert.Empty(t, dids(h, clock))
		assert.Empty(t, dids(h, night))
		assert.Equal(t, []string{"ran"}, dids(h, key), "what is bound to no clock does not wait")
		assert.Equal(t, []string{"key"}, h.Errands.Markers())
	})
}

func TestErrands_LevelsHoldAndGoBack(t *testing.T) {
	t.Parallel()
	onDay(t, t.TempDir(), december, func(t *testing.T, h *service.House, s *stage.Stage) {
		here(t, h)
		tellTrue(t, h, "amplifier", "power", "off")
		tellTrue(t, h, "boardwalk", "power", "off", "colour", "amber")
		_, err := h.Measure.Put("dome/humidity", 60, "%", grant.Named("test"))
		require.NoError(t, err)
		night := says(t, h, "errand night while between 22:00 and 23:00 do set boardwalk/power to on afterwards back")
		damp := says(t, h, "errand damp while dome/humidity above 85 % until 75 % do set amplifier/power to on "+
			"afterwards set amplifier/power to off if unknown end after 30 min")
		until(t, h, "21:59")
		assert.Equal(t, "off", truth(t, s, "boardwalk")["power"])
		until(t, h, "22:01")
		assert.Equal(t, "on", truth(t, s, "boardwalk")["power"])
		until(t, h, "23:01")
		assert.Equal(t, "off", truth(t, s, "boardwalk")["power"])
		assert.Equal(t, []string{"ran", "ended"}, dids(h, night))

		measured := func(v float64) {
			_, err := h.Measure.Put("dome/humidity", v, "%", grant.Named("test"))
			require.NoError(t, err)
			time.Sleep(90 * time.Second)
			synctest.Wait()
		}
		measured(80)
		assert.Equal(t, "off", truth(t, s, "amplifier")["power"])
		measured(86)
		assert.Equal(t, "on", truth(t, s, "amplifier")["power"])
		measured(80)
		assert.Equal(t, "on", truth(t, s, "amplifier")["power"], "it ends at 75")
		measured(74)
		assert.Equal(t, "off", truth(t, s, "amplifier")["power"])
		assert.Equal(t, []string{"ran", "ended"}, dids(h, damp))

		// switched off, what it set ends
		measured(90)
		assert.Equal(t, "on", truth(t, s, "amplifier")["power"])
		_, err = h.Errands.Switch(t.Context(), "damp", false, grant.Named("test"))
		require.NoError(t, err)
		time.Sleep(5 * time.Second)
		synctest.Wait()
		assert.Equal(t, "off", truth(t, s, "amplifier")["power"])
	})
}

func TestErrands_AreKeptRenamedAndRefusedInWords(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	onDay(t, dir, december, func(t *testing.T, h *service.House, _ *stage.Stage) {
		here(t, h)
		says(t, h, "errand early when at 7:00 do set amplifier/power to on # for the talk")
		for text, want := range map[string]string{
			"errand a when at 7:00 do press amplifier/nothing":              "nothing",
			"errand a when at 7:00 do send lamp":                            "unknown request",
			"errand early when at 8:00 do press amplifier/power":            "another errand is called \"early\"",
			"errand a when at 7:00 do start nothing":                        "there are no occasions yet",
			"errand a when station nowhere leaves do press amplifier/power": "nowhere",
		} {
			_, err := h.Errands.Add(t.Context(), text, nil, grant.Named("test"))
			require.Error(t, err, text)
			assert.ErrorContains(t, err, want)
		}
		require.NoError(t, h.Errands.Mark(t.Context(), "guests-stay", true))
	})
	h := run(t, dir)
	one, err := h.Errands.Find("early")
	require.NoError(t, err)
	assert.Equal(t, "errand early\nwhen at 07:00\ndo set amplifier/power to on # for the talk", h.Errands.Text(one))
	assert.Equal(t, []string{"guests-stay"}, h.Errands.Markers())
	at, is := h.Errands.NextOf(one)
	require.True(t, is)
	assert.Equal(t, "07:00", at.In(h.Errands.Where().Zone).Format("15:04"))
	seen := one.Doc.Version // two people saw it, and each writes it anew
	changed, err := h.Errands.Change(t.Context(), "early", "errand later when at 8:00 do press amplifier/power", &seen,
		nil, grant.Named("test"))
	require.NoError(t, err)
	_, err = h.Errands.Change(t.Context(), "later", "errand later when at 9:00 do press amplifier/power", &seen, nil,
		grant.Named("test"))
	require.ErrorIs(t, err, errands.ErrVersion)
	assert.Equal(t, one.ID, changed.ID)
	assert.Equal(t, "later", changed.Slug)
	require.NoError(t, h.Errands.Remove(t.Context(), "later", grant.Named("test")))
	assert.Empty(t, h.Errands.List())
	_, err = h.Errands.Find("later")
	require.ErrorIs(t, err, errands.ErrUnknown)
}

package scenery_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/happening"
	"urbo/service/errands"
	"urbo/service/library"
)

// TestWhy_SaysInWordsWhatWasInTheWay: ten and more reasons why an errand did not do what it says, each with the exact
// name of what was unknown, doubtful or false.
func TestWhy_SaysInWordsWhatWasInTheWay(t *testing.T) {
	t.Parallel()
	for name, one := range map[string]struct {
		says   string
		before func(o *observatory)
		act    func(o *observatory, one errands.Errand)
		did    string // of the last cue
		why    string // DID: ANSWERS; REASON
	}{
		"false": {says: "errand a when clicker/a pressed only if sun down and not amplifier/power is on do mark a",
			before: wished("amplifier", "power", "on"), act: func(o *observatory, _ errands.Errand) {
				o.until("12:00")
				o.press("clicker", "a")
			}, why: "skipped: sun down no, amplifier/power is on yes"},
		"unknown": {says: "errand a when clicker/a pressed only if boardwalk/power is on or dome/humidity above 80 " +
			"do mark a",
			before: func(o *observatory) { o.measure("dome/humidity", 70, "%"); o.doubt("boardwalk") },
			act:    pressed("clicker", "a"), why: "unknown: boardwalk/power is on unknown, dome/humidity above 80 no"},
		"silent": {says: "errand a when clicker/a pressed only if dome/humidity above 80 % do mark a",
			before: func(o *observatory) { o.measure("dome/humidity", 90, "%") },
			act: func(o *observatory, _ errands.Errand) {
				o.pause(2 * time.Hour)
				o.press("clicker", "a")
			}, why: "unknown: dome/humidity above 80 % unknown"},
		"doubtful": {says: "errand a when clicker/a pressed do set boardwalk/power to off if doubtful ask for 5 min",
			before: func(o *observatory) { o.doubt("boardwalk") }, act: func(o *observatory, _ errands.Errand) {
				o.press("clicker", "a")
				o.pause(6 * time.Minute)
			}, why: "failed: ; nobody said what boardwalk/power is at"},
		"busy": {says: "errand a when clicker/a pressed do wait 10 min then mark a", act: func(o *observatory,
			_ errands.Errand) {
			o.press("clicker", "a")
			o.pause(time.Minute)
			o.press("clicker", "a")
		}, why: "busy: ; it is under way already: a is in step 1 of 2"},
		"missed": {says: "errand a when at 03:00 do mark a", act: func(o *observatory, _ errands.Errand) {
			now := o.Calendar.Now()
			o.stop()
			o.open(now.Add(4 * time.Hour))
			o.pause(time.Second)
		}, why: "missed: ; it was due 1 h 5 s before"},
		"quiet": {says: "errand a when clicker/a pressed do mark a", before: func(o *observatory) {
			require.NoError(o.t, o.Errands.Quiet(o.t.Context(), time.Hour, by))
		}, act: func(o *observatory, one errands.Errand) {
			now := o.Calendar.Now()
			o.stop() // it outlives that
			o.open(now.Add(10 * time.Minute))
			pressed("clicker", "a")(o, one)
		}, why: "skipped: ; the house is quiet"},
		"trial": {says: "errand a when clicker/a pressed do set boardwalk/power to on",
			act: func(o *observatory, one errands.Errand) {
				_, err := o.Errands.Try(o.t.Context(), "a", true, by)
				require.NoError(o.t, err)
				o.press("clicker", "a")
				o.check("boardwalk power off", "on trial")
				o.press("boardwalk", "power")
				came := o.came(one)
				beside, err := o.Errands.Besides(o.t.Context(), one, came[0].At)
				require.NoError(o.t, err)
				require.Len(o.t, beside, 1, "what people did by hand at that time")
				assert.Equal(o.t, "handset", beside[0].By)
			}, why: "trial: ; it is on trial"},
		"not so long": {says: "errand a when amplifier/power becomes on for 10 min do mark a",
			act: func(o *observatory, _ errands.Errand) {
				o.wish("amplifier", "power", "on")
				o.pause(5 * time.Minute)
				o.doubt("amplifier")
				o.pause(10 * time.Minute)
			}, why: "unknown: ; it is not known whether it stayed so"},
		"removed": {says: "errand a when clicker/a pressed do set boardwalk/power to on",
			act: func(o *observatory, _ errands.Errand) {
				require.NoError(o.t, o.Library.Remove(o.t.Context(), "boardwalk", library.Note{By: by}))
				o.pause(time.Second)
				o.press("clicker", "a")
			}, why: "failed: ; unknown device \"boardwalk\": it was removed"},
		"a moment that does not come": {says: "errand a when clicker/a pressed only if amplifier/power unchanged for " +
			"2 h " +
			"and occasion public-talk do mark a", act: pressed("clicker", "a"),
			why: "skipped: amplifier/power unchanged for 2 h"},
		"a marker": {says: "errand a when clicker/a pressed only if not marker guests-stay do mark a",
			before: func(o *observatory) { require.NoError(o.t, o.Errands.Mark(o.t.Context(), "guests-stay", true)) },
			act:    pressed("clicker", "a"), why: "skipped: marker guests-stay yes"},
		"what it waits for": {says: "errand a when clicker/a pressed do wait until clicker/b pressed at most 1 min " +
			"then mark a",
			act: func(o *observatory, _ errands.Errand) {
				o.press("clicker", "a")
				o.pause(2 * time.Minute)
			}, why: "failed: ; what it waited for did not happen in time"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			inObservatory(t, december, func(t *testing.T, o *observatory) {
				if one.before != nil {
					one.before(o)
				}
				e := o.says(one.says)
				one.act(o, e)
				came := o.came(e)
				require.NotEmpty(t, came)
				last := came[len(came)-1]
				said := []string{}
				for _, a := range last.Answers {
					said = append(said, a.Asked+" "+a.Is)
				}
				text := last.Did + ": " + strings.Join(said, ", ")
				if last.Reason != "" {
					text += "; " + last.Reason
				}
				assert.True(t, strings.HasPrefix(text, one.why), "got %q, want %q", text, one.why)
			})
		})
	}
}

// TestErrands_ThatSetEachOtherOffAreStopped: two errands that make each other come end after ten.
func TestErrands_ThatSetEachOtherOffAreStopped(t *testing.T) {
	t.Parallel()
	inObservatory(t, december, func(t *testing.T, o *observatory) {
		on := o.says("errand on when dew-a/power becomes off do wait 2 s then set dew-a/power to on")
		off := o.says("errand off when dew-a/power becomes on do wait 2 s then set dew-a/power to off")
		assert.Contains(t, fmt.Sprint(o.Errands.Conflicts(off.Doc.Errand, off.ID)), "set each other off")
		o.wish("dew-a", "power", "on")
		o.pause(10 * time.Minute)
		all := append(o.did(on), o.did(off)...)
		assert.Equal(t, 11, strings.Count(strings.Join(all, " "), "ran"), all)
		assert.Contains(t, all, "stopped")
		came := append(o.came(on), o.came(off)...)
		why := ""
		for _, c := range came {
			why += c.Reason
		}
		assert.Contains(t, why, "a chain of more than 10 errands")
		o.pause(time.Hour)
		assert.Len(t, append(o.did(on), o.did(off)...), len(all), "and stay so")
	})
}

// TestErrands_PressWhatIsBelievedMost where a rule says so, instead of asking.
func TestErrands_PressWhatIsBelievedMost(t *testing.T) {
	t.Parallel()
	inObservatory(t, december, func(t *testing.T, o *observatory) {
		o.wish("boardwalk", "power", "on")
		o.says("errand a when clicker/a pressed do set boardwalk/power to off if doubtful press")
		o.doubt("boardwalk") // its key was pressed, says nobody knows: it may be on, as it is
		o.press("clicker", "a")
		o.pause(10 * time.Second)
		assert.Empty(t, o.Questions.List())
	})
}

// TestErrands_HappenWithOneAnother: an errand that two people change, and one that is removed while it waits.
func TestErrands_AreChangedWhileTheyWait(t *testing.T) {
	t.Parallel()
	inObservatory(t, december, func(t *testing.T, o *observatory) {
		o.says("errand a when 10 min after clicker/a pressed do mark old")
		o.press("clicker", "a")
		_, err := o.Errands.Change(t.Context(), "a", "errand a when 1 min after clicker/b pressed do mark new", nil,
			nil,
			person)
		require.NoError(t, err)
		o.pause(15 * time.Minute)
		assert.Empty(t, o.Errands.Markers(), "what was waited for belongs to another sentence")
		o.press("clicker", "b")
		require.NoError(t, o.Errands.Remove(t.Context(), "a", person))
		o.pause(5 * time.Minute)
		assert.Empty(t, o.Errands.Markers())
		o.brings(happening.Brought{Kind: "phrase", Of: "nobody waits for it"})
		require.ErrorIs(t, o.Errands.Bring(happening.Brought{Kind: "smoke", Of: "x"}, by), errands.ErrBrought)
	})
}

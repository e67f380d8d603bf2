package service_test

import (
	"database/sql"
	"fmt"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/audition"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/lesson"
	"urbo/core/line"
	"urbo/core/pack"
	"urbo/service"
	"urbo/service/auditions"
	"urbo/service/lessons"
	"urbo/service/library"
	"urbo/service/sitting"
	"urbo/station"
	"urbo/store"
)

func startLesson(t *testing.T, h *service.House, n lessons.New) happening.LessonChanged {
	t.Helper()
	n.Device = "lamp"
	l, err := h.Lessons.Start(t.Context(), n)
	require.NoError(t, err)
	return l
}

func lessonNow(t *testing.T, h *service.House, id string) happening.LessonChanged {
	t.Helper()
	l, err := h.Lessons.Lesson(id)
	require.NoError(t, err)
	return l
}

func stepLesson(t *testing.T, h *service.House, id string, s lessons.Step) {
	t.Helper()
	_, err := h.Lessons.Step(t.Context(), id, s)
	require.NoError(t, err)
}

func TestLesson_ACodeThatSomebodyHasSettlesTheAskedKey(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir(), newBoard(nil))
	lamp(t, h)
	l := startLesson(t, h, lessons.New{Keys: []string{"red", "blue"}})
	stepLesson(t, h, l.ID, lessons.Step{Do: "code", Code: "NEC 0x20DF10EF 32"})
	_, err := h.Lessons.Step(t.Context(), l.ID, lessons.Step{Do: "code", Code: "a word"})
	require.ErrorIs(t, err, lessons.ErrStep)
	now := lessonNow(t, h, l.ID)
	assert.Equal(t, "blue", now.Lesson.Asked(), "the next key is asked for, and a text that is no code moves nothing")
	_, k, err := h.Library.Key(red)
	require.NoError(t, err)
	assert.Equal(t, line.Number(4), k.Codes[0].Fields["address"])

	stepLesson(t, h, l.ID, lessons.Step{Do: "code", Code: "nec address=9 command=2"})
	_, err = h.Lessons.Step(t.Context(), l.ID, lessons.Step{Do: "code", Code: "nec address=9 command=3"})
	assert.ErrorIs(t, err, lessons.ErrStep, "it is over")
}

func TestLesson_SignalsWithoutALineCodeAreKeptAndReplayed(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	l := startLesson(t, h, lessons.New{Keys: []string{"blue"}})
	odd := []int{2100, 1050, 700, 350, 350, 700, 700, 350, 350, 700, 700, 350, 350, 700, 700, 350, 350}
	for n := range 2 {
		b.hear(int64(n)*1_000_000, odd, 20_000)
		eventually(t, func() bool { return len(captures(t, h)) == n+1 }, "heard")
	}
	eventually(t, func() bool { return lessonNow(t, h, l.ID).Lesson.Over() }, "settled")
	press(t, h, blue)
	got := append(b.sent()[0].Once, b.sent()[0].Repeat...)
	require.Len(t, got, len(odd)+1)
	assert.InDeltaSlice(t, odd, got[:len(odd)], 40, "clean, and no more than a carrier cycle off")

	b.hear(9_000_000, odd, 20_000)
	eventually(t, func() bool {
		c := captures(t, h)[0]
		return len(c.Keys) == 1 && c.Keys[0].Ref == blue
	}, "the handset's key is recognised again")
}

func TestLesson_OneAtATimeAndNothingToLearn(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir(), newBoard(nil))
	lamp(t, h)
	set(t, h, blue, necCode(3))
	_, err := h.Lessons.Start(t.Context(), lessons.New{Device: "lamp"})
	assert.ErrorContains(t, err, "every key of lamp is learned")
	_, err = h.Library.Add(t.Context(), device.Device{Name: "Night lamp"}, library.Note{})
	require.NoError(t, err)
	free, err := h.Lessons.Start(t.Context(), lessons.New{Device: "night-lamp"})
	require.NoError(t, err)
	assert.True(t, free.Lesson.Free, "there is no key to ask for")
	stepLesson(t, h, free.ID, lessons.Step{Do: "finish"})
	l := startLesson(t, h, lessons.New{Keys: []string{"red"}, By: grant.Named("the tablet")})
	_, err = h.Lessons.Start(t.Context(), lessons.New{Device: "lamp", Keys: []string{"red"}})
	require.ErrorIs(t, err, sitting.ErrRunning)
	assert.ErrorContains(t, err, "started by the tablet: finish or pause it first")
	_, err = h.Lessons.Step(t.Context(), l.ID, lessons.Step{Do: "dance"})
	assert.ErrorContains(t, err, "skip, back, redo, add, name, drop, accept, code, pause, resume, finish")
	stepLesson(t, h, l.ID, lessons.Step{Do: "finish"})
	startLesson(t, h, lessons.New{Keys: []string{"red"}})
	_, err = h.Lessons.Step(t.Context(), "nothing", lessons.Step{Do: "skip"})
	require.ErrorIs(t, err, sitting.ErrUnknown)
}

func TestLesson_SaysWhyNothingIsHeardAndWaitsAtLast(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		l := startLesson(t, h, lessons.New{Keys: []string{"blue"}, Needed: 3})
		assert.Equal(t, 3, l.Lesson.Needed)
		time.Sleep(19 * time.Second)
		assert.Empty(t, lessonNow(t, h, l.ID).Hint)
		time.Sleep(200 * time.Second)
		assert.Contains(t, lessonNow(t, h, l.ID).Hint, "Nothing came in at lecture/ir-in")
		next := startLesson(t, h, lessons.New{Keys: []string{"red"}})
		assert.True(t, lessonNow(t, h, l.ID).Lesson.Ended,
			"a lesson left alone for minutes gives way, and one of the same device takes its place")

		b.hear(0, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		assert.Empty(t, lessonNow(t, h, next.ID).Hint)
		assert.Len(t, lessonNow(t, h, next.ID).Lesson.Takes, 1)
		time.Sleep(1000 * time.Second)
		assert.True(t, lessonNow(t, h, next.ID).Lesson.Paused, "a lesson nobody goes on with waits")
		b.hear(3_000_000_000, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		assert.Len(t, lessonNow(t, h, next.ID).Lesson.Takes, 1, "and hears nothing meanwhile")
		stepLesson(t, h, next.ID, lessons.Step{Do: "resume"})
		b.hear(3_010_000_000, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		assert.True(t, lessonNow(t, h, next.ID).Lesson.Over(), "the take before the pause counts")
		assert.Contains(t, told(t, h), "Learned lamp/red as nec address=9 command=9")
	})
}

func TestLesson_EndsWithItsDevice(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		l := startLesson(t, h, lessons.New{Keys: []string{"blue"}})
		require.NoError(t, h.Library.Remove(t.Context(), "lamp", library.Note{}))
		b.hear(0, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		assert.True(t, lessonNow(t, h, l.ID).Lesson.Ended)
		assert.Empty(t, h.Library.Lines(""), "and brings no device back")
	})
}

// TestLesson_ADeviceThatIsRenamedMeanwhileTakesNoOtherKeysCode: it did.
func TestLesson_ADeviceThatIsRenamedMeanwhileTakesNoOtherKeysCode(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		l := startLesson(t, h, lessons.New{Keys: []string{"blue"}})
		change(t, h, func(d *device.Device) error { d.Slug = "desk"; return nil })
		for n := range int64(2) {
			b.hear(n*1_000_000, nec(t, 2), 20_000) // the red key
			time.Sleep(time.Second)
		}
		got := lessonNow(t, h, l.ID)
		assert.Equal(t, "desk", got.Device)
		assert.Equal(t, lesson.OtherKey, got.Lesson.Last.Verdict)
		b.hear(5_000_000, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		b.hear(7_000_000, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		assert.True(t, lessonNow(t, h, l.ID).Lesson.Over())
		_, _, err := h.Library.Key(device.Ref{Device: "desk", Key: "blue"})
		require.NoError(t, err)
	})
}

// TestLesson_WhatCannotBeKeptIsSaidAndTheLessonGoesOn: a keep that failed, and then a drop, was a panic.
func TestLesson_WhatCannotBeKeptIsSaidAndTheLessonGoesOn(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		change(t, h, func(d *device.Device) error {
			for n := len(d.Keys); n < device.MaxKeys; n++ {
				if _, err := d.Add(fmt.Sprint("spare-", n)); err != nil {
					return err
				}
			}
			return nil
		})
		l := startLesson(t, h, lessons.New{Free: true})
		for n := range int64(2) {
			b.hear(n*1_000_000, nec(t, 9), 20_000)
			time.Sleep(time.Second)
		}
		got := lessonNow(t, h, l.ID).Lesson
		assert.Contains(t, got.Last.Text, "It could not be kept")
		assert.Contains(t, got.Last.Text, "200 keys")
		require.Len(t, got.Keys, 1)
		change(t, h, func(d *device.Device) error { return d.Remove("spare-100") })
		b.hear(3_000_000, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		assert.Equal(t, lesson.Settled, lessonNow(t, h, l.ID).Lesson.Keys[0].State, "the next press settles it")
		stepLesson(t, h, l.ID, lessons.Step{Do: "drop", Key: "key-1"})
		assert.Empty(t, lessonNow(t, h, l.ID).Lesson.Keys)
		d, err := h.Library.Device("lamp")
		require.NoError(t, err)
		assert.False(t, d.Has("key-1"), "what was dropped is gone from the library too")
	})
}

func TestLesson_ANameThatTheLibraryRefusesChangesNothingHere(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		lamp(t, h)
		l := startLesson(t, h, lessons.New{Free: true, Needed: 1})
		b.hear(0, nec(t, 9), 20_000)
		time.Sleep(time.Second)
		// by somebody else, after the lesson began
		change(t, h, func(d *device.Device) error { _, err := d.Add("later"); return err })
		_, err := h.Lessons.Step(t.Context(), l.ID, lessons.Step{Do: "name", Key: "key-1", As: "later"})
		require.ErrorIs(t, err, device.ErrTaken)
		assert.Equal(t, "key-1", lessonNow(t, h, l.ID).Lesson.Keys[0].Name)
		stepLesson(t, h, l.ID, lessons.Step{Do: "name", Key: "key-1", As: "green"})
		_, _, err = h.Library.Key(device.Ref{Device: "lamp", Key: "green"})
		require.NoError(t, err)
	})
}

func TestSessions_ARowThatCannotBeReadIsSetAsideAndSaid(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	h, stop := start(t, dir, nil, newBoard(nil))
	lamp(t, h)
	good := startLesson(t, h, lessons.New{Keys: []string{"blue"}})
	stop()
	db, err := sql.Open("sqlite", filepath.Join(dir, store.File))
	require.NoError(t, err)
	for id, row := range map[string]string{"broken": "1, '{'", "wild": `1, '{"At": 700}'`, "newer": "99, '{}'"} {
		_, err = db.Exec("INSERT INTO sittings (id, kind, device_id, by, began_ms, touched_ms, version, document) " +
			"VALUES ('" + id + "', 'lesson', 'x', '', 0, 0, " + row + ")")
		require.NoError(t, err)
	}
	require.NoError(t, db.Close())
	h = run(t, dir)
	assert.Len(t, h.Lessons.List(), 1)
	assert.False(t, lessonNow(t, h, good.ID).Lesson.Over(), "it goes on where it was")
	said := strings.Join(told(t, h), "\n")
	for _, id := range []string{"broken", "wild", "newer"} {
		assert.Contains(t, said, "The lesson "+id+" is set aside")
	}
}

// shelved puts code sets of an address each on the shelf: their power is command 1, their red command 2.
func shelved(t *testing.T, h *service.House, addresses ...int64) {
	t.Helper()
	p := pack.Pack{Format: pack.Format, Version: pack.Version}
	for _, a := range addresses {
		set := device.Device{Slug: fmt.Sprintf("set-%d", a), Name: fmt.Sprintf("Set %d", a), Kind: "light"}
		for i, name := range []string{"power", "red"} {
			fields := line.Fields{"address": line.Number(a), "command": line.Number(int64(i + 1))}
			set.Keys = append(set.Keys, device.Key{Name: name, Codes: []device.Code{{Sheet: "nec", Fields: fields}}})
		}
		p.Sets = append(p.Sets, set)
	}
	_, err := h.Library.Import(t.Context(), p, library.Skip, library.Note{})
	require.NoError(t, err)
	_, err = h.Library.Add(t.Context(), device.Device{Name: "Lights", Kind: "light"}, library.Note{})
	require.NoError(t, err)
}

func auditionNow(t *testing.T, h *service.House, id string) (*audition.Audition, string) {
	t.Helper()
	a, err := h.Auditions.Audition(id)
	require.NoError(t, err)
	return a.Audition, a.Trouble
}

func TestAudition_PlaysAtItsPaceAndKeepsWhatWasConfirmed(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		shelved(t, h, 3, 4, 5, 6)
		wanted := auditions.New{Device: "lights", Pause: 2 * time.Second}
		plan, err := h.Auditions.Plan(wanted)
		require.NoError(t, err)
		assert.Equal(t, "4 codes, 2.0 s apart: 8 seconds until all were played, 0 s of it on the air.", plan.Text)
		assert.Empty(t, b.sent(), "a plan plays nothing")

		a, err := h.Auditions.Start(t.Context(), wanted)
		require.NoError(t, err)
		step := func(do string) {
			t.Helper()
			_, err := h.Auditions.Step(t.Context(), a.ID, do)
			require.NoError(t, err)
			time.Sleep(time.Second) // what is asked about is played
		}
		now := func() *audition.Audition { core, _ := auditionNow(t, h, a.ID); return core }
		time.Sleep(5 * time.Second)
		assert.Len(t, b.sent(), 3, "one every two seconds")
		step("reacted")
		assert.Len(t, b.sent(), 4, "the last one again, and no further ones")
		assert.Equal(t, "Set 5 was played again. Did the device react?", now().Prompt())
		time.Sleep(3 * time.Second)
		assert.Len(t, b.sent(), 4, "it waits for the answer")
		step("no")
		step("yes")
		assert.Equal(t, "Perhaps it is Set 4. Is the device on, and ready for a key?", now().Prompt())
		step("yes")
		what, key := now().Now()
		assert.Equal(t, []string{"Set 4", "red"}, []string{what, key})
		step("switch")
		time.Sleep(time.Second)
		assert.Equal(t, b.sent()[4].Once, b.sent()[len(b.sent())-2].Once, "its power first")
		assert.Equal(t, b.sent()[5].Once, b.sent()[len(b.sent())-1].Once, "and then the key again")
		step("yes")
		assert.Equal(t, audition.Found, now().Phase)
		d, err := h.Library.Device("lights")
		require.NoError(t, err)
		assert.Equal(t, line.Number(4), d.Keys[0].Codes[0].Fields["address"])
		assert.Equal(t, "audition", d.Keys[1].Codes[0].Source)
		_, err = h.Auditions.Step(t.Context(), a.ID, "yes")
		require.ErrorIs(t, err, audition.ErrOver)
		assert.Contains(t, told(t, h), "Found: Set 4. 2 keys are confirmed.")
	})
}

func TestAudition_WaitsWhereNothingGoesOutAndPassesNothingOver(t *testing.T) {
	t.Parallel()
	broken := true
	b := newBoard(func(b *board, s station.Send) {
		if broken {
			b.say(station.Failed{ID: s.ID, Reason: "its transmitter is hot"})
			return
		}
		b.say(station.Sent{ID: s.ID})
	})
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		shelved(t, h, 3, 4)
		a, err := h.Auditions.Start(t.Context(), auditions.New{Device: "lights", Pause: 500 * time.Millisecond})
		require.NoError(t, err)
		time.Sleep(10 * time.Second)
		assert.Len(t, b.sent(), 1, "it stops at the first that does not go out")
		core, trouble := auditionNow(t, h, a.ID)
		assert.True(t, core.Paused)
		assert.Zero(t, core.Next)
		assert.Equal(t, "failed: its transmitter is hot", trouble)
		broken = false
		_, err = h.Auditions.Step(t.Context(), a.ID, "resume")
		require.NoError(t, err)
		time.Sleep(10 * time.Second)
		assert.Len(t, b.sent(), 3)
		assert.Equal(t, b.sent()[0].Once, b.sent()[1].Once, "the same again")
		core, _ = auditionNow(t, h, a.ID)
		assert.Equal(t, "All were played. Did the device react to the last ones?", core.Prompt())
		a, err = h.Auditions.Step(t.Context(), a.ID, "finish")
		require.NoError(t, err)
		assert.Equal(t, "All were played, and the device reacted to none.", a.Audition.Prompt())

		for says, bad := range map[string]auditions.New{
			"unknown device":              {Device: "moon"},
			"none of the 2 code sets has": {Device: "lights", Function: "blank"},
			"use a-z, 0-9":                {Device: "lights", Function: "Power!"},
			"unknown code set":            {Device: "lights", Sets: []string{"set-9"}},
			"no code sets to try":         {Device: "lights", Kind: "fan"},
			"counts its presses": {Device: "lights", Sweep: &audition.Sweep{Code: device.Code{Sheet: "roll56"},
				Field: "remote", To: 3}},
			"would take 250 minutes": {Device: "lights", Pause: 30 * time.Second,
				Sweep: &audition.Sweep{Code: device.Code{Sheet: "nec-wide",
					Fields: line.Fields{"command": line.Number(1)}}, Field: "address", To: 498}},
		} {
			_, err := h.Auditions.Plan(bad)
			assert.ErrorContains(t, err, says)
		}
	})
}

func TestAudition_IsSmallOnDiskAndGoesOnFromThere(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	var id string
	func() {
		h, stop := start(t, dir, nil, newBoard(nil))
		defer stop()
		var many []int64
		for n := range int64(100) {
			many = append(many, n)
		}
		shelved(t, h, many...)
		a, err := h.Auditions.Start(t.Context(), auditions.New{Device: "lights"})
		require.NoError(t, err)
		id = a.ID
		eventually(t, func() bool { core, _ := auditionNow(t, h, id); return core.Next > 0 }, "one is played")
	}()
	db, err := sql.Open("sqlite", filepath.Join(dir, store.File))
	require.NoError(t, err)
	var size int
	require.NoError(t, db.QueryRow("SELECT max(length(document)) FROM sittings").Scan(&size))
	require.NoError(t, db.Close())
	assert.Less(t, size, 8000, "it refers to its hundred sets")
	h := run(t, dir)
	core, _ := auditionNow(t, h, id)
	assert.Equal(t, 100, core.Len())
	assert.True(t, core.Paused, "nobody stands there now")
}

// TestLesson_SaysThatAHandsetSendsItsWholeState before the first press, for devices of that kind.
func TestLesson_SaysThatAHandsetSendsItsWholeState(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir())
	_, err := h.Library.Add(t.Context(), device.Device{Name: "Heat pump", Kind: "air-conditioner"}, library.Note{})
	require.NoError(t, err)
	l, err := h.Lessons.Start(t.Context(), lessons.New{Device: "heat-pump"})
	require.NoError(t, err)
	assert.Contains(t, l.Hint, "their whole state with each press")
}

// TestLesson_OfWholeStatesSaysWhyNothingIsHeard, too: what was said at its start kept it from ever saying so.
func TestLesson_OfWholeStatesSaysWhyNothingIsHeard(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	inFakeTime(t, b, func(t *testing.T, h *service.House) {
		_, err := h.Library.Add(t.Context(), device.Device{Name: "Heat pump", Kind: "air-conditioner"}, library.Note{})
		require.NoError(t, err)
		l, err := h.Lessons.Start(t.Context(), lessons.New{Device: "heat-pump"})
		require.NoError(t, err)
		time.Sleep(30 * time.Second)
		hint := lessonNow(t, h, l.ID).Hint
		assert.Contains(t, hint, "their whole state with each press")
		assert.Contains(t, hint, "Nothing came in at lecture/ir-in")
	})
}

package errand

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/moment"
	"urbo/core/run"
)

// plainly is a memory that knows things by their names.
func plainly() *Memory {
	return NewMemory(func(on run.Target, control string) []string {
		if on.Kind == run.Measurement {
			return []string{on.ID}
		}
		return []string{on.ID + "/" + control}
	})
}

// life follows one errand.
type life struct {
	t *testing.T
	Errand
	Course
	memory *Memory
	now    Now
}

func begin(t *testing.T, text string) *life {
	t.Helper()
	e, err := Parse(text, names{})
	require.NoError(t, err)
	return &life{t: t, Errand: e, memory: plainly(), now: Now{Clock: true,
		At: time.Date(2026, 12, 4, 10, 0, 0, 0, time.UTC), Where: moment.Where{Zone: time.UTC}}}
}

// told lets something happen some time later, with what is due meanwhile, and says how cues came.
func (l *life) told(later time.Duration, f Fact) (out []How) {
	until := l.now.At.Add(later)
	tick := func() {
		all, _ := l.Tick(l.Errand, "id", l.memory, l.now)
		for _, r := range all {
			out = append(out, r.How)
		}
	}
	for {
		soon := l.Soon(l.Errand, l.memory, l.now)
		if soon.IsZero() || soon.After(until) {
			break
		}
		l.now.At = soon
		tick()
	}
	l.now.At, f.At = until, until
	tick()
	if f.Kind != "" {
		all, _ := l.Hear(l.Errand, l.memory.Take(f), l.memory, l.now)
		for _, r := range all {
			out = append(out, r.How)
		}
	}
	return out
}

func humid(value string) Fact {
	return Fact{Kind: OfMeasurement, Of: "dome/humidity", Value: value}
}

func TestCourse_RisesBySoMuchWithinATime(t *testing.T) {
	l := begin(t, "errand damp when dome/humidity rises by 5 % within 10 min do notify \"damp\"")
	for _, v := range []string{"70", "72", "74"} {
		assert.Empty(t, l.told(6*time.Minute, humid(v)), "slowly")
	}
	assert.Equal(t, []How{Came}, l.told(time.Minute, humid("79")))
	assert.Empty(t, l.told(time.Minute, humid("80")), "it counts anew from there")
	assert.Equal(t, []How{Came}, l.told(time.Minute, humid("84.5")))
	assert.Empty(t, l.told(time.Minute, humid("60")))
}

func TestCourse_SilenceComesOnceUntilItIsToldAgain(t *testing.T) {
	l := begin(t, "errand mute when dome/humidity silent for 10 min do notify \"silent\"")
	assert.Empty(t, l.told(time.Hour, Fact{}), "nobody ever told it")
	for range 3 {
		assert.Empty(t, l.told(9*time.Minute, humid("70")))
	}
	assert.Equal(t, []How{Came}, l.told(time.Hour, Fact{}))
	assert.Empty(t, l.told(time.Hour, humid("70")))
	assert.Equal(t, []How{Came}, l.told(11*time.Minute, Fact{}))
	l.now.Began = l.now.At.Add(5 * time.Hour) // it was away meanwhile
	l.told(5*time.Hour, humid("70"))
	l.now.Began = l.now.At.Add(5 * time.Hour)
	assert.Empty(t, l.told(5*time.Hour+9*time.Minute, Fact{}), "the house has to be there to miss it")
	assert.Equal(t, []How{Came}, l.told(2*time.Minute, Fact{}))
}

func TestCourse_WhatHasToStayForATime(t *testing.T) {
	power := func(v string) Fact {
		return Fact{Kind: OfControl, Of: "id of projector", Name: "power", Value: v}
	}
	l := begin(t, "errand off when projector/power becomes off for 10 min or dome/humidity above 80 for 5 min "+
		"do notify \"off\"")
	l.told(0, power("on"))
	assert.Empty(t, l.told(time.Minute, power("off")))
	assert.Empty(t, l.told(9*time.Minute, power("on")))
	assert.Empty(t, l.told(time.Minute, power("off")))
	assert.Equal(t, []How{Came}, l.told(11*time.Minute, Fact{}))
	assert.Empty(t, l.told(time.Minute, humid("70")))
	assert.Empty(t, l.told(time.Minute, humid("81")))
	assert.Empty(t, l.told(4*time.Minute, humid("79")))
	assert.Empty(t, l.told(time.Minute, humid("81")))
	assert.Empty(t, l.told(time.Minute, humid("85")), "it crossed before")
	assert.Equal(t, []How{Came}, l.told(4*time.Minute, humid("82")))
}

func TestCourse_BatteriesMessagesPhrasesAndCalendars(t *testing.T) {
	low := func(v string) Fact { return Fact{Kind: OfBattery, Of: "dome/humidity", Value: v} }
	l := begin(t, "errand all when battery dome/humidity low or phrase \"talk in ten minutes\" or hook gate "+
		"or mains return do notify \"all\"")
	assert.Empty(t, l.told(0, low(Good)))
	assert.Empty(t, l.told(0, low(Good)))
	assert.Len(t, l.told(time.Minute, low(Low)), 1)
	assert.Empty(t, l.told(time.Minute, low(Low)))
	assert.Len(t, l.told(time.Minute, Fact{Kind: OfPhrase, Of: "Talk, in ten minutes!"}), 1)
	assert.Empty(t, l.told(time.Minute, Fact{Kind: OfPhrase, Of: "talk in nine minutes"}))
	assert.Len(t, l.told(time.Minute, Fact{Kind: OfHook, Of: "gate"}), 1)
	assert.Len(t, l.told(time.Minute, Fact{Kind: OfHouse, Value: Mains}), 1)

	e, err := Parse("errand more when message \"club/lamp\" at \"/state\" is \"go\" or "+
		"30 min before calendar club starts titled \"public night\" do notify \"more\"", names{})
	require.NoError(t, err)
	part := func(text string, is bool) *Message {
		return &Message{Topic: "club/lamp", Part: func(p string) (string, bool) { return text, is && p == "/state" }}
	}
	assert.True(t, e.When[0].Comes(News{Message: part("go", true)}))
	assert.False(t, e.When[0].Comes(News{Message: part("stop", true)}))
	assert.False(t, e.When[0].Comes(News{Message: part("", false)}))
	night := CalendarEvent{Name: "club", Title: "Public night"}
	assert.True(t, e.When[1].Comes(News{Calendar: &night}))
	night.Ends = true
	assert.False(t, e.When[1].Comes(News{Calendar: &night}))
}

func TestTaps_TellWhatBelongsTogether(t *testing.T) {
	at := time.Date(2026, 12, 4, 10, 0, 0, 0, time.UTC)
	k := Key{Device: "clicker", Key: "b"}
	hows := func(keys []Key) (out []string) {
		for _, k := range keys {
			out = append(out, k.How)
		}
		return out
	}
	press := func(taps *Taps, from, length time.Duration) []string {
		began := at.Add(from * time.Millisecond)
		ended := began.Add(length * time.Millisecond)
		return hows(taps.Press(k, began, ended, ended.Add(250*time.Millisecond)))
	}
	var taps Taps
	assert.Empty(t, press(&taps, 0, 100))
	assert.Empty(t, hows(taps.Settle(at.Add(400*time.Millisecond))))
	assert.Equal(t, []string{""}, hows(taps.Settle(at.Add(time.Second))), "one press")
	assert.True(t, taps.Soon().IsZero())

	assert.Empty(t, press(&taps, 2000, 100))
	assert.Empty(t, press(&taps, 2400, 100))
	assert.Equal(t, []string{"twice"}, hows(taps.Settle(taps.Soon())))

	assert.Empty(t, press(&taps, 4000, 100))
	assert.Empty(t, press(&taps, 4400, 100))
	assert.Equal(t, []string{"thrice"}, press(&taps, 4800, 100), "no more is asked for")

	assert.Equal(t, []string{"held"}, press(&taps, 6000, 900))
	assert.Empty(t, press(&taps, 8000, 100))
	assert.Equal(t, []string{""}, press(&taps, 8700, 100), "the first stands alone")
	assert.Equal(t, []string{"", "held"}, press(&taps, 9100, 900))
}

func TestMemory_KnowsSinceWhenATestIsSo(t *testing.T) {
	m := plainly()
	at := time.Date(2026, 12, 4, 10, 0, 0, 0, time.UTC)
	above := run.Test{On: run.Target{Kind: run.Measurement, ID: "dome/humidity"}, Is: run.Above, Value: "80"}
	put := func(after time.Duration, v string) {
		f := humid(v)
		f.At = at.Add(after)
		m.Take(f)
	}
	put(0, "70")
	_, known := m.Since(above)
	require.True(t, known)
	put(time.Minute, "81")
	put(2*time.Minute, "85")
	put(3*time.Minute, "82")
	since, _ := m.Since(above)
	assert.Equal(t, at.Add(time.Minute), since, "it crossed then")
	last, _ := m.Changed(above.On, "", "")
	assert.Equal(t, at.Add(3*time.Minute), last)
}

package audition_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"urbo/core/audition"
	"urbo/core/device"
	"urbo/core/line"
)

// set makes a code set of an address: its keys send the commands given, in order.
func set(name string, address int64, keys []string, commands ...int64) device.Device {
	d := device.Device{Slug: name, Name: name}
	for i, key := range keys {
		d.Keys = append(d.Keys, device.Key{Name: key, Codes: []device.Code{{Sheet: "nec",
			Fields: line.Fields{"address": line.Number(address), "command": line.Number(commands[i])}}}})
	}
	return d
}

var fan = []string{"power", "speed-1", "speed-2", "sweep"}

// appliance obeys some codes, and is told what is played.
type appliance map[string]bool

func (a appliance) hears(codes []device.Code) bool { return a[fmt.Sprint(codes[0].Fields)] }

func of(d device.Device) appliance {
	a := appliance{}
	for _, k := range d.Keys {
		a[fmt.Sprint(k.Codes[0].Fields)] = true
	}
	return a
}

// play plays until something is asked or the appliance reacted, late by so many codes.
func play(t require.TestingT, a *audition.Audition, to appliance, late int) (reacted bool) {
	left := -1
	for {
		codes, _ := a.Due()
		if codes == nil {
			return left >= 0
		}
		if left < 0 && to.hears(codes) {
			left = late
		}
		a.Played()
		if left == 0 {
			require.NoError(t, a.Reacted())
			return true
		}
		left = max(left-1, -1)
	}
}

// answer tells the truth about what is asked until nothing is.
func answer(t require.TestingT, a *audition.Audition, to appliance) {
	for a.Phase == audition.Confirming || a.Phase == audition.Walking {
		codes, soon := a.Due()
		if a.Walk.AskOn && codes == nil {
			require.True(t, a.Asks())
			require.NoError(t, a.Say(audition.Yes)) // this appliance is always on
			continue
		}
		require.NotNil(t, codes, "what is asked about is played first")
		require.True(t, soon)
		a.Played()
		said := audition.No
		if to.hears(codes) {
			said = audition.Yes
		}
		require.NoError(t, a.Say(said))
	}
}

func thirty() []device.Device {
	var out []device.Device
	for i := range 30 {
		out = append(out, set(fmt.Sprintf("set-%d", i), int64(i), fan, 1, 2, 3, 4))
	}
	return out
}

func TestAudition_FindsTheRightSetAmongThirtyHoweverLateThePersonSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		sets := thirty()
		right := rapid.IntRange(0, 29).Draw(t, "right")
		late := rapid.IntRange(0, min(3, 29-right)).Draw(t, "late")
		a, err := audition.New("power", sets)
		require.NoError(t, err)
		to := of(sets[right])
		require.True(t, play(t, a, to, late))
		answer(t, a, to)
		require.Equal(t, audition.Found, a.Phase)
		assert.Equal(t, sets[right].Slug, a.Sets[a.Winner].Slug)
		assert.Len(t, a.Kept(), 4)
		assert.Contains(t, a.Prompt(), "4 keys are confirmed")
	})
}

func TestAudition_RefusesTheSetThatFitsOnlyHalfAndGoesOnToTheRightOne(t *testing.T) {
	half := set("half", 7, fan, 1, 2, 30, 40) // its power and first speed are right
	right := set("right", 7, fan, 1, 2, 3, 4)
	a, err := audition.New("power", []device.Device{set("other", 9, fan, 1, 2, 3, 4), half, right})
	require.NoError(t, err)
	assert.Equal(t, 2, a.Len(), "equal power codes are played once")
	require.True(t, play(t, a, of(right), 0))
	answer(t, a, of(right))
	require.Equal(t, audition.Found, a.Phase)
	assert.Equal(t, "right", a.Sets[a.Winner].Slug)
	assert.Equal(t, []audition.Verdict{{Set: half, Confirmed: 2, Tried: 4}}, a.Verdicts())
}

func TestAudition_WithoutASetThatFitsTheBestPartOfOneIsOffered(t *testing.T) {
	half := set("half", 7, fan, 1, 2, 30, 40)
	to := of(set("true", 7, fan, 1, 2, 3, 4))
	a, err := audition.New("power", []device.Device{half, set("other", 9, fan, 1, 2, 3, 4)})
	require.NoError(t, err)
	require.True(t, play(t, a, to, 0))
	answer(t, a, to)
	require.False(t, play(t, a, to, 0), "it goes on with the rest, in vain")
	assert.Nil(t, a.Kept())
	a.Finish()
	require.Equal(t, audition.Nothing, a.Phase)
	best, keys, ok := a.Best()
	require.True(t, ok)
	assert.Equal(t, "half", best.Slug)
	assert.Len(t, keys, 2, "only what was confirmed")
	assert.Equal(t, "No set fits whole. half fits best, with 2 keys.", a.Prompt())
	declined := *a
	declined.Finish()
	_, _, ok = declined.Best()
	assert.False(t, ok)
	require.ErrorIs(t, declined.Take(), audition.ErrStep)
	require.NoError(t, a.Take())
	assert.Len(t, a.Kept(), 2)
	assert.Equal(t, "Kept 2 keys of half, which fits in part.", a.Prompt())
	_, _, ok = a.Best()
	assert.False(t, ok, "they can be taken once")
}

func TestAudition_SkippedKeysCountNeitherWayAndAnAnswerCanBeTakenBack(t *testing.T) {
	right := set("right", 7, fan, 1, 2, 3, 4)
	a, err := audition.New("power", []device.Device{right})
	require.NoError(t, err)
	require.ErrorIs(t, a.Reacted(), audition.ErrStep, "nothing was played yet")
	a.Played()
	require.NoError(t, a.Reacted())
	a.Played()
	require.NoError(t, a.Say(audition.Yes))
	require.ErrorIs(t, a.Back(), audition.ErrStep)
	assert.Equal(t, "Perhaps it is right. Is the device on, and ready for a key?", a.Prompt())
	require.NoError(t, a.Say(audition.No))
	codes, _ := a.Due()
	assert.Equal(t, right.Keys[0].Codes, codes, "it is switched")
	a.Played()
	assert.Equal(t, "Perhaps it is right. Is the device on, and ready for a key?", a.Prompt())
	require.NoError(t, a.Say(audition.Yes))
	assert.Equal(t, "Watch the device: right, speed 1.", a.Prompt())
	a.Played()
	assert.Equal(t, `Did the device do "speed 1"?`, a.Prompt())
	require.NoError(t, a.Switch(), "it may be off: its power first, then the key again")
	for _, key := range []int{0, 1} {
		codes, _ := a.Due()
		assert.Equal(t, right.Keys[key].Codes, codes)
		a.Played()
	}
	require.NoError(t, a.Say(audition.No))
	require.NoError(t, a.Back())
	require.ErrorIs(t, a.Back(), audition.ErrStep, "this is the first")
	require.NoError(t, a.Another())
	assert.Equal(t, "Watch the device: right, speed 2.", a.Prompt())
	require.NoError(t, a.Another())
	require.NoError(t, a.Another())
	assert.Equal(t, "Watch the device: right, speed 1.", a.Prompt(), "all were put off: the first comes again")
	for _, said := range []audition.Answer{audition.Yes, audition.Skip, audition.Yes} {
		a.Played()
		require.NoError(t, a.Say(said))
	}
	require.Equal(t, audition.Found, a.Phase)
	assert.Len(t, a.Kept(), 3)
	require.ErrorIs(t, a.Say(audition.Yes), audition.ErrOver)
}

func TestAudition_NoToAllThatItCouldHaveBeenGoesOnPlaying(t *testing.T) {
	a, err := audition.New("power", thirty())
	require.NoError(t, err)
	for range 10 {
		a.Played()
	}
	require.NoError(t, a.Reacted())
	for range 4 {
		require.Equal(t, audition.Confirming, a.Phase)
		a.Played()
		require.NoError(t, a.Say(audition.No))
	}
	assert.Equal(t, audition.Playing, a.Phase)
	assert.Equal(t, "10 of 30: set-9.", a.Prompt(), "nothing is played twice")
	require.NoError(t, a.Say(audition.No), "no says nothing new while it plays")
	for range 20 {
		a.Played()
	}
	assert.True(t, a.Asks())
	assert.Equal(t, "All were played. Did the device react to the last ones?", a.Prompt())
	late := a.Clone()
	require.NoError(t, late.Say(audition.Yes))
	assert.Equal(t, audition.Confirming, late.Phase)
	require.NoError(t, a.Say(audition.No))
	assert.Equal(t, audition.Nothing, a.Phase)
}

// machine is an air mixer: while it is off only power does anything, and a speed at which it runs shows nothing.
type machine struct {
	on, sweep bool
	speed     int
	obeys     map[string]string // what it does, by the fields of a code
}

func (m *machine) hears(codes []device.Code) {
	key := m.obeys[fmt.Sprint(codes[0].Fields)]
	speed, isSpeed := strings.CutPrefix(key, "speed-")
	switch {
	case key == "power":
		m.on = !m.on
	case m.on && key == "sweep":
		m.sweep = !m.sweep
	case m.on && isSpeed:
		m.speed = int(speed[0] - '0')
	}
}

// looks is what somebody sees of it.
func (m *machine) looks() string {
	if !m.on {
		return "off"
	}
	return fmt.Sprint(m.speed, m.sweep)
}

// TestAudition_WhoeverAnswersHonestlyByWhatIsSeenFindsTheSet: whatever the device did before, and however many
// half-right sets stand before the right one. The right set was refused where the device stood at the speed that a key
// sets, or was off.
func TestAudition_WhoeverAnswersHonestlyByWhatIsSeenFindsTheSet(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		keys := []string{"power", "speed-1", "speed-2", "speed-3", "speed-4", "sweep"}
		right := set("right", 7, keys, 1, 2, 3, 4, 5, 6)
		m := &machine{on: rapid.Bool().Draw(t, "on"), sweep: rapid.Bool().Draw(t, "sweep"),
			speed: rapid.IntRange(1, 4).Draw(t, "speed"), obeys: map[string]string{}}
		for _, k := range right.Keys {
			m.obeys[fmt.Sprint(k.Codes[0].Fields)] = k.Name
		}
		sets := []device.Device{set("other", 9, keys, 1, 2, 3, 4, 5, 6)}
		for i := range rapid.IntRange(0, 3).Draw(t, "half") {
			sets = append(sets, set(fmt.Sprintf("half-%d", i), 7, keys, 1, 2, 30, 40, 50, 60+int64(i)))
		}
		a, err := audition.New("power", append(sets, right))
		require.NoError(t, err)
		for range 200 {
			if a.Over() {
				break
			}
			before := m.looks()
			if codes, _ := a.Due(); codes != nil {
				m.hears(codes)
				a.Played()
				if a.Phase == audition.Playing && m.looks() != before {
					require.NoError(t, a.Reacted())
				}
				if !a.Asks() {
					continue
				}
			}
			require.True(t, a.Asks())
			said := audition.No
			if a.Walk.AskOn && m.on || !a.Walk.AskOn && m.looks() != before {
				said = audition.Yes
			}
			require.NoError(t, a.Say(said))
		}
		require.Equal(t, audition.Found, a.Phase)
		require.Equal(t, "right", a.Sets[a.Winner].Slug)
		require.Len(t, a.Kept(), 6)
	})
}

// TestAudition_WhatWasConfirmedCanBeKeptAtAnyEnd: it was lost where somebody ended it before the set was judged.
func TestAudition_WhatWasConfirmedCanBeKeptAtAnyEnd(t *testing.T) {
	a, err := audition.New("power", []device.Device{set("right", 7, fan, 1, 2, 3, 4)})
	require.NoError(t, err)
	require.True(t, play(t, a, of(a.Sets[0]), 0))
	a.Played()
	require.NoError(t, a.Say(audition.Yes))
	require.NoError(t, a.Say(audition.Unsure), "whether it is on")
	a.Played()
	require.NoError(t, a.Say(audition.Yes))
	a.Played()
	require.NoError(t, a.Say(audition.Unsure), "it is asked again later")
	assert.Equal(t, "sweep", a.Sets[0].Keys[a.Key].Name)
	a.Finish()
	best, keys, ok := a.Best()
	require.True(t, ok)
	assert.Equal(t, "right", best.Slug)
	assert.Len(t, keys, 2)
	require.NoError(t, a.Take())
	assert.Len(t, a.Kept(), 2)
}

func TestAudition_SweepFindsTheValueAndStaysWithinItsBounds(t *testing.T) {
	book := line.Builtin()
	base := device.Code{Sheet: "nec", Fields: line.Fields{"command": line.Number(2)}}
	s := audition.Sweep{Code: base, Field: "address", From: 40, To: 60}
	require.NoError(t, s.Check(book))
	a := audition.NewSweep("power", s)
	to := appliance{fmt.Sprint(line.Fields{"address": line.Number(57), "command": line.Number(2)}): true}
	us, err := a.Airtime(book)
	require.NoError(t, err)
	assert.InDelta(t, 21*0.108, float64(us)/1e6, 0.6)
	require.True(t, play(t, a, to, 1))
	answer(t, a, to)
	require.Equal(t, audition.Found, a.Phase)
	assert.Equal(t, line.Number(57), a.Kept()[0].Codes[0].Fields["address"])

	for _, bad := range []struct {
		audition.Sweep
		says string
	}{
		{audition.Sweep{Code: base, Field: "address", From: 9, To: 2}, "write the smaller one first"},
		{audition.Sweep{Code: base, Field: "address", From: 0, To: 300}, "address"},
		{audition.Sweep{Code: base, Field: "address", From: 0, To: 60_000}, "narrow the range"},
		{audition.Sweep{Code: base, Field: "colour", From: 0, To: 3}, "no field"},
		{audition.Sweep{Code: device.Code{Sheet: "hop66"}, Field: "serial", From: 0, To: 3}, "counts its presses"},
		{audition.Sweep{Code: device.Code{Sheet: "wrong"}, Field: "address", From: 0, To: 3}, "wrong"},
	} {
		err := bad.Check(book)
		require.ErrorIs(t, err, audition.ErrPlan)
		assert.Contains(t, err.Error(), bad.says)
	}
}

func TestAudition_GoesOnFromWhatWasKept(t *testing.T) {
	sets := thirty()
	a, err := audition.New("power", sets)
	require.NoError(t, err)
	to := of(sets[12])
	require.True(t, play(t, a, to, 2))
	a.Played()
	require.NoError(t, a.Say(audition.No))
	kept, err := json.Marshal(a)
	require.NoError(t, err)
	assert.Less(t, len(kept), 3000, "it refers to its sets")
	find := func(slug string) (device.Device, bool) {
		i := slices.IndexFunc(sets, func(d device.Device) bool { return d.Slug == slug })
		return sets[max(i, 0)], i >= 0
	}
	again, err := audition.Restore(kept, find)
	require.NoError(t, err)
	assert.Equal(t, a, again)
	answer(t, again, to)
	assert.Equal(t, audition.Found, again.Phase)

	sets[3] = set("set-3", 99, fan, 1, 2, 3, 4)
	_, err = audition.Restore(kept, find)
	require.ErrorIs(t, err, audition.ErrChanged)
	_, err = audition.Restore([]byte(strings.Replace(string(kept), `"Next":15`, `"Next":1500`, 1)), find)
	require.ErrorIs(t, err, audition.ErrChanged)
}

func TestAudition_CannotBeginWithoutAnythingToPlay(t *testing.T) {
	_, err := audition.New("power", nil)
	require.ErrorIs(t, err, audition.ErrPlan)
	_, err = audition.New("blank", thirty())
	require.ErrorIs(t, err, audition.ErrPlan)
	assert.Contains(t, err.Error(), `none of the 30 code sets has a key "blank"`)
}

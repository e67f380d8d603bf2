package lesson_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/lesson"
	"urbo/core/line"
	"urbo/core/signal"
)

var book = line.Builtin()

// nec is a press of a key in a line code.
func nec(command int64) lesson.Press {
	fields := line.Fields{"address": line.Number(57), "command": line.Number(command)}
	return lesson.Press{Medium: line.Infrared, Trains: []signal.Reception{{Train: make(signal.Train, 67)}},
		Readings: []line.Reading{{Sheet: "nec", Fields: fields, Frames: 1, Confidence: 0.98, Unit: 560}}}
}

// reading is a press in a line code of a name.
func reading(sheet string) lesson.Press {
	p := nec(1)
	p.Readings[0].Sheet = sheet
	return p
}

// raw is a press without a known line code.
func raw(durations ...int) lesson.Press {
	train := signal.Train{3000, 3000}
	for i := range 6 {
		if half := len(durations) / 2; i%3 == 2 { // bits that only take turns would be a clock
			train = append(append(train, durations[half:]...), durations[:half]...)
			continue
		}
		train = append(train, durations...)
	}
	trains := []signal.Reception{{Train: append(train, 500), Gap: 25_000}}
	s, err := bench.Describe(trains)
	if err != nil {
		panic(err)
	}
	return lesson.Press{Medium: line.Infrared, Trains: trains, Structure: &s}
}

func TestLesson_TwoAgreeingTakesSettleAKey(t *testing.T) {
	l := lesson.New([]string{"power", "red"}, 2)
	assert.Equal(t, `Press "power" on the handset.`, l.Prompt())
	take, learned := l.Hear(book, nec(2), lesson.Knows{})
	assert.Equal(t, lesson.Accepted, take.Verdict)
	assert.Nil(t, learned)
	assert.Equal(t, `Press "power" again.`, l.Prompt())

	_, learned = l.Hear(book, nec(2), lesson.Knows{})
	require.NotNil(t, learned)
	assert.Equal(t, "nec", learned.Reading.Sheet)
	assert.Equal(t, "power", l.Asked(), "it counts only when it is kept")
	l.Keep(device.Code{})
	assert.Equal(t, "red", l.Asked())
	assert.Equal(t, lesson.Settled, l.Keys[0].State)
}

func TestLesson_AWrongFirstTakeIsOutvoted(t *testing.T) {
	l := lesson.New([]string{"power"}, 2)
	l.Hear(book, nec(9), lesson.Knows{})
	take, learned := l.Hear(book, nec(2), lesson.Knows{})
	assert.Equal(t, lesson.Differs, take.Verdict)
	assert.Nil(t, learned)
	_, learned = l.Hear(book, nec(2), lesson.Knows{})
	require.NotNil(t, learned)
	assert.Equal(t, line.Number(2), learned.Reading.Fields["command"])
}

func TestLesson_FiveDifferentTakesBlameTheBattery(t *testing.T) {
	l := lesson.New([]string{"power"}, 2)
	for n := range int64(4) {
		l.Hear(book, nec(n), lesson.Knows{})
	}
	take, learned := l.Hear(book, nec(4), lesson.Knows{})
	assert.Nil(t, learned)
	assert.Contains(t, l.Last.Text, "battery")
	assert.Equal(t, l.Last.Text, take.Text)
}

func TestLesson_RefusalsSayWhatToDo(t *testing.T) {
	held := lesson.Press{Held: "nec", Trains: []signal.Reception{{Train: signal.Train{9000, 2250, 560}}}}
	short := lesson.Press{Trains: []signal.Reception{{Train: signal.Train{500, 500, 500}}}}
	known := nec(2)
	known.Known = "red"
	for _, c := range []struct {
		press lesson.Press
		want  lesson.Verdict
		says  string
	}{
		{held, lesson.OnlyRepeats, "only the end of the press"},
		{short, lesson.TooShort, "10 cm from the receiver"},
		{reading("sense-c8"), lesson.Sensor, "a sensor's measurement"},
		{known, lesson.OtherKey, `the code of "red", which is learned already. Press "power" now`},
	} {
		l := lesson.New([]string{"power"}, 2)
		take, _ := l.Hear(book, c.press, lesson.Knows{})
		assert.Equal(t, c.want, take.Verdict)
		assert.Contains(t, take.Text, c.says)
		assert.Empty(t, l.Takes, "a refused press is no take")
	}
}

func TestLesson_RollingCodesAreFollowed(t *testing.T) {
	press := func(sheet, changing string, n, button int64) lesson.Press {
		p := reading(sheet)
		p.Readings[0].Fields = line.Fields{"button": line.Number(button), changing: line.Number(n)}
		return p
	}
	for sheet, changing := range map[string]string{"roll56": "counter", "hop66": "encrypted"} {
		l := lesson.New([]string{"up", "down"}, 2)
		take, learned := l.Hear(book, press(sheet, changing, 7, 2), lesson.Knows{})
		assert.Equal(t, lesson.Rolling, take.Verdict, sheet)
		assert.Contains(t, take.Text, "can be followed")
		assert.Nil(t, learned)
		take, _ = l.Hear(book, press(sheet, changing, 8, 4), lesson.Knows{})
		assert.Contains(t, take.Text, "Press \"up\" again", "another button")
		take, learned = l.Hear(book, press(sheet, changing, 9, 2), lesson.Knows{})
		require.NotNil(t, learned, sheet)
		assert.True(t, learned.Rolling)
		assert.Contains(t, take.Text, "pair a handset")
		l.Keep(device.Code{Sheet: sheet})
		l.Finish()
		assert.Contains(t, l.Prompt(), "1 of 2 keys learned, 1 of them to be followed only")
	}
}

func TestLesson_WithoutALineCodeTheStructureIsKept(t *testing.T) {
	l := lesson.New([]string{"a"}, 2)
	take, _ := l.Hear(book, raw(500, 700, 510, 1500), lesson.Knows{})
	assert.Equal(t, lesson.Accepted, take.Verdict)
	take, learned := l.Hear(book, raw(520, 1500, 500, 700), lesson.Knows{})
	assert.Equal(t, lesson.Differs, take.Verdict)
	assert.Nil(t, learned)
	_, learned = l.Hear(book, raw(540, 660, 530, 1460), lesson.Knows{})
	require.NotNil(t, learned)
	assert.Nil(t, learned.Reading)
	assert.Equal(t, []string{"010110010110"}, learned.Structure.Bits)
	assert.InDelta(t, 400, learned.Structure.Unit, 20, "all takes vote: sums of 1200 and 2000 µs are 3 and 5 units")
	assert.Equal(t, 1, learned.Structure.Frames, "a press sends one, though two takes were heard")
	assert.Contains(t, learned.Words(), "12 bits")
}

// sends is a press of three frames of bits that no line sheet has.
func sends(bits string) lesson.Press {
	train := signal.Train{4200, 2100}
	for _, b := range bits {
		space := 450
		if b == '1' {
			space = 1350
		}
		train = append(train, 450, space)
	}
	frame := signal.Reception{Train: append(train, 450), Gap: 25_000}
	trains := []signal.Reception{frame, frame, frame}
	s, err := bench.Describe(trains)
	if err != nil {
		panic(err)
	}
	return lesson.Press{Medium: line.Infrared, Trains: trains, Structure: &s}
}

func TestLesson_WhatGoesOnFromPressToPressIsNoPartOfTheKey(t *testing.T) {
	const off, on = "10110010110001110100", "10111010110001110100"
	l := lesson.New([]string{"power"}, 2)
	hear := func(bits string) (lesson.Take, *lesson.Learned) { return l.Hear(book, sends(bits), lesson.Knows{}) }
	hear(off)
	take, learned := hear(on)
	assert.Equal(t, lesson.Differs, take.Verdict)
	assert.Nil(t, learned)
	take, learned = hear(off)
	assert.Nil(t, learned, "it may alternate, or the second press was of another key")
	assert.Contains(t, take.Text, "may alternate")
	_, learned = hear(on)
	require.NotNil(t, learned)
	assert.Equal(t, []int{5}, learned.Structure.Varies())
	assert.Contains(t, learned.Words(), "Bit 5 differs from press to press: a toggle")
	assert.True(t, learned.Structure.Same(*sends(off).Structure))
	assert.Contains(t, learned.Structure.Sheet("power", bench.On{Medium: line.Infrared, Hz: 38_000}), "toggle: true")

	l = lesson.New([]string{"power"}, 2)
	hear(off)
	hear(on)
	hear(off)
	_, learned = hear(off)
	require.NotNil(t, learned, "the second press was of another key")
	assert.Empty(t, learned.Structure.Varies())

	l = lesson.New([]string{"power"}, 2)
	hear("1011001011000111" + "0110")
	hear("1011001011000111" + "0111")
	_, learned = hear("1011001011000111" + "1000")
	require.NotNil(t, learned)
	assert.Equal(t, []int{17, 18, 19, 20}, learned.Structure.Varies(), "a counter")
}

func TestLesson_BrokenTakesSayNothingOnceACodeWasRead(t *testing.T) {
	l := lesson.New([]string{"power"}, 2)
	l.Hear(book, raw(500, 700, 510, 1500), lesson.Knows{}) // a weak battery: this one broke up
	take, learned := l.Hear(book, nec(2), lesson.Knows{})
	assert.Equal(t, lesson.Accepted, take.Verdict, "the first clear take")
	assert.Nil(t, learned)
	take, learned = l.Hear(book, raw(500, 700, 510, 1500), lesson.Knows{})
	assert.Equal(t, lesson.Unclear, take.Verdict, "two broken takes alike do not win over a clear one")
	assert.Nil(t, learned)
	_, learned = l.Hear(book, nec(2), lesson.Knows{})
	require.NotNil(t, learned)
	assert.Equal(t, "nec", learned.Reading.Sheet)
}

func TestLesson_RadioKeepsTheMeasuredUnit(t *testing.T) {
	press := func(unit float64) lesson.Press {
		return lesson.Press{Medium: line.Radio, Trains: []signal.Reception{{Train: make(signal.Train, 99)}},
			Readings: []line.Reading{
				{Sheet: "pt2262", Fields: line.Fields{"values": line.Text("0F10F10F10F1")}, Frames: 4, Confidence: 0.99,
					Unit: unit}}}
	}
	l := lesson.New([]string{"on"}, 2)
	l.Hear(book, press(358), lesson.Knows{})
	_, learned := l.Hear(book, press(362), lesson.Knows{})
	require.NotNil(t, learned)
	assert.InDelta(t, 360, learned.Reading.Unit, 0.5)
}

func TestLesson_SkipBackRedoAddFinish(t *testing.T) {
	l := lesson.New([]string{"a", "b"}, 1)
	require.NoError(t, l.Skip())
	assert.Equal(t, "b", l.Asked())
	require.NoError(t, l.Back())
	assert.Equal(t, "a", l.Asked())
	require.NoError(t, l.Skip())
	_, learned := l.Hear(book, nec(1), lesson.Knows{})
	require.NotNil(t, learned, "one take is enough where one is needed")
	l.Keep(device.Code{})
	assert.True(t, l.Over())
	assert.Equal(t, "Done: 1 of 2 keys learned.", l.Prompt())

	require.NoError(t, l.Add("c"))
	assert.Equal(t, "c", l.Asked(), "an added key is asked for when nothing else is left")
	require.NoError(t, l.Redo("b"))
	assert.Equal(t, "b", l.Asked())
	assert.Equal(t, lesson.Waiting, l.Keys[2].State)
	assert.ErrorIs(t, l.Redo("x"), lesson.ErrNoKey)
	l.Finish()
	assert.ErrorIs(t, l.Skip(), lesson.ErrIsOver)
	assert.ErrorIs(t, l.Add("d"), lesson.ErrIsOver)
}

func TestLesson_KnowsTheOtherKeysOfTheDevice(t *testing.T) {
	var knows lesson.Knows
	for n := range int64(2) {
		knows.Learn(line.Infrared, "nec", nec(n).Readings[0].Fields)
	}
	stranger := nec(5)
	stranger.Readings[0].Fields = line.Fields{"address": line.Number(3), "command": line.Number(5)}
	byRadio := nec(5)
	byRadio.Medium = line.Radio
	long := nec(5)
	for range 20 {
		long.Trains = append(long.Trains, signal.Reception{Train: signal.Train{9000, 2250, 560}, Gap: 96_000})
	}
	weak := raw(500, 700, 510, 1500)
	strength := 0.1
	weak.Strength = &strength
	for _, c := range []struct {
		press lesson.Press
		want  lesson.Verdict
		says  string
		allow bool
	}{
		{nec(5), lesson.Accepted, "Good", false},
		{stranger, lesson.OtherHandset, "its address is 3, and theirs 57", true},
		{reading("twin32"), lesson.OtherHandset, "it is twin32, and theirs is nec", true},
		{byRadio, lesson.OtherMedium, "by radio, and the other keys by infrared", true},
		{long, lesson.TooLong, "Held too long (2.", true},
		{weak, lesson.TooWeak, "came in with 10 %", false},
	} {
		l := lesson.New([]string{"power"}, 1)
		take, _ := l.Hear(book, c.press, knows)
		assert.Equal(t, c.want, take.Verdict)
		assert.Contains(t, take.Text, c.says)
		learned, err := l.Allow(book, knows)
		if c.allow {
			require.NoError(t, err)
			assert.NotNil(t, learned, "it was on purpose")
		} else {
			assert.ErrorIs(t, err, lesson.ErrNoKey)
		}
	}
}

func TestLesson_SameCodeOnPurposeIsAskedOnceForAKey(t *testing.T) {
	l := lesson.New([]string{"power", "on"}, 2)
	known := nec(2)
	known.Known = "red"
	l.Hear(book, known, lesson.Knows{})
	learned, err := l.Allow(book, lesson.Knows{})
	require.NoError(t, err)
	assert.Nil(t, learned, "it is the first take")
	_, learned = l.Hear(book, known, lesson.Knows{})
	require.NotNil(t, learned)
	l.Keep(device.Code{})
	take, _ := l.Hear(book, known, lesson.Knows{})
	assert.Equal(t, lesson.OtherKey, take.Verdict, "for the next key it is asked again")
}

func TestLesson_AWholeStateIsTakenAsItIs(t *testing.T) {
	state := func(seed uint64) lesson.Press {
		train := signal.Train{3500, 1700}
		for i := range 64 {
			space := 430
			if seed*0x9E3779B97F4A7C15>>i&1 == 1 {
				space = 1300
			}
			train = append(train, 430, space)
		}
		p := lesson.Press{Medium: line.Infrared, Trains: []signal.Reception{{Train: append(train, 430)}}}
		p.Describe()
		return p
	}
	l := lesson.New([]string{"cooler"}, 2)
	l.Hear(book, state(0b1010011), lesson.Knows{})
	take, learned := l.Hear(book, state(0b1110001), lesson.Knows{})
	assert.Equal(t, lesson.FullState, take.Verdict)
	require.NotNil(t, learned)
	assert.Len(t, learned.Structure.Bits[0], 64)
}

func TestLesson_PausesAndComesBackFromJSON(t *testing.T) {
	l := lesson.New([]string{"a", "b"}, 2)
	l.Hear(book, raw(500, 700, 510, 1500), lesson.Knows{})
	require.NoError(t, l.Pause())
	assert.Contains(t, l.Prompt(), `goes on with "a"`)
	data, err := json.Marshal(l)
	require.NoError(t, err)
	var again lesson.Lesson
	require.NoError(t, json.Unmarshal(data, &again))
	require.NoError(t, again.Restore())
	require.NoError(t, again.Resume())
	_, learned := again.Hear(book, raw(510, 690, 500, 1510), lesson.Knows{})
	require.NotNil(t, learned, "the take before the break counts")
}

func TestFree_KeysComeInAnyOrderAndAreNamedLater(t *testing.T) {
	l := lesson.NewFree(2, []string{"key-1", "power"})
	press := func(p lesson.Press) (lesson.Take, bool) {
		take, learned := l.Hear(book, p, lesson.Knows{})
		if learned != nil {
			l.Keep(device.Code{})
		}
		return take, learned != nil
	}
	assert.Equal(t, "Press any key of the handset.", l.Prompt())
	take, _ := press(nec(2))
	assert.Equal(t, `A new key: "key-2". Let go, and press it again to be sure.`, take.Text)
	_, settled := press(nec(5))
	assert.False(t, settled, "another key")
	take, settled = press(nec(2))
	assert.True(t, settled)
	assert.Equal(t, `Learned as "key-2". Press another key, or name this one.`, take.Text)
	assert.Equal(t, "1 learned. Press once more what was pressed once, or another key.", l.Prompt())

	require.NoError(t, l.Name("key-2", "red"))
	require.NoError(t, l.Name("key-3", "amber"), "also before it is settled")
	require.ErrorIs(t, l.Name("amber", "red"), lesson.ErrTaken)
	require.ErrorIs(t, l.Name("amber", "power"), lesson.ErrTaken, "the device has it already")
	_, settled = press(nec(5))
	assert.True(t, settled)
	known := nec(2)
	known.Known = "red"
	take, _ = press(known)
	assert.Equal(t, `That is "red", which is learned already. Press another key.`, take.Text)
	press(raw(500, 1500, 500, 500, 1500, 500))
	require.NoError(t, l.Drop("key-2"), "a press by mistake")
	assert.Len(t, l.Keys, 2)
	assert.Equal(t, "2 learned. Press another key, or name these.", l.Prompt())

	short := lesson.Press{Medium: line.Infrared, Trains: []signal.Reception{{Train: signal.Train{500, 500, 500}}}}
	take, _ = press(short)
	assert.Equal(t, lesson.TooShort, take.Verdict)
	assert.Contains(t, take.Text, "Press the key once, firmly")
	for _, step := range []func() error{l.Skip, l.Back, func() error { return l.Redo("red") },
		func() error { return l.Add("x") }} {
		require.ErrorIs(t, step(), lesson.ErrNoKey)
	}
	l.Finish()
	assert.True(t, l.Over())
	assert.Equal(t, "Done: 2 of 2 keys learned.", l.Prompt())
	require.ErrorIs(t, lesson.New([]string{"power"}, 2).Name("power", "on"), lesson.ErrNoKey)
}

// TestLesson_ASettledKeyThatIsAskedForAgainStaysLearned: redo and finish said that no key was learned.
func TestLesson_ASettledKeyThatIsAskedForAgainStaysLearned(t *testing.T) {
	for name, leave := range map[string]func(*lesson.Lesson){
		"finish": func(l *lesson.Lesson) { l.Finish() },
		"skip":   func(l *lesson.Lesson) { require.NoError(t, l.Skip()) },
		"redo":   func(l *lesson.Lesson) { require.NoError(t, l.Redo("red")) },
	} {
		l := lesson.New([]string{"power", "red"}, 1)
		l.Hear(book, nec(2), lesson.Knows{})
		l.Keep(device.Code{Sheet: "nec"})
		require.NoError(t, l.Redo("power"))
		leave(l)
		assert.Equal(t, lesson.Settled, l.State("power"), name)
	}
	l := lesson.New([]string{"power"}, 1)
	l.Hear(book, nec(2), lesson.Knows{})
	l.Keep(device.Code{Sheet: "nec"})
	require.NoError(t, l.Redo("power"))
	l.Finish()
	assert.Equal(t, "Done: 1 of 1 key learned.", l.Prompt())
}

// TestLesson_WhatIsTakenOnPurposeInAFreeLessonIsForThatKeyAlone: one accept allowed that verdict for good.
func TestLesson_WhatIsTakenOnPurposeInAFreeLessonIsForThatKeyAlone(t *testing.T) {
	held := func(command int64) lesson.Press {
		p := nec(command)
		p.Trains = []signal.Reception{{Train: signal.Train{1_000_000, 700_000, 500}}}
		return p
	}
	l := lesson.NewFree(2, nil)
	take, _ := l.Hear(book, held(2), lesson.Knows{})
	require.Equal(t, lesson.TooLong, take.Verdict)
	_, err := l.Allow(book, lesson.Knows{})
	require.NoError(t, err)
	require.Len(t, l.Keys, 1)
	take, _ = l.Hear(book, held(3), lesson.Knows{})
	assert.Equal(t, lesson.TooLong, take.Verdict, "another key is refused as before")
	_, learned := l.Hear(book, held(2), lesson.Knows{})
	assert.NotNil(t, learned, "the same key is taken again")
}

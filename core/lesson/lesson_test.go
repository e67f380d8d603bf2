package lesson_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/bench"
	"urbo/core/lesson"
	"urbo/core/line"
	"urbo/core/signal"
)

var book = line.Builtin()

// nec is a press of a key in a line code.
func nec(command int64) lesson.Press {
	fields := line.Fields{"address": line.Number(57), "command": line.Number(command)}
	return lesson.Press{Medium: line.Infrared, Trains: []signal.Heard{{Train: make(signal.Train, 67)}},
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
	for range 6 {
		train = append(train, durations...)
	}
	trains := []signal.Heard{{Train: append(train, 500), Gap: 25_000}}
	s, err := bench.Describe(trains)
	if err != nil {
		panic(err)
	}
	return lesson.Press{Medium: line.Infrared, Trains: trains, Structure: &s}
}

func TestLesson_TwoAgreeingTakesSettleAKey(t *testing.T) {
	l := lesson.New([]string{"power", "red"}, 2)
	assert.Equal(t, `Press "power" on the handset.`, l.Prompt())
	take, learned := l.Hear(book, nec(2))
	assert.Equal(t, lesson.Accepted, take.Verdict)
	assert.Nil(t, learned)
	assert.Equal(t, `Press "power" again.`, l.Prompt())

	_, learned = l.Hear(book, nec(2))
	require.NotNil(t, learned)
	assert.Equal(t, "nec", learned.Reading.Sheet)
	assert.Equal(t, "power", l.Asked(), "it counts only when it is kept")
	l.Keep(*learned)
	assert.Equal(t, "red", l.Asked())
	assert.Equal(t, lesson.Settled, l.Keys[0].State)
}

func TestLesson_AWrongFirstTakeIsOutvoted(t *testing.T) {
	l := lesson.New([]string{"power"}, 2)
	l.Hear(book, nec(9))
	take, learned := l.Hear(book, nec(2))
	assert.Equal(t, lesson.Differs, take.Verdict)
	assert.Nil(t, learned)
	_, learned = l.Hear(book, nec(2))
	require.NotNil(t, learned)
	assert.Equal(t, line.Number(2), learned.Reading.Fields["command"])
}

func TestLesson_FiveDifferentTakesBlameTheBattery(t *testing.T) {
	l := lesson.New([]string{"power"}, 2)
	for n := range int64(4) {
		l.Hear(book, nec(n))
	}
	take, learned := l.Hear(book, nec(4))
	assert.Nil(t, learned)
	assert.Contains(t, l.Last.Text, "battery")
	assert.Equal(t, l.Last.Text, take.Text)
}

func TestLesson_RefusalsSayWhatToDo(t *testing.T) {
	held := lesson.Press{Held: "nec", Trains: []signal.Heard{{Train: signal.Train{9000, 2250, 560}}}}
	short := lesson.Press{Trains: []signal.Heard{{Train: signal.Train{500, 500, 500}}}}
	known := nec(2)
	known.Known = "red"
	for _, c := range []struct {
		press lesson.Press
		want  lesson.Verdict
		says  string
	}{
		{held, lesson.OnlyRepeats, "only the end of the press"},
		{short, lesson.TooShort, "10 cm from the receiver"},
		{reading("roll56"), lesson.Rolling, "cannot be replayed"},
		{reading("hop66"), lesson.Rolling, "cannot be replayed"},
		{reading("sense-c8"), lesson.Sensor, "a sensor's measurement"},
		{known, lesson.OtherKey, `the code of "red", which is learned already. Press "power" now`},
	} {
		l := lesson.New([]string{"power"}, 2)
		take, _ := l.Hear(book, c.press)
		assert.Equal(t, c.want, take.Verdict)
		assert.Contains(t, take.Text, c.says)
		assert.Empty(t, l.Takes, "a refused press is no take")
	}
}

func TestLesson_WithoutALineCodeTheStructureIsKept(t *testing.T) {
	l := lesson.New([]string{"a"}, 2)
	take, _ := l.Hear(book, raw(500, 700, 510, 1500))
	assert.Equal(t, lesson.Accepted, take.Verdict)
	take, learned := l.Hear(book, raw(520, 1500, 500, 700))
	assert.Equal(t, lesson.Differs, take.Verdict)
	assert.Nil(t, learned)
	_, learned = l.Hear(book, raw(540, 660, 530, 1460))
	require.NotNil(t, learned)
	assert.Nil(t, learned.Reading)
	assert.Equal(t, []string{"010101010101"}, learned.Structure.Bits)
	assert.InDelta(t, 400, learned.Structure.Unit, 20, "all takes vote: sums of 1200 and 2000 µs are 3 and 5 units")
	assert.Equal(t, 1, learned.Structure.Frames, "a press sends one, though two takes were heard")
	assert.Contains(t, learned.Words(), "12 bits")
}

func TestLesson_BrokenTakesSayNothingOnceACodeWasRead(t *testing.T) {
	l := lesson.New([]string{"power"}, 2)
	l.Hear(book, raw(500, 700, 510, 1500)) // a weak battery: this one broke up
	take, learned := l.Hear(book, nec(2))
	assert.Equal(t, lesson.Accepted, take.Verdict, "the first clear take")
	assert.Nil(t, learned)
	take, learned = l.Hear(book, raw(500, 700, 510, 1500))
	assert.Equal(t, lesson.Unclear, take.Verdict, "two broken takes alike do not win over a clear one")
	assert.Nil(t, learned)
	_, learned = l.Hear(book, nec(2))
	require.NotNil(t, learned)
	assert.Equal(t, "nec", learned.Reading.Sheet)
}

func TestLesson_RadioKeepsTheMeasuredUnit(t *testing.T) {
	press := func(unit float64) lesson.Press {
		return lesson.Press{Medium: line.Radio, Trains: []signal.Heard{{Train: make(signal.Train, 99)}}, Readings: []line.Reading{
			{Sheet: "pt2262", Fields: line.Fields{"values": line.Text("0F10F10F10F1")}, Frames: 4, Confidence: 0.99, Unit: unit}}}
	}
	l := lesson.New([]string{"on"}, 2)
	l.Hear(book, press(358))
	_, learned := l.Hear(book, press(362))
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
	_, learned := l.Hear(book, nec(1))
	require.NotNil(t, learned, "one take is enough where one is needed")
	l.Keep(*learned)
	assert.True(t, l.Over())
	assert.Equal(t, "Done: 1 of 2 keys are learned.", l.Prompt())

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

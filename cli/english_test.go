package cli

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"urbo/core/device"
	"urbo/core/happening"
	"urbo/core/lesson"
	"urbo/core/plain"
	"urbo/core/recording"
	"urbo/core/signal"
	"urbo/wire"
)

// things are the words that are counted anywhere.
const things = `key|press|pulse|frame|device|code set|session|duration|train|argument|bit|entry|time|reading|repeat`

var (
	oneOfMany = regexp.MustCompile(`\b1 (other |stray )?(` + things + `)(s|es)\b|\b1 entries\b`)
	manyOfOne = regexp.MustCompile(`\b(0|2) (other |stray )?(` + things + `)\b`)
)

// TestMessages_CountRightly looks at what is said with none, one, and two of a thing.
func TestMessages_CountRightly(t *testing.T) {
	for n := range 3 {
		codes := make([]wire.Code, n)
		l := lesson.New([]string{"on", "off"}[:max(n, 1)], 2)
		l.Finish()
		readings := make([]wire.Reading, n+1)
		for i := range readings {
			readings[i] = wire.Reading{Sheet: "nec", Frames: n, ToUS: 9}
		}
		repeats := n
		texts := []string{
			plain.Count(n, "key", "keys"), code(wire.Code{Sheet: "nec", Repeats: &repeats}), listed(codes),
			tell(happening.DeviceRemoved{Title: "Lamp", Keys: n}), tell(happening.PackImported{Devices: n, Sets: n}),
			tell(happening.RecordingOpened{Recording: "x", Presses: n, Different: n}), l.Prompt(),
			heardLine(wire.Capture{Readings: readings, Trains: []signal.Reception{{Train: signal.Train{1, 1, 1}}}}),
			args(9, 9, "nine")(nil, make([]string, n)).Error(),
			learned(wire.DeviceLine{KeysTotal: n, KeysLearned: n}),
		}
		for _, text := range texts {
			assert.NotRegexp(t, oneOfMany, text)
			assert.NotRegexp(t, manyOfOne, text)
		}
	}
	assert.Equal(t, "an amplifier", plain.A("amplifier"))
	assert.Equal(t, "a light", plain.A("light"))
	assert.Equal(t, "device of another kind", kindLabel("other"))
	assert.Equal(t, "0 µs", stretch(-0.3))
	assert.Equal(t, "+2 µs", stretch(1.6))
	for _, k := range device.Kinds() {
		assert.NotContains(t, plain.A(kindLabel(k.Name)), "a a")
	}
}

func tell(w happening.What) string { l, _ := w.Tell(); return l.Text }

func listed(in []wire.Code) string { return strings.TrimSpace(codes(in)) }

func TestShrink_TakesFromTheWidestAndStopsInTime(t *testing.T) {
	widths, words := []int{12, 40, 8}, []int{10, 7, 8}
	shrink(widths, words, 60)
	assert.Equal(t, []int{12, 40, 8}, widths, "all fits")
	shrink(widths, words, 40)
	assert.Equal(t, []int{12, 20, 8}, widths)
	shrink(widths, words, 3)
	assert.Equal(t, words, widths, "no narrower than the longest word")
}

func TestTally_SaysWhichReadingToTrust(t *testing.T) {
	reading := func(sheet string, confidence float64) wire.Reading {
		return wire.Reading{Sheet: sheet, Fields: map[string]any{"command": 1}, Confidence: confidence}
	}
	press := func(readings ...wire.Reading) wire.Capture {
		return wire.Capture{Readings: readings, Keys: []wire.KeyRef{{Device: "lamp", Key: "on"}}}
	}
	var all tally
	all.add(press(reading("nec", 1), reading("nec32", 0.5)))
	all.add(press(reading("nec", 0.9), reading("nec32", 0.5)))
	all.add(press(reading("nec32", 0.5)))
	got := all.result()
	assert.Equal(t, counted{"nec command=1", 2, 2, 1, "lamp/on", true}, *got[0])
	assert.Equal(t, counted{"nec32 command=1", 3, 1, 0.5, "lamp/on", false}, *got[1])

	var mixed tally
	mixed.add(press(reading("nec", 1)))
	mixed.add(press(reading("rc5", 1)))
	assert.False(t, mixed.result()[0].Trust, "as often as another")
	assert.Empty(t, (&tally{}).result())
}

func TestWhose_NeverOffersARollingCodeAsAKey(t *testing.T) {
	heard := wire.Capture{ID: "x", Readings: []wire.Reading{{Sheet: "roll56", Rolling: true}}}
	assert.Contains(t, whose(heard), "urbo device follow DEVICE/KEY --capture x")
	assert.NotContains(t, whose(heard), "device code")
	heard.Readings[0].Rolling = false
	assert.Contains(t, whose(heard), "urbo device code DEVICE/KEY --capture x")
}

func TestForFile_TakesEachFileByItsKind(t *testing.T) {
	samples := recording.Options{RateHz: 2.4e6, Datatype: "cu8", FrequencyHz: 433e6, Format: "iq"}
	assert.Equal(t, samples, forFile("air.cu8#2", samples))
	assert.Equal(t, samples, forFile("whatever", samples))
	assert.Zero(t, forFile("power.wav#1", samples))
	assert.Equal(t, "text", forFile("x.txt", recording.Options{Format: "text"}).Format)
}

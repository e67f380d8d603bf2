package signal_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"urbo/core/signal"
)

func TestParseText_AnyUsualNotation(t *testing.T) {
	want := signal.Train{9024, 4512, 564}
	for _, text := range []string{
		"9024/4512 564", "9024 4512 564", "9024,4512,564", "[9024, 4512, 564]", "+9024 -4512 +564", "9024 -4512 564",
		"{9024,-4512,564}", "(0x2340; 0x11a0; 0b1000110100)", "-12000 +9024 -4512 +564", "[9024,\n 4512,\n 564]",
	} {
		got, err := signal.ParseText(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got.Train, text)
		assert.Zero(t, got.Gap, text)
	}
	got, err := signal.ParseText("9024 4512 564 41000")
	require.NoError(t, err)
	assert.Equal(t, signal.Text{Train: want, Gap: 41000, Notation: "decimal µs, mark and space in turn"}, got,
		"a space at the end is the silence after the train")
}

func TestParseText_SaysAtWhichNumberAndWhy(t *testing.T) {
	for text, says := range map[string]string{
		"500 x 500":                  `number 2 is "x"`,
		"500 1.5":                    `number 2 is "1.5"`,
		"500 0 500":                  "number 2 is 0",
		"500 99999999 500":           "number 2 is 99999999",
		"+500 +400 -300":             "number 2 is a mark and so was the one before",
		"+500 -400 -300":             "number 3 is a space and so was the one before",
		"500 --400":                  `number 2 is "--400"`,
		"-500":                       "no mark",
		"[]":                         "no numbers",
		"500 99999999999999999999":   "number 2 is",
		strings.Repeat("500 ", 5000): "the most is 4096",
	} {
		_, err := signal.ParseText(text)
		assert.ErrorIs(t, err, signal.ErrMalformed)
		assert.ErrorContains(t, err, says)
	}
}

func scan(text string) ([]signal.Text, error) {
	s := signal.NewScanner(strings.NewReader(text))
	var out []signal.Text
	for s.Scan() {
		out = append(out, s.Text())
	}
	return out, s.Err()
}

func TestScanner_ALineIsATrainUnlessABracketIsOpenOrItEndsInAComma(t *testing.T) {
	got, err := scan("\ufeff100 200 300\r\n\n# a remark\n[100,\n 200\n 300]\n100, 200,\n300\n+1 -2 +3\n")
	require.NoError(t, err)
	require.Len(t, got, 4)
	assert.Equal(t, []int{1, 4, 7, 9}, []int{got[0].Line, got[1].Line, got[2].Line, got[3].Line})
	assert.Equal(t, signal.Train{100, 200, 300}, got[1].Train)
	assert.Equal(t, signal.Train{100, 200, 300}, got[2].Train)
}

func TestScanner_ErrorsNameTheLine(t *testing.T) {
	for text, says := range map[string]string{
		"1 2 3\n4 5 six": "line 2", "1 2 3\n[4 5\n6": "line 2: malformed train: a bracket is opened",
		"1 2]":                     "line 1: malformed train: a bracket is closed",
		strings.Repeat("1", 2<<20): "line 1",
	} {
		_, err := scan(text)
		assert.ErrorContains(t, err, says)
	}
	got, err := scan("1 2 3\nbad\n")
	assert.Error(t, err)
	assert.Len(t, got, 1, "what came before the error is kept")
}

func TestTrain_PrintsInPairsAndReadsItselfBack(t *testing.T) {
	assert.Equal(t, "9024/4512 564/564 564", signal.Train{9024, 4512, 564, 564, 564}.String())
	assert.Equal(t, "1/2 3/4 5/6 7/8 … 39/40 41", upTo(41).Short())
	rapid.Check(t, func(t *rapid.T) {
		train := signal.Train(rapid.SliceOfN(rapid.IntRange(1, signal.MaxDuration), 1, 99).Draw(t, "train"))
		if len(train)%2 == 0 {
			train = train[1:]
		}
		got, err := signal.ParseText(train.String())
		require.NoError(t, err)
		require.Equal(t, train, got.Train)
	})
}

func upTo(n int) signal.Train {
	t := make(signal.Train, n)
	for i := range t {
		t[i] = i + 1
	}
	return t
}

func TestSplitAndFlatten_AreEachOthersWayBack(t *testing.T) {
	heard := []signal.Reception{{Train: signal.Train{1, 2, 3}, Gap: 30_000}, {Train: signal.Train{4}, Gap: 300_000}}
	flat := signal.Flatten(heard)
	assert.Equal(t, []int{1, 2, 3, 30_000, 4, 300_000}, flat)
	assert.Equal(t, heard, signal.Split(flat, 20_000))
	assert.Equal(t, []int{5, signal.UnknownGap, 6, signal.PressSilence},
		signal.Flatten([]signal.Reception{{Train: signal.Train{5}}, {Train: signal.Train{6}}}),
		"gaps that nobody saw")
}

func TestAgree_ForgivesJitterAndStretchButNotBits(t *testing.T) {
	a := signal.Train{9000, 4500, 560, 560, 560, 1690, 560}
	assert.True(t, signal.Agree(a, signal.Train{9200, 4400, 650, 470, 640, 1600, 660}))
	assert.False(t, signal.Agree(a, signal.Train{9000, 4500, 560, 1690, 560, 560, 560}))
	assert.False(t, signal.Agree(a, a[:5]))
	assert.False(t, signal.Agree(nil, nil))
}

func TestMedian_IsPerDuration(t *testing.T) {
	assert.Equal(t, signal.Train{10, 20, 30}, signal.Median(signal.Train{10, 25, 30}, signal.Train{9, 20, 90},
		signal.Train{11, 19, 29}))
	assert.Equal(t, signal.Train{15}, signal.Median(signal.Train{10}, signal.Train{20}))
	assert.Nil(t, signal.Median(signal.Train{1}, signal.Train{1, 2, 3}))
}

func FuzzScanner(f *testing.F) {
	f.Add("9024/4512 564/564 564\n[1,2,\n3]")
	f.Add("+1 -2 +3 -4\n0x10, 0b11,")
	f.Fuzz(func(t *testing.T, text string) {
		got, _ := scan(text)
		for _, g := range got {
			require.NoError(t, g.Train.Check())
		}
	})
}

package speech

import (
	"encoding/binary"
	"errors"
	"math"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// tone is so many samples of something loud.
func tone(n int) []int16 {
	out := make([]int16, n)
	for i := range out {
		out[i] = int16(9000 * math.Sin(float64(i)/7))
	}
	return out
}

func TestReadWAV_TakesWhatIsThere(t *testing.T) {
	t.Parallel()
	x := tone(Rate)
	good := WriteWAV(x)
	got, err := ReadWAV(good)
	require.NoError(t, err)
	assert.Equal(t, x, got)
	for _, length := range []uint32{0x7fffffff, 0xffffffff, uint32(2*Rate) + 1} { // recorders that write into a pipe
		lies := append([]byte{}, good...)
		binary.LittleEndian.PutUint32(lies[40:], length)
		got, err := ReadWAV(lies)
		require.NoError(t, err)
		assert.Equal(t, x, got)
	}
	more := append(append(append([]byte{}, good[:12]...), "LIST\x03\x00\x00\x00abc\x00"...), good[12:]...)
	got, err = ReadWAV(more)
	require.NoError(t, err)
	assert.Equal(t, x, got, "other chunks are passed over")
}

func TestReadWAV_SaysWhatIsWrong(t *testing.T) {
	t.Parallel()
	good := WriteWAV(tone(Rate))
	change := func(at int, to byte) []byte {
		out := append([]byte{}, good...)
		out[at] = to
		return out
	}
	for says, file := range map[string][]byte{"no WAV": []byte("RIFF"), "2 channels": change(22, 2),
		"8 bits":              change(34, 8),
		"before their format": append(append([]byte{}, good[:12]...), good[36:]...), "before its samples": good[:36],
		"too short": WriteWAV(tone(100)), "nothing is heard": WriteWAV(make([]int16, Rate)),
		"longer than": WriteWAV(tone(11 * Rate)), "longer": make([]byte, MaxBytes+1)} {
		_, err := ReadWAV(file)
		assert.ErrorIs(t, err, ErrRecording)
		assert.ErrorContains(t, err, says)
	}
}

func FuzzReadWAV(f *testing.F) {
	f.Add(WriteWAV(tone(Rate / 2)))
	f.Add([]byte("RIFF\x00\x00\x00\x00WAVEdata\xff\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, file []byte) {
		x, err := ReadWAV(file)
		if err == nil {
			assert.NoError(t, Check(x))
		}
	})
}

const few = "turn T ER N\ndome D OW M\ndoor D AO R\nboard B AO R D\nwalk W AO K\nagain AH G EH N\nagain(2) AH G EY " +
	"N\na AH\n"

func TestPronounce_KnownWordsAndOthers(t *testing.T) {
	t.Parallel()
	for word, want := range map[string][]string{"turn": {"T ER N"}, "again": {"AH G EH N", "AH G EY N"},
		"boardwalk": {"B AO R D W AO K"},    // two words that are known
		"hdmi":      {"EY CH D IY EH M AY"}, // letter by letter
		"tv":        {"T IY V IY"}, "2": {"T UW"}, "21": {"T W EH N T IY W AH N"},
		"100":     {"W AH N Z IH R OW Z IH R OW"},
		"lantern": {"L AE N T ER N"}, "beacon": {"B IY K AA N"}, "shade": {"SH EY D"}, "dôme": {"D OW M"},
		"door2": {"D AO R T UW"}} {
		got, err := Pronounce([]string{word}, strings.NewReader(few))
		require.NoError(t, err)
		assert.Equal(t, want, got[word], word)
	}
	got, err := Pronounce([]string{"дом", "%", "turn"}, nil)
	require.NoError(t, err)
	assert.Len(t, got, 1, "what has no letter of ours is left out, and the rest needs no dictionary")
	_, err = Pronounce([]string{"turn"}, iotest.ErrReader(errors.New("gone")))
	assert.ErrorContains(t, err, "gone")
}

func TestDictionary_IsSorted(t *testing.T) {
	t.Parallel()
	p, err := Pronounce([]string{"turn", "again"}, strings.NewReader(few))
	require.NoError(t, err)
	assert.Equal(t, "again AH G EH N\nagain(2) AH G EY N\nturn T ER N\n", p.Dictionary())
}

package recording

import (
	"io"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// hostile is a head and then the same again and again, up to a size; it notes the most memory that was in use.
type hostile struct {
	head, body string
	left       int
	most       uint64
	reads      int
}

func (e *hostile) Read(p []byte) (int, error) {
	if e.reads++; e.reads%64 == 0 {
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		e.most = max(e.most, m.HeapAlloc)
	}
	if e.head != "" {
		n := copy(p, e.head)
		e.head = e.head[n:]
		return n, nil
	}
	if e.left <= 0 {
		return 0, io.EOF
	}
	n := 0
	for n < len(p) {
		n += copy(p[n:], e.body)
	}
	e.left -= n
	return n, nil
}

// TestOpen_HostileFilesTakeLittleMemory: a table without line ends was read whole, gigabytes of it.
func TestOpen_HostileFilesTakeLittleMemory(t *testing.T) {
	for name, c := range map[string]struct{ head, body, says string }{
		"a table without line ends": {"time,level\n", "\x00", "a row of more than 65536 bytes"},
		"a head without an end":     {"time,", "level,", ""},
		"a table of one column too many": {"time" + strings.Repeat(",l", 999) + "\n", "1\n",
			"1000 columns, the most is 256"},
		"a list of numbers without an end": {"9000 4500 ", "560 560 ", ""},
		"a dump's section without an end":  {"$comment ", "word ", ""},
		"a dump of a million wires":        {"$timescale 1 us $end\n", "$var wire 1 ! a $end\n", ""},
		"an array without an end":          {"const int key[] = {", "560, ", ""},
	} {
		t.Run(name, func(t *testing.T) {
			runtime.GC()
			in := &hostile{head: c.head, body: c.body, left: 24 << 20}
			r, err := Open("x", in, Options{})
			if err == nil {
				for r.Scan() {
				}
				err = r.Err()
			}
			require.Error(t, err)
			assert.ErrorContains(t, err, c.says)
			assert.Less(t, in.most, uint64(20<<20))
		})
	}
}

func TestOpen_NamesInAFileMoveNoCursor(t *testing.T) {
	const dump = "$timescale 1 us $end $var wire 1 ! a\u009b2Jb $end $enddefinitions $end #0 0! #100 1! #200 0!"
	r, err := Open("x.vcd", strings.NewReader(dump), Options{})
	require.NoError(t, err)
	for r.Scan() {
	}
	require.NoError(t, r.Err())
	assert.Equal(t, "a�2Jb", r.Info.Channel)
	assert.Equal(t, []string{"a�2Jb"}, r.Info.Channels)
	_, err = Open("x.csv", strings.NewReader("time,a\u202e\n0,1\n1,0\n"), Options{Channel: "nope"})
	require.ErrorContains(t, err, "there are a�")
}

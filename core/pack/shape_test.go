package pack_test

import (
	"fmt"
	"io"
	"runtime"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/pack"
)

// repeated is a text that is made while it is read: a file of any size.
type repeated struct {
	head, body, tail string
	times            int
	now              string
	heap             *atomic.Uint64 // the most memory that was in use while it was read
}

func (r *repeated) Read(p []byte) (int, error) {
	for r.now == "" {
		switch {
		case r.head != "":
			r.now, r.head = r.head, ""
		case r.times > 0:
			r.now, r.times = r.body, r.times-1
			if r.times%1000 == 0 {
				var m runtime.MemStats
				runtime.ReadMemStats(&m)
				r.heap.Store(max(r.heap.Load(), m.HeapAlloc))
			}
		case r.tail != "":
			r.now, r.tail = r.tail, ""
		default:
			return 0, io.EOF
		}
	}
	n := copy(p, r.now)
	r.now = r.now[n:]
	return n, nil
}

// TestRead_HostilePacksTakeLittleMemory: what is refused is refused where it stands, before it has become large.
func TestRead_HostilePacksTakeLittleMemory(t *testing.T) {
	const head = `{"format":"urbo pack","version":"1.1","devices":[`
	const first = head + `{"slug":"a","name":"A","keys":[`
	for _, c := range []struct{ head, body, tail, says string }{ // without a tail: 64 MB of it, else 1 MB
		{head, "{},", "", "devices[0]"},
		{head + `{"slug":"a",`, `"x":1,`, "", "one device of more than 8 MB"},
		{head + `{"slug":"a","notes":"`, "all the same ", "", "one device of more than 8 MB"},
		{`{"format":"urbo pack","version":"1.1",`, `"x":1,`, "", "1000 members"},
		{`{"format":"urbo pack","version":"1.1","x":[`, `1,`, "", "of more than 8 MB"},
		{`[`, `1,`, "", "is this a pack at all?"},
		{`{"format":"urbo pack","version":"1.1","devices":[],"devices":[`, `{},`, "", "devices[0]"},
		{"", "[", "", "is this a pack at all?"},
		{first, "{},", `{}]}]}`, `"keys" has more than 200 entries`},
		{first + `{"name":"b","codes":[`, "{},", `{}]}]}]}`, `"codes" has more than 8 entries`},
		{first + `{"name":"b","codes":[{"carrier_hz":38000,"train":[`, "1,", `1]}]}]}]}`,
			`"train" has more than 4096 entries`},
		{first + `{"name":"b","x":{"y":[`, "[],", `[]]}}]}]}`, `"y" has more than 1000 entries`},
		{head + `{"slug":"a","face":[`, "[],", `[]]}]}`, `"face" has more than 60 entries`},
		{head + `{"slug":"a",`, `"x":1,`, `"x":1}]}`, "more than 1000 members"},
	} {
		size := 64 << 20
		if c.tail != "" {
			size = 1 << 20
		}
		var most atomic.Uint64
		runtime.GC()
		_, err := pack.Read(&repeated{head: c.head, body: c.body, tail: c.tail, times: size / len(c.body), heap: &most},
			line.Builtin())
		require.ErrorIs(t, err, pack.ErrPack, c.head)
		assert.ErrorContains(t, err, c.says, c.head)
		assert.Less(t, most.Load(), uint64(120<<20), c.head)
	}
}

func TestScan_KeepsNothing(t *testing.T) {
	key := `{"name":"k%d","codes":[{"sheet":"nec","fields":{"address":1,"command":2}}]}`
	keys := make([]string, 100)
	for i := range keys {
		keys[i] = fmt.Sprintf(key, i)
	}
	text := strings.Builder{}
	text.WriteString(`{"format":"urbo pack","version":"1.1","sets":[`)
	for i := range 200 {
		if i > 0 {
			text.WriteByte(',')
		}
		fmt.Fprintf(&text, `{"slug":"s%d","name":"S","kind":"fan","keys":[%s]}`, i, strings.Join(keys, ","))
	}
	text.WriteString("]}")
	n := 0
	head, err := pack.Scan(strings.NewReader(text.String()), line.Builtin(), func(set bool, d device.Device) {
		assert.True(t, set)
		n += len(d.Keys)
	})
	require.NoError(t, err)
	assert.Equal(t, 20_000, n)
	assert.Empty(t, head.Sets)
}

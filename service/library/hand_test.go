package library_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/notation"
	"urbo/core/signal"
	"urbo/service/library"
)

// TestWrite_KeepsDurationsThatAreALineCodeAsThat: kept as durations they could not be held, and were not recognised.
func TestWrite_KeepsDurationsThatAreALineCodeAsThat(t *testing.T) {
	l := open(t, t.TempDir())
	l.add(device.Device{Slug: "lamp", Name: "Lamp", Kind: "light"}, "on")
	s, err := line.Builtin().Sheet("nec")
	require.NoError(t, err)
	b, err := s.Encode(nec(7).Fields)
	require.NoError(t, err)
	write := func(h library.Hand) (device.Code, []string) {
		t.Helper()
		d, remarks, err := l.Write(t.Context(), ref("lamp", "on"), h, note)
		require.NoError(t, err)
		k, err := d.Key("on")
		require.NoError(t, err)
		return k.Codes[0], remarks
	}
	code, remarks := write(library.Hand{Text: signal.Train(b.Once[:len(b.Once)-1]).String()})
	assert.Equal(t, "nec", code.Sheet)
	assert.Equal(t, nec(7).Fields, code.Fields)
	assert.Equal(t, []string{"These durations are nec address=9 command=7, and are kept as that."}, remarks)

	code, remarks = write(library.Hand{Text: "2000/1000 350/700 350"})
	assert.Empty(t, code.Sheet)
	assert.Len(t, code.Train, 5)
	assert.Contains(t, remarks[0], "cannot be held")

	code, remarks = write(library.Hand{Text: "nec 0x20DF10EF", Repeats: device.Repeated(3)})
	assert.Equal(t, line.Number(4), code.Fields["address"])
	assert.Equal(t, 3, *code.Repeats)
	assert.Contains(t, remarks[0], "the first bit sent is the highest: nec address=4 command=8")

	var pasted strings.Builder
	pasted.WriteString("my old lamp, power key\n")
	for i, us := range b.Once[:len(b.Once)-1] {
		fmt.Fprintf(&pasted, "%s %d us\n", []string{"mark", "space"}[i%2], us)
	}
	code, remarks = write(library.Hand{Text: pasted.String()})
	assert.Equal(t, "nec", code.Sheet, "as people paste it")
	assert.Contains(t, strings.Join(remarks, " "), "It was understood as")
	_, remarks = write(library.Hand{Text: "nec address=4 command=8"})
	assert.Empty(t, remarks, "there is nothing to explain")
	_, _, err = l.Write(t.Context(), ref("lamp", "on"), library.Hand{Text: "nec 0x20DF10EE"}, note)
	assert.ErrorIs(t, err, notation.ErrNotation)
}

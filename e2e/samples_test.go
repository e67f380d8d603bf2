package e2e

import (
	little "encoding/binary"
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/wire"
)

// TestOutpost_SamplesOfASoundCardAreAReceiver writes sound into a pipe, as another program would.
func TestOutpost_SamplesOfASoundCardAreAReceiver(t *testing.T) {
	t.Parallel()
	r := start(t, "", "serve")
	token := r.owner()
	var s wire.Station
	r.ok(&s, "station", "add", "shed")
	pipe := filepath.Join(t.TempDir(), "sound")
	require.NoError(t, syscall.Mkfifo(pipe, 0o600))
	begin(t, []string{"URBO_TOKEN=" + s.Secret}, binary, "outpost", "--to", r.url, "--samples", pipe, "--sound",
		"48k")
	w, err := os.OpenFile(pipe, os.O_RDWR, 0)
	require.NoError(t, err)
	defer w.Close()
	sheet, err := line.Builtin().Sheet("nec")
	require.NoError(t, err)
	b, err := sheet.Encode(line.Fields{"address": line.Number(77), "command": line.Number(3)})
	require.NoError(t, err)
	const rate = 48_000
	var samples []byte
	level := func(us int, v int16) {
		for range us * rate / 1_000_000 {
			samples = little.LittleEndian.AppendUint16(samples, uint16(v))
		}
	}
	level(500_000, 0)
	for i, us := range b.Once[:len(b.Once)-1] {
		level(us, int16(9000*(1-i%2)))
	}
	level(6_000_000, 0)
	_, err = w.Write(samples)
	require.NoError(t, err)
	var captures []wire.Capture
	require.Eventually(t, func() bool {
		return r.http(token, "GET", "/api/captures", nil, &captures) == 200 && len(captures) == 1
	}, patience, tick)
	assert.Equal(t, "shed", captures[0].Station)
	assert.Equal(t, "nec", captures[0].Readings[0].Sheet)

	for _, wrong := range [][]string{{"--samples", "-"}, {"--samples", "-", "--sound", "fast"}, {"--sound", "48000"},
		{"--samples", "-", "--iq", "cu8@x:y"}} {
		res := run(t, "", []string{"URBO_TOKEN=" + s.Secret}, append([]string{"outpost", "--to", r.url}, wrong...)...)
		assert.Equal(t, 2, res.code, wrong)
	}
}

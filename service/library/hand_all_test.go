package library_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/signal"
	"urbo/service/library"
)

func TestWriteAll_GivesEachNamedPressItsKey(t *testing.T) {
	l := open(t, t.TempDir())
	l.add(device.Device{Slug: "lamp", Name: "Lamp", Kind: "light"}, "on")
	train := func(command int64) string {
		s, err := line.Builtin().Sheet("nec")
		require.NoError(t, err)
		b, err := s.Encode(nec(command).Fields)
		require.NoError(t, err)
		return signal.Train(b.Once[:len(b.Once)-1]).String()
	}
	for name, text := range map[string]string{
		"titles":            "On\n" + train(1) + "\n\nVolume up\n" + train(2) + "\n",
		"JSON":              `{"on": [` + strings.ReplaceAll(strings.ReplaceAll(train(1), "/", ","), " ", ",") + `], "volume_up": [` + strings.ReplaceAll(strings.ReplaceAll(train(2), "/", ","), " ", ",") + `]}`,
		"lines with values": "# lamp\non: nec address=9 command=1\nVolume up = nec address=9 command=2\n",
	} {
		d, remarks, err := l.WriteAll(t.Context(), "lamp", library.Hand{Text: text}, note)
		require.NoError(t, err, name)
		for key, command := range map[string]int64{"on": 1, "volume-up": 2} {
			k, err := d.Key(key)
			require.NoError(t, err, name)
			assert.Equal(t, nec(command).Fields, k.Codes[0].Fields, name)
		}
		assert.Contains(t, strings.Join(remarks, "\n"), "volume-up: ", name)
	}

	before, err := l.Device("lamp")
	require.NoError(t, err)
	for text, why := range map[string]string{
		"On\n" + train(3) + "\n\n" + train(4):          "press 2 (line 4) has no name",
		"On\n" + train(3) + "\n\non:\n" + train(4):     "both called on",
		"On: nec address=9 command=3\nOff: nec addr=9": "",
		"nothing at all": "",
	} {
		_, _, err := l.WriteAll(t.Context(), "lamp", library.Hand{Text: text}, note)
		assert.ErrorContains(t, err, why, text)
	}
	after, err := l.Device("lamp")
	require.NoError(t, err)
	assert.Equal(t, before, after, "all or none")
}

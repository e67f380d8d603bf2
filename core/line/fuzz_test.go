package line_test

import (
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

// FuzzDecode hands the decoder any durations: it must neither panic nor trust noise beyond its rules.
func FuzzDecode(f *testing.F) {
	for _, c := range handWritten {
		text, err := signal.ParseText(c.train)
		if err != nil {
			f.Fatal(err)
		}
		var data []byte
		for _, d := range text.Train {
			data = binary.LittleEndian.AppendUint16(data, uint16(d))
		}
		f.Add(data)
	}
	book := line.Builtin()
	f.Fuzz(func(t *testing.T, data []byte) {
		var train signal.Train
		for len(data) >= 2 && len(train) < signal.MaxDurations {
			train = append(train, max(int(binary.LittleEndian.Uint16(data)), 1))
			data = data[2:]
		}
		if len(train)%2 == 0 {
			train = append(train, 1)
		}
		for _, r := range book.Decode([]signal.Reception{{Train: train}}).Readings {
			s, err := book.Sheet(r.Sheet)
			require.NoError(t, err)
			require.GreaterOrEqual(t, r.Confidence, 0.0)
			require.LessOrEqual(t, r.Confidence, 1.0)
			_, err = s.Complete(r.Fields)
			require.NoError(t, err, "what was read can be sent")
		}
	})
}

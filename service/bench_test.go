package service_test

import (
	"bytes"
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/recording"
	"urbo/station"
	"urbo/store"
	"urbo/wire"
)

// spare is a press of a handset that nobody has a name for: three frames of 14 bits.
func spare(bits string) string {
	frame := "2960/1480 "
	for _, b := range bits {
		if b == '1' {
			frame += "1110/740 "
		} else {
			frame += "370/740 "
		}
	}
	return strings.Repeat(frame+"370/31000 ", 3) + "\n"
}

// necText is a press of the lamp's kind of code, as text.
func necText(t *testing.T, command int64) string {
	t.Helper()
	s, err := line.Builtin().Sheet("nec")
	require.NoError(t, err)
	b, err := s.Encode(line.Fields{"address": line.Number(4), "command": line.Number(command)})
	require.NoError(t, err)
	var out bytes.Buffer
	for _, d := range b.Durations() {
		out.WriteString(strings.TrimSpace(line.Number(int64(d)).String()) + " ")
	}
	return out.String() + "\n"
}

func TestBench_ARecordingBecomesCaptures(t *testing.T) {
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	text := spare("10110010011000") + spare("10110010011000") + necText(t, 77)
	found, err := h.Bench.Import(t.Context(), `C:\drawer\`+"keys\x00.txt", strings.NewReader(text), recording.Options{}, "test")
	require.NoError(t, err)
	assert.Equal(t, 3, found.Presses)
	require.Len(t, found.Findings, 2)
	assert.Equal(t, 2, found.Findings[0].Count)

	listed := captures(t, h)
	require.Len(t, listed, 2)
	assert.Equal(t, "recording", listed[0].Station)
	assert.Equal(t, "keys.txt", listed[0].Port, "no folders and no control characters")

	unknown, err := h.Bench.Detail(t.Context(), found.Findings[0].CaptureID)
	require.NoError(t, err)
	require.NotNil(t, unknown.Code)
	assert.Equal(t, "10110010011000", unknown.Code.Fields["bits"])
	assert.Equal(t, "mark", unknown.Structure.Style)
	assert.Equal(t, 2, unknown.Capture.Count)
	known, err := h.Bench.Detail(t.Context(), found.Findings[1].CaptureID)
	require.NoError(t, err)
	assert.Equal(t, "nec", known.Code.Sheet)
	_, err = h.Bench.Detail(t.Context(), "nothing")
	assert.ErrorIs(t, err, store.ErrNotFound)

	c, err := h.Bench.Compare(t.Context(), found.Findings[0].CaptureID, found.Findings[1].CaptureID)
	require.NoError(t, err)
	assert.Equal(t, "different", c.Verdict)

	p, err := h.Bench.Send(t.Context(), found.Findings[0].CaptureID, "test")
	require.NoError(t, err)
	assert.Equal(t, wire.Sent, p.Outcome)
	assert.Equal(t, 39-8, len(b.sends[0].Repeat)-1, "one clean frame")
	assert.Equal(t, 3, b.sends[0].Repeats)

	d, err := h.Bench.Keep(t.Context(), found.Findings[0].CaptureID, wire.KeyRef{Device: "lamp", Key: "spare"}, "test")
	require.NoError(t, err)
	assert.Equal(t, "spare", d.Keys[len(d.Keys)-1].Name, "a key that was not there is added")
	again, err := h.Bench.Import(t.Context(), "", strings.NewReader(spare("10110010011000")), recording.Options{}, "test")
	require.NoError(t, err)
	assert.Equal(t, []wire.KeyRef{{Device: "lamp", Key: "spare"}}, again.Findings[0].Keys, "it is known from now on")
	for _, format := range recording.Exports() {
		var file bytes.Buffer
		require.NoError(t, h.Bench.ExportKey(wire.KeyRef{Device: "lamp", Key: "spare"}, format, &file))
		back, err := h.Bench.Import(t.Context(), "x", &file, recording.Options{}, "test")
		require.NoError(t, err, format)
		assert.Len(t, back.Findings[0].Keys, 1, format)
	}
}

func TestBench_RefusesWhatCannotBe(t *testing.T) {
	h := run(t, t.TempDir(), newBoard(nil))
	_, err := h.Bench.Import(t.Context(), "x.png", strings.NewReader("\x89PNG"), recording.Options{}, "test")
	require.ErrorIs(t, err, recording.ErrRecording)
	assert.Empty(t, captures(t, h), "nothing of it is kept")

	s, err := line.Builtin().Sheet("roll56")
	require.NoError(t, err)
	burst, err := s.Encode(line.Fields{"key": line.Number(0xA7), "button": line.Number(2), "counter": line.Number(258), "handset": line.Number(0xABCD)})
	require.NoError(t, err)
	var text strings.Builder
	for _, d := range burst.Durations() {
		text.WriteString(line.Number(int64(d)).String() + " ")
	}
	found, err := h.Bench.Import(t.Context(), "roll", strings.NewReader(text.String()), recording.Options{}, "test")
	require.NoError(t, err)
	id := found.Findings[0].CaptureID
	detail, err := h.Bench.Detail(t.Context(), id)
	require.NoError(t, err)
	assert.Nil(t, detail.Code)
	assert.Contains(t, detail.Trouble, "obeyed once")
	_, err = h.Bench.Send(t.Context(), id, "test")
	require.ErrorIs(t, err, line.ErrNeverReplay)
	_, err = h.Bench.Keep(t.Context(), id, power, "test")
	require.ErrorIs(t, err, line.ErrNeverReplay)

	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = h.Bench.Import(gone, "x", strings.NewReader(text.String()), recording.Options{}, "test")
	assert.Error(t, err, "whoever asked has gone")
}

func TestEar_RadioWithoutALineCodeIsKeptOnlyWhenItComesAgain(t *testing.T) {
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	frame := []int{900, 450}
	for i := range 17 {
		frame = append(frame, 450+900*(i*7%3%2), 900)
	}
	frame = append(frame, 450)
	once := append([]int{}, frame...)
	twice := append(append(append([]int{}, frame...), 15_000), frame...)
	b.say(station.Heard{Port: "radio-in", At: 0, Train: once, Gap: 40_000})
	b.say(station.Heard{Port: "radio-in", At: 2_000_000, Train: twice, Gap: 40_000})
	eventually(t, func() bool { return len(captures(t, h)) == 1 }, "only the one that repeats")
	c := captures(t, h)[0]
	assert.Equal(t, "radio", c.Medium)
	assert.Len(t, c.Trains[0].Train, len(twice))
}

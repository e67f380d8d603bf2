package service_test

import (
	"bytes"
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/recording"
	"urbo/store"
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

// burstText is a press of a code, as text.
func burstText(t *testing.T, c device.Code) string {
	t.Helper()
	b, err := c.Burst(line.Builtin())
	require.NoError(t, err)
	var out strings.Builder
	for _, d := range b.Durations() {
		out.WriteString(line.Number(int64(d)).String() + " ")
	}
	return out.String() + "\n"
}

func TestWorkbench_ARecordingBecomesCaptures(t *testing.T) {
	t.Parallel()
	b := newBoard(nil)
	h := run(t, t.TempDir(), b)
	lamp(t, h)
	text := spare("10110010011000") + spare("10110010011000") + burstText(t, necCode(77))
	found, err := h.Workbench.Import(t.Context(), `C:\drawer\`+"keys\x00.txt", strings.NewReader(text), recording.Options{}, grant.Named("test"))
	require.NoError(t, err)
	assert.Equal(t, 3, found.Gathered.Presses)
	require.Len(t, found.Captures, 2)
	assert.Equal(t, 2, found.Captures[0].Count)

	listed := captures(t, h)
	require.Len(t, listed, 2)
	assert.Equal(t, "recording/keys.txt", listed[0].Place(), "no folders and no control characters")

	unknown, err := h.Workbench.Capture(t.Context(), found.Captures[0].ID)
	require.NoError(t, err)
	code, err := h.Workbench.Code(unknown)
	require.NoError(t, err)
	assert.Equal(t, line.Text("101100100110000"), code.Fields["bits"])
	assert.Equal(t, 2, unknown.Count)
	known, err := h.Workbench.Capture(t.Context(), found.Captures[1].ID)
	require.NoError(t, err)
	code, err = h.Workbench.Code(known)
	require.NoError(t, err)
	assert.Equal(t, "nec", code.Sheet)
	_, err = h.Workbench.Capture(t.Context(), "nothing")
	assert.ErrorIs(t, err, store.ErrNotFound)

	c, err := h.Workbench.Compare(t.Context(), unknown.ID, known.ID)
	require.NoError(t, err)
	assert.Equal(t, bench.Verdict("different"), c.Verdict)

	r, err := h.Workbench.Send(t.Context(), unknown.ID, grant.Named("test"))
	require.NoError(t, err)
	assert.Equal(t, happening.Sent, r.Outcome)
	assert.Equal(t, 39-8, len(b.sent()[0].Repeat)-1, "one clean frame")
	assert.Equal(t, 3, b.sent()[0].Repeats)

	to := device.Ref{Device: "lamp", Key: "spare"}
	d, err := h.Workbench.Keep(t.Context(), unknown.ID, to, grant.Named("test"))
	require.NoError(t, err)
	assert.Equal(t, "spare", d.Keys[len(d.Keys)-1].Name, "a key that was not there is added")
	again, err := h.Workbench.Import(t.Context(), "", strings.NewReader(spare("10110010011000")), recording.Options{},
		grant.Named("test"))
	require.NoError(t, err)
	require.Len(t, again.Captures[0].Keys, 1)
	assert.Equal(t, to, again.Captures[0].Keys[0].Ref, "it is known from now on")
	for _, format := range recording.Exports() {
		var file bytes.Buffer
		require.NoError(t, h.Workbench.ExportKey(to, format, &file))
		back, err := h.Workbench.Import(t.Context(), "x", &file, recording.Options{}, grant.Named("test"))
		require.NoError(t, err, format)
		assert.Len(t, back.Captures[0].Keys, 1, format)
	}
}

func TestWorkbench_AnExportedKeyKeepsItsGap(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir())
	lamp(t, h)
	c := necCode(5)
	c.GapUS = 180_000
	set(t, h, blue, c)
	var file bytes.Buffer
	require.NoError(t, h.Workbench.ExportKey(blue, "text", &file))
	r, err := recording.Open("x.txt", &file, recording.Options{})
	require.NoError(t, err)
	require.True(t, r.Scan())
	trains := r.Press().Trains
	assert.Equal(t, 180_000, trains[len(trains)-1].Gap)
}

// TestWorkbench_EverySheetsKeyIsReadAgainAsWhatItIs: nec-full came back as nec, and ratio24-d as ht12e.
func TestWorkbench_EverySheetsKeyIsReadAgainAsWhatItIs(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir())
	lamp(t, h)
	for _, c := range []device.Code{
		{Sheet: "nec-full", Fields: necCode(5).Fields},
		{Sheet: "nec-double", Fields: necCode(5).Fields},
		{Sheet: "ratio24-d", Fields: line.Fields{"bits": line.Number(0x5A3C91)}, UnitUS: 300},
		{Sheet: "ev1527", Fields: line.Fields{"id": line.Number(0x1C3A9), "key": line.Number(8)}, UnitUS: 300},
		{Sheet: "denon", Fields: line.Fields{"address": line.Number(2), "command": line.Number(77)}},
		{Sheet: "rc5", Fields: line.Fields{"address": line.Number(5), "command": line.Number(77)}},
	} {
		set(t, h, blue, c)
		for _, format := range recording.Exports() {
			var file bytes.Buffer
			require.NoError(t, h.Workbench.ExportKey(blue, format, &file))
			back, err := h.Workbench.Import(t.Context(), "x", &file, recording.Options{}, grant.Named("test"))
			require.NoError(t, err)
			require.NotEmpty(t, back.Captures[0].Readings, "%s as %s", c.Sheet, format)
			assert.Equal(t, c.Sheet, back.Captures[0].Readings[0].Sheet, format)
		}
	}
}

func TestWorkbench_RefusesWhatCannotBe(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir(), newBoard(nil))
	_, err := h.Workbench.Import(t.Context(), "x.png", strings.NewReader("\x89PNG"), recording.Options{},
		grant.Named("test"))
	require.ErrorIs(t, err, recording.ErrRecording)
	assert.Empty(t, captures(t, h), "nothing of it is kept")

	text := burstText(t, device.Code{Sheet: "roll56", Fields: line.Fields{"key": line.Number(0xA7),
		"button": line.Number(2), "counter": line.Number(258), "handset": line.Number(0xABCD)}})
	found, err := h.Workbench.Import(t.Context(), "roll", strings.NewReader(text), recording.Options{},
		grant.Named("test"))
	require.NoError(t, err)
	id := found.Captures[0].ID
	_, err = h.Workbench.Code(found.Captures[0])
	require.ErrorContains(t, err, "obeyed once")
	_, err = h.Workbench.Send(t.Context(), id, grant.Named("test"))
	require.ErrorIs(t, err, line.ErrNeverReplay)
	_, err = h.Workbench.Keep(t.Context(), id, power, grant.Named("test"))
	require.ErrorIs(t, err, line.ErrNeverReplay)

	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = h.Workbench.Import(gone, "x", strings.NewReader(text), recording.Options{}, grant.Named("test"))
	assert.Error(t, err, "whoever asked has gone")
}

package service_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/service/explain"
)

// TestExplain_SaysWhyNothingHappens of a key that is not learned, one that was never tried, one that was pressed, and
// one that nothing can send.
func TestExplain_SaysWhyNothingHappens(t *testing.T) {
	t.Parallel()
	h := run(t, t.TempDir(), newBoard(nil))
	lamp(t, h)
	find := func(about string) explain.Finding {
		t.Helper()
		all, err := h.Explain.Key(t.Context(), blue)
		require.NoError(t, err)
		for _, f := range all {
			if f.About == about {
				return f
			}
		}
		return explain.Finding{}
	}
	assert.Equal(t, explain.Bad, find("code").Is)
	assert.Equal(t, "urbo learn lamp blue", find("code").Do)
	assert.Zero(t, find("way"), "there is nothing to send")
	assert.Zero(t, find("eyes"))

	set(t, h, blue, necCode(3))
	assert.NotEqual(t, explain.Bad, find("code").Is)
	assert.Equal(t, explain.Good, find("way").Is)
	assert.Contains(t, find("test").Text, "Nobody ever looked")
	assert.Contains(t, find("press").Text, "not pressed lately")
	assert.Contains(t, find("eyes").Do, "its own handset")
	press(t, h, blue)
	assert.Contains(t, find("press").Text, "The last press was sent")
	assert.False(t, find("press").At.IsZero())

	for _, s := range h.Stations.List() {
		_, err := h.Stations.Remove(t.Context(), s.Name, grant.Named("test"))
		require.NoError(t, err)
	}
	assert.Equal(t, explain.Bad, find("way").Is)
	assert.Contains(t, find("way").Text, "Nothing can send it")
	_, err := h.Explain.Key(t.Context(), device.Ref{Device: "lamp", Key: "green"})
	assert.ErrorContains(t, err, "green")
}

package device

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestCleanName_TrimsAndBounds(t *testing.T) {
	name, err := CleanName("name", "  Dew \t heater\n A ")
	require.NoError(t, err)
	assert.Equal(t, "Dew heater A", name)
	for text, says := range map[string]string{
		"   ": "is empty", strings.Repeat("ä", 81): "81 characters: the most is 80", "a\x00b": "control characters",
		"a\u200eb": "control characters", "\ufffd": "control characters",
	} {
		_, err := CleanName("the name", text)
		assert.ErrorIs(t, err, ErrName, "%q", text)
		assert.ErrorContains(t, err, says, "%q", text)
	}
	_, err = CleanName("name", strings.Repeat("ä", 80))
	assert.NoError(t, err, "characters count, not bytes")
}

func TestSlug_IsAlwaysOneOrEmpty(t *testing.T) {
	assert.Equal(t, "volume-up", Slug("Volume  up!"))
	assert.Equal(t, "caf", Slug("Café"))
	assert.Empty(t, Slug("…"))
	rapid.Check(t, func(t *rapid.T) {
		if s := Slug(rapid.String().Draw(t, "name")); s != "" {
			require.NoError(t, CheckSlug("slug", s))
		}
	})
}

func TestNearest_PutsTheLikeliestFirst(t *testing.T) {
	names := []string{"power", "volume-up", "volume-down", "mute", "input-1"}
	for asked, want := range map[string]string{"volumeup": "volume-up", "pwer": "power", "mut": "mute",
		"input1": "input-1", "vol": "volume-up"} {
		got, _, _ := strings.Cut(Nearest(asked, names), ",")
		assert.Equal(t, want, got, asked)
	}
	assert.Empty(t, Nearest("x", nil))
	Nearest(strings.Repeat("x", 100_000), names) // bounded work for any length
}

func TestKinds_HaveKeysThatAreNames(t *testing.T) {
	for _, k := range Kinds() {
		require.NoError(t, CheckSlug("kind", k.Name))
		seen := map[string]bool{}
		for _, key := range k.Keys {
			require.NoError(t, CheckSlug("key", key))
			assert.False(t, seen[key], "%s has %s twice", k.Name, key)
			seen[key] = true
		}
	}
	assert.Equal(t, []string{"on", "off"}, UsualKeys("socket"))
	assert.Nil(t, UsualKeys("spaceship"))
}

package mqttface

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAsked_OneThatAsksWithoutEndTakesNothingFromOthers(t *testing.T) {
	var k asked
	for range mostOfOne {
		_, err := k.begin("panel", "boardwalk")
		require.NoError(t, err)
	}
	_, err := k.begin("panel", "boardwalk")
	require.ErrorIs(t, err, ErrAsked)
	_, err = k.begin("panel", "amplifier")
	require.NoError(t, err, "it may ask for something else")
	for n := range 10 * mostAsked {
		_, _ = k.begin("panel", fmt.Sprint(n))
	}
	_, err = k.begin("panel", "lamp")
	require.ErrorIs(t, err, ErrAsked)
	done, err := k.begin("phone", "boardwalk")
	require.NoError(t, err, "another may")
	done()
	assert.LessOrEqual(t, len(k.by["panel"].of), 5*mostAsked, "names that were made up are forgotten")
	assert.Equal(t, mostAsked, k.by["panel"].under)
}

func TestAsked_WhatIsOverGivesItsPlaceBack(t *testing.T) {
	var k asked
	for range 3 * mostAsked {
		done, err := k.begin("panel", "lamp")
		require.NoError(t, err)
		done()
	}
}

func TestAsked_AnswersOthersThanTheOneThatAsksWithoutEnd(t *testing.T) {
	var k asked
	n := 0
	for range 1000 {
		if k.answers("panel", "boardwalk") {
			n++
		}
	}
	assert.Less(t, n, 200)
	assert.True(t, k.answers("panel", "amplifier"))
	assert.True(t, k.answers("phone", "boardwalk"))
}

package home_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	core "urbo/core/home"
	"urbo/service/home"
	"urbo/service/stream"
	"urbo/store"
)

func TestKeeper_KeepsWhatIsSaidAndRefusesWhatCannotBe(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	k, err := home.Open(t.Context(), s, stream.New(0, time.Now))
	require.NoError(t, err)
	_, err = k.Change(t.Context(), grant.By{}, func(h *core.Home) { h.Zone = "Europe/London" })
	require.NoError(t, err)
	for _, wrong := range []func(*core.Home){func(h *core.Home) { h.Zone = "Sea/Level" },
		func(h *core.Home) { h.Place = &core.Place{Latitude: 91} }, func(h *core.Home) { h.Name = "a\x07b" }} {
		_, err = k.Change(t.Context(), grant.By{}, wrong)
		require.Error(t, err)
	}
	assert.Equal(t, core.Home{Zone: "Europe/London"}, k.Home(), "what was refused changed nothing")
	again, err := home.Open(t.Context(), s, stream.New(0, time.Now))
	require.NoError(t, err)
	assert.Equal(t, k.Home(), again.Home())
}

func TestKeeper_WhatCannotBeReadIsSetAsideWhenItIsSaidAnew(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, s.PutHouseText(t.Context(), "home", `{"version":9}`))
	k, err := home.Open(t.Context(), s, stream.New(0, time.Now))
	require.NoError(t, err)
	assert.Equal(t, core.Home{}, k.Home())
	text, err := s.HouseText(t.Context(), "home")
	require.NoError(t, err)
	assert.Equal(t, `{"version":9}`, text)
	_, err = k.Change(t.Context(), grant.By{}, func(h *core.Home) { h.Name = "Saltmarsh" })
	require.NoError(t, err)
	aside, err := s.SetAside(t.Context())
	require.NoError(t, err)
	require.Len(t, aside, 1)
	assert.Equal(t, `{"version":9}`, aside[0].Document)
}

package named_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/service/named"
	"urbo/store"
)

var (
	errUnknown = errors.New("unknown lamp")
	errLimit   = errors.New("lamps")
)

type doc struct {
	Lit int `json:"lit"`
}

func open(t *testing.T, s *store.Store) (*named.List[doc], []string) {
	t.Helper()
	var unread []string
	l, err := named.Open(t.Context(), named.Kind{Name: "lamp", Most: 30, Unknown: errUnknown, Limit: errLimit},
		s.Groups(),
		s, func(one named.Thing[doc], err error) { unread = append(unread, one.Slug+": "+err.Error()) })
	require.NoError(t, err)
	return l, unread
}

func plainly(_, _ string, put func() error) error { return put() }

func lit(n int) func(named.Thing[doc]) (doc, error) {
	return func(named.Thing[doc]) (doc, error) { return doc{n}, nil }
}

func TestList_KeepsWhatIsSaid(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	l, _ := open(t, s)
	_, err = l.Find("desk")
	require.ErrorIs(t, err, errUnknown)
	assert.ErrorContains(t, err, "there are no lamps yet: urbo lamp add")
	one, err := l.Add(t.Context(), "", "Desk lamp", lit(3), plainly)
	require.NoError(t, err)
	assert.Equal(t, "desk-lamp", one.Slug)
	_, err = l.Add(t.Context(), "desk-lamp", "", lit(3), plainly)
	require.ErrorIs(t, err, device.ErrTaken)
	_, err = l.Add(t.Context(), "Not A Slug", "x", lit(3), plainly)
	require.ErrorIs(t, err, device.ErrName)
	_, err = l.Find("desk-lam")
	assert.ErrorContains(t, err, "nearest are desk-lamp")
	name := "Reading lamp"
	_, err = l.Alter(t.Context(), one.ID, named.Change[doc]{Name: &name}, plainly)
	require.NoError(t, err)
	again, _ := open(t, s)
	got, err := again.Find("desk-lamp")
	require.NoError(t, err)
	assert.Equal(t, "Reading lamp", got.Name)
	assert.Equal(t, 3, got.Doc.Lit)
	refused := errors.New("no")
	_, err = l.Remove(t.Context(), "desk-lamp", func(named.Thing[doc]) error { return refused }, plainly)
	require.ErrorIs(t, err, refused)
	_, err = l.Add(t.Context(), "other", "", lit(1), func(string, string, func() error) error { return refused })
	require.ErrorIs(t, err, refused)
	assert.Len(t, l.List(), 1, "what was refused is not there")
	_, err = l.Remove(t.Context(), "desk-lamp", func(named.Thing[doc]) error { return nil }, plainly)
	require.NoError(t, err)
	assert.Empty(t, l.List())
}

func TestList_WhatCannotBeReadStaysUntilItIsGivenAnew(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	damaged := store.Named{ID: "l1", Slug: "desk", Name: "Desk", Document: `{"version":8}`}
	require.NoError(t, s.Groups().Put(t.Context(), damaged))
	l, unread := open(t, s)
	require.Len(t, unread, 1)
	slug := "table"
	_, err = l.Alter(t.Context(), "desk", named.Change[doc]{Slug: &slug}, plainly)
	require.NoError(t, err)
	rows, err := s.Groups().All(t.Context())
	require.NoError(t, err)
	assert.Equal(t, damaged.Document, rows[0].Document)
	one, err := l.Alter(t.Context(), "table", named.Change[doc]{Doc: lit(2)}, plainly)
	require.NoError(t, err)
	assert.True(t, one.Readable())
	aside, err := s.SetAside(t.Context())
	require.NoError(t, err)
	require.Len(t, aside, 1)
	assert.Equal(t, damaged.Document, aside[0].Document)
}

// TestList_ChangesOfManyAtOnceAllCount: each sees what the one before it made.
func TestList_ChangesOfManyAtOnceAllCount(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	l, _ := open(t, s)
	_, err = l.Add(t.Context(), "desk", "", lit(0), plainly)
	require.NoError(t, err)
	var all sync.WaitGroup
	for n := range 40 {
		all.Go(func() {
			_, err := l.Alter(context.Background(), "desk", named.Change[doc]{
				Doc: func(now named.Thing[doc]) (doc, error) { return doc{now.Doc.Lit + 1}, nil }}, plainly)
			assert.NoError(t, err)
			_, _ = l.Add(context.Background(), fmt.Sprintf("lamp-%d", n), "", lit(n), plainly)
		})
	}
	all.Wait()
	one, err := l.Find("desk")
	require.NoError(t, err)
	assert.Equal(t, 40, one.Doc.Lit)
	assert.Len(t, l.List(), 30, "and no more than may be")
}

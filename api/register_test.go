package api

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/happening/sample"
	"urbo/service"
	"urbo/service/feed"
)

// quiet are the types that the network hears nothing of by themselves.
var quiet = map[string]bool{
	"station-used": true, // where its station is not known, as here
	"key-down":     true, // heard says the same for everybody but errands
}

// TestEvents_EveryTypeReachesTheNetworkAndTheConsole sends one happening of each type to the event stream.
func TestEvents_EveryTypeReachesTheNetworkAndTheConsole(t *testing.T) {
	house, err := service.Open(t.Context(), service.Config{Dir: t.TempDir(), Version: "test"})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, house.Close()) })
	a := &API{house: house}
	console, err := os.ReadFile("../web/src/api/live.ts")
	require.NoError(t, err)
	sent := map[string]bool{}
	for _, h := range sample.All() {
		events := a.told(feed.Item{ID: "1", What: h})
		assert.True(t, len(events) > 0 || quiet[h.What.Name()], "%s reaches nobody", h.What.Name())
		for _, e := range events {
			sent[e.name] = true
			data, err := json.Marshal(e.data)
			require.NoError(t, err)
			assert.True(t, json.Valid(data))
			assert.IsType(t, eventTypes[e.name], e.data, e.name)
		}
		if len(events) > 0 {
			assert.Contains(t, string(encodeEvents(events)), "event: "+events[0].name+"\n")
		}
	}
	for name := range eventTypes {
		if name == "press" { // for programs: the console reads what a press did from what is believed and the journal
			continue
		}
		assert.Contains(t, string(console), "'"+name+"'", "the console does not follow it")
	}
	for _, name := range []string{"stored", "rooms", "believed", "entry"} {
		assert.True(t, sent[name], name)
	}
}

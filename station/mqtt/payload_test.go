package mqtt

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"urbo/station"
)

// FuzzPayload takes any payload as what a station says: it waits within bounds, and comes out as messages.
func FuzzPayload(f *testing.F) {
	f.Add([]byte(`{"t":"gone"}`), uint16(3))
	f.Add([]byte(`{"t":"heard","port":"ir-in","at":1,"train":[1,2,3],"gap_us":4}`), uint16(400))
	f.Add([]byte(`{"t":`), uint16(1))
	f.Fuzz(func(t *testing.T, payload []byte, times uint16) {
		l := newLink(station.Origin{Over: station.MQTT, Address: "x"}, nil, "", 0)
		_ = saysGone(payload)
		for range times {
			l.took(payload)
		}
		assert.LessOrEqual(t, len(l.said), ahead)
		assert.LessOrEqual(t, l.bytes, aheadBytes)
		for m := l.next(); m != nil; m = l.next() {
			_, err := station.Marshal(m)
			assert.NoError(t, err)
		}
		assert.Zero(t, l.bytes)
	})
}

// TestLink_WhatIsTooMuchIsCountedAndTold once a minute.
func TestLink_WhatIsTooMuchIsCountedAndTold(t *testing.T) {
	l := newLink(station.Origin{Over: station.MQTT, Address: "x"}, nil, "", 0)
	for range ahead + 30 {
		l.took([]byte(`{"t":"ping"}`))
	}
	assert.Equal(t, station.Lost(30), l.next())
	for range ahead {
		assert.Equal(t, station.Ping{}, l.next())
	}
	assert.Nil(t, l.next())
	for range ahead + 5 {
		l.took([]byte(`{"t":"ping"}`))
	}
	assert.Equal(t, station.Ping{}, l.next(), "and soon after it is only counted")
}

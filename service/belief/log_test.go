package belief

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/store"
)

// amplifier has a power that toggles, a volume and inputs.
func amplifier() device.Device {
	least, most := 0.0, 60.0
	d := device.Device{ID: "a", Slug: "amplifier", Name: "Amplifier"}
	for _, k := range []string{"power", "volume-up", "volume-down", "input-1", "input-2"} {
		d.Keys = append(d.Keys, device.Key{Name: k})
	}
	d.Controls = []control.Control{{Name: "power", Kind: control.Power, Round: "power"},
		{Name: "volume", Kind: control.Dial, Least: &least, Most: &most, Up: "volume-up", Down: "volume-down"},
		{Name: "input", Kind: control.Selector, Values: []string{"1", "2"},
			Keys: map[string]string{"1": "input-1", "2": "input-2"}}}
	return d
}

// kept is a mind with what is on disk of it.
type kept struct {
	t    *testing.T
	mind *mind
	base store.Belief
	log  [][]byte
}

func newKept(t *testing.T) *kept {
	d := amplifier()
	spec, err := d.Compile()
	require.NoError(t, err)
	k := &kept{t: t, mind: newMind(d.ID, spec)}
	k.mind.become(d, spec, begin)
	k.write()
	return k
}

var begin = time.Date(2026, 3, 1, 21, 0, 0, 0, time.UTC)

// write puts what is new on disk, and tells how many bytes that took.
func (k *kept) write() (bytes int) {
	c, err := k.mind.change()
	require.NoError(k.t, err)
	if c == nil {
		return 0
	}
	if c.Base != nil {
		k.base, k.log = *c.Base, nil
		bytes += len(c.Base.Document)
	}
	k.mind.rebased = false
	k.mind.written(c, len(k.mind.unsaved))
	for _, e := range c.Entries {
		k.log = append(k.log, e)
		bytes += len(e)
	}
	return bytes
}

// again is the mind as it is read from disk.
func (k *kept) again() *mind {
	m, err := readMind(k.base, k.log)
	require.NoError(k.t, err)
	return m
}

func press(key string, at time.Time, outcome control.Outcome) entry {
	p := control.Press{Key: key, At: at, Outcome: outcome, Source: control.BySending, Cause: "x"}
	return entry{Press: &p, ID: fmt.Sprint(key, at.UnixNano())}
}

// TestLog_WhatIsReadBackIsWhatWasBelieved lets random things happen, late ones, unknown ones that are settled, and
// clocks that go back, and reads it back after each write.
func TestLog_WhatIsReadBackIsWhatWasBelieved(t *testing.T) {
	for seed := range uint64(20) {
		r := rand.New(rand.NewPCG(seed, 7))
		k, now := newKept(t), begin
		var unknown []string
		for range 300 {
			now = now.Add(time.Duration(r.IntN(20_000)) * time.Millisecond)
			key := []string{"power", "volume-up", "volume-down", "input-1", "input-2"}[r.IntN(5)]
			switch r.IntN(12) {
			case 0:
				k.mind.add(entry{Tell: &told{"volume", fmt.Sprint(r.IntN(60)), control.Told, now}})
			case 1:
				e := press(key, now, control.Unknown)
				unknown = append(unknown, e.ID)
				k.mind.add(e)
			case 2:
				if len(unknown) > 0 {
					k.mind.settle(unknown[len(unknown)-1])
				}
			case 3:
				late := press(key, now.Add(-time.Duration(r.IntN(3600))*time.Second), control.Sent)
				late.Late, late.Press.Source = true, control.ByHandset
				k.mind.add(late)
			case 4:
				if r.IntN(10) == 0 {
					now = now.Add(-time.Hour)
				}
			default:
				k.mind.add(press(key, now, control.Sent))
			}
			k.mind.news(now)
			if r.IntN(5) == 0 {
				k.write()
				back := k.again()
				for _, when := range []time.Time{now, now.Add(time.Hour)} {
					assert.Equal(t, k.mind.spec.States(k.mind.now, when), back.spec.States(back.now, when), "seed %d",
						seed)
				}
			}
		}
	}
}

// TestLog_WhatASensorSaysWhileAPressIsSentIsOfBefore: a press is known when it is over, a meter that settles meanwhile
// says what was so before, and what it says after its time is true.
func TestLog_WhatASensorSaysWhileAPressIsSentIsOfBefore(t *testing.T) {
	for told, want := range map[time.Duration]string{
		-time.Second: "on", 90 * time.Millisecond: "on", 1900 * time.Millisecond: "on", 2100 * time.Millisecond: "off",
	} {
		k := newKept(t)
		k.mind.sensors = []device.Sensor{{Control: "power", Measurement: "power", High: "on", Low: "off", Above: 8,
			Below: 3}}
		k.mind.add(sensed("off", begin.Add(-time.Minute)))
		sent := begin.Add(time.Second)
		k.mind.add(sensed("off", sent.Add(told)))
		k.mind.add(press("power", sent, control.Sent))
		k.write()
		for _, m := range []*mind{k.mind, k.again()} {
			assert.Equal(t, want, m.spec.States(m.now, sent.Add(time.Minute))[0].Value, "told after %s", told)
		}
	}
}

func sensed(power string, at time.Time) entry {
	return entry{Tell: &told{"power", power, control.Sensed, at}}
}

func TestLog_APressAppendsLittle(t *testing.T) {
	k := newKept(t)
	for n := range 1000 {
		now := begin.Add(time.Duration(n) * time.Minute)
		k.mind.add(press("volume-up", now, control.Sent))
		k.mind.news(now)
		if n > 0 {
			assert.Less(t, k.write(), 1000)
		}
	}
	assert.Less(t, len(k.log), 2*len(k.mind.log)+spareRows+1)
	for n := range 4000 { // a day later, what is older is not needed any more
		now := begin.AddDate(0, 0, 3).Add(time.Duration(n) * time.Minute)
		k.mind.add(press("volume-down", now, control.Sent))
		k.write()
	}
	assert.Less(t, len(k.log), 2*len(k.mind.log)+spareRows+2, "the log does not grow without end")
}

func TestReadMind_WhatCannotBeReadSaysSo(t *testing.T) {
	k := newKept(t)
	for _, row := range []store.Belief{{Version: 99, Document: k.base.Document}, {Version: 1, Document: []byte("{")},
		{Version: 1, Document: []byte(`{"forms":{"controls":[{"name":"x","kind":"y"}]}}`)}} {
		_, err := readMind(row, nil)
		assert.ErrorIs(t, err, store.ErrDocument)
	}
	_, err := readMind(k.base, [][]byte{[]byte("[")})
	assert.ErrorIs(t, err, store.ErrDocument)
	// a log that stands in the document, as versions before kept it
	old := document{Forms: k.mind.forms, Keys: k.mind.keys, Base: k.mind.base, Log: []entry{press("input-2", begin,
		control.Sent)}}
	text, err := json.Marshal(old)
	require.NoError(t, err)
	m, err := readMind(store.Belief{Version: 1, Document: text}, nil)
	require.NoError(t, err)
	assert.Len(t, m.log, 1)
	assert.True(t, m.rebased, "it is written in the form of now")
}

package scenery_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	"urbo/service/errands"
)

// cameSo is a cue that came, for comparing life and rehearsal.
type cameSo struct {
	at                time.Time
	cue, did, answers string
}

// differs is the first place in which life and rehearsal are not the same; "" for none. Life takes some ms longer.
func differs(life, played []cameSo) string {
	for i := range max(len(life), len(played)) {
		switch {
		case i >= len(life):
			return fmt.Sprintf("life has no %v", played[i:])
		case i >= len(played):
			return fmt.Sprintf("the rehearsal has no %v", life[i:])
		}
		a, b := life[i], played[i]
		apart := a.at.Sub(b.at).Abs()
		if a.at, b.at = b.at, a.at; apart > time.Second || (cameSo{b.at, a.cue, a.did, a.answers}) != (cameSo{b.at,
			b.cue, b.did, b.answers}) {
			return fmt.Sprintf("%d of %d: life %v, rehearsal %v", i, len(life), life[i], played[i])
		}
	}
	return ""
}

// TestRehearsal_IsWhatLifeWas: in fourteen days of a made-up history, handsets are pressed, values are told and people
// set things; then each errand is rehearsed against these days.
func TestRehearsal_IsWhatLifeWas(t *testing.T) {
	t.Parallel()
	texts := []string{
		"errand clock when at 7:00, 20:00 on weekdays or 30 min after dusk do set amplifier/power to on",
		"errand lived when dusk give or take 20 min only if not marker guests do set boardwalk/power to on for 2 h " +
			"and back",
		"errand key when clicker/a pressed only if amplifier/power is on do set amplifier/volume by +3",
		"errand twice when clicker/b pressed twice do mark guests",
		"errand once when clicker/b pressed do unmark guests",
		"errand stays when amplifier/power becomes off for 10 min do notify \"off\"",
		"errand byhand when amplifier/power becomes on by handset or amplifier/power becomes on by person do notify " +
			"\"who\"",
		"errand above when dome/humidity above 85 % for 15 min only if between 06:00 and 22:00 do notify \"damp\"",
		"errand rises when dome/humidity rises by 8 % within 1 h do notify \"rises\"",
		"errand mute when dome/humidity silent for 40 min do notify \"mute\"",
		"errand dry while dome/humidity above 85 % until 75 % do set dew-a/power to on afterwards set dew-a/power to " +
			"off " +
			"if unknown end after 30 min",
		"errand night while between 23:00 and 06:00 and amplifier/power is on for 5 min do notify \"late\" " +
			"afterwards notify \"over\"",
		"errand since when every 3 h only if amplifier/power unchanged for 4 h or clicker/a pressed within 1 h do " +
			"notify \"since\"",
		"errand waits when clicker/c pressed do wait until clicker/a pressed at most 20 min then wait 2 min then " +
			"notify \"waited\"",
		"errand choice when clicker/d pressed do if boardwalk/power is on do set boardwalk/power to off " +
			"else set boardwalk/power to on",
	}
	inObservatory(t, december, func(t *testing.T, o *observatory) {
		h, s := o.House, o.stage
		put := func(v float64) {
			_, err := h.Measure.Put("dome/humidity", v, "%", by)
			require.NoError(t, err)
		}
		put(70)
		o.pause(5 * time.Second)
		all := make([]errands.Errand, len(texts))
		for i, text := range texts {
			all[i] = o.says(text)
		}
		r := rand.New(rand.NewPCG(9, 7))
		began := h.Calendar.Now()
		value := 70.0
		for h.Calendar.Now().Sub(began) < 14*24*time.Hour {
			o.pause(time.Duration(5+r.IntN(55)) * time.Minute)
			switch r.IntN(9) {
			case 0, 1, 2, 3:
				value = min(max(value+float64(r.IntN(21)-10), 60), 98)
				put(value)
			case 4:
				require.NoError(t, s.Press("amplifier", "power", 0))
			case 5:
				key := []string{"a", "b", "c", "d"}[r.IntN(4)]
				require.NoError(t, s.Press("clicker", key, 0))
				if r.IntN(2) == 0 {
					o.pause(450 * time.Millisecond)
					require.NoError(t, s.Press("clicker", key, 0))
				}
			case 6:
				o.pause(time.Second)
				_, err := h.Beliefs.Tell("amplifier", "power", o.truth("amplifier")["power"],
					grant.By{Actor: grant.Actor{Kind: grant.Person, Name: "an owner"}})
				require.NoError(t, err)
			}
		}
		days := int(h.Calendar.Now().Sub(began)/(24*time.Hour)) + 1
		for i, one := range all {
			var life, played []cameSo
			for _, c := range o.came(one) {
				life = append(life, cameSo{c.At.UTC(), c.Cue, c.Did,
					fmt.Sprint(c.Answers)})
			}
			got, err := h.Errands.Rehearse(t.Context(), texts[i], one.ID, days, nil)
			require.NoError(t, err)
			for _, c := range got.All {
				if c.At.Before(began) {
					continue
				}
				played = append(played, cameSo{c.At.UTC(), h.Errands.Cue(got, c), c.Did,
					fmt.Sprint(h.Errands.Answers(c))})
			}
			assert.NotEmpty(t, life, texts[i])
			assert.Empty(t, differs(life, played), texts[i])
		}
	})
}

package service_test

import (
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	"urbo/core/reach"
	"urbo/service"
	"urbo/stage"
	"urbo/station"
	"urbo/station/onstage"
)

// TestSelfTest_TellsTheFaultsApart puts a board with each fault on the stage, beside a sound one of each channel.
func TestSelfTest_TellsTheFaultsApart(t *testing.T) {
	t.Parallel()
	for fault, want := range map[onstage.Fault][2]reach.Fault{ // of the infrared and the radio transmitter
		onstage.Sound:     {reach.None, reach.None},
		onstage.Dead:      {reach.Dead, reach.Dead},
		onstage.Exchanged: {reach.Exchanged, reach.Exchanged},
		onstage.Swapped:   {reach.Swapped, reach.Swapped},
		onstage.Off:       {reach.None, reach.Off},
		onstage.Weak:      {reach.Weak, reach.Weak},
	} {
		t.Run("fault "+string(fault), func(t *testing.T) {
			synctest.Test(t, func(t *testing.T) {
				s, err := stage.New(stage.Options{})
				require.NoError(t, err)
				h, stop := startWith(t,
					service.Config{Dir: t.TempDir(), Extra: []service.Runner{s}, Transports: []station.Transport{
						onstage.NewFaulty(s, "board", fault), onstage.New(s, "sound"),
						onstage.NewRadio(s, "dome", 433_420_000)}})
				defer stop()
				synctest.Wait()
				m, err := h.SelfTest.Run(t.Context(), "board", grant.Named("test"))
				require.NoError(t, err)
				v := m.Verdicts()
				require.Len(t, v, 2, "only the transmitters of this station")
				if fault == onstage.Dead { // its receivers work, and a handset shows it
					require.NoError(t, s.Press("projector", "on", 0))
					require.NoError(t, s.Press("dew-a", "on", 0))
					time.Sleep(2 * time.Second)
					m, err = h.SelfTest.Run(t.Context(), "board", grant.Named("test"))
					require.NoError(t, err)
					v = m.Verdicts()
				}
				assert.Equal(t, want, [2]reach.Fault{v[0].Fault, v[1].Fault}, "%+v", v)
			})
		})
	}
}

package scenery_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/service"
	"urbo/service/agendas"
)

// club is a calendar with an event at a time of this day, and another one that is cancelled.
func club(clock, status string) string {
	lines := fmt.Sprintf(`BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Saltmarsh//club//EN
BEGIN:VEVENT
UID:night
DTSTAMP:20261101T000000Z
SUMMARY:Public night
DTSTART:20261204T%s00Z
DURATION:PT1H
%sEND:VEVENT
BEGIN:VEVENT
UID:gone
DTSTAMP:20261101T000000Z
SUMMARY:Public night
DTSTART:20261204T100000Z
STATUS:CANCELLED
END:VEVENT
END:VCALENDAR
`, clock, status)
	return strings.ReplaceAll(lines, "\n", "\r\n")
}

// TestCalendars_ErrandsComeWithTheirEvents: before they begin, where they end, as they are moved to, once over a
// restart, and also where the calendar cannot be fetched any more.
func TestCalendars_ErrandsComeWithTheirEvents(t *testing.T) {
	t.Parallel()
	text, down, fetched := club("1400", ""), false, 0
	prepare := func(h *service.House) {
		h.Agendas.Fetch = func(context.Context, string, string, int64) ([]byte, string, error) {
			fetched++
			if down {
				return nil, "", errors.New("no route")
			}
			return []byte(text), "", nil
		}
	}
	inPrepared(t, december.Add(12*time.Hour), prepare, func(t *testing.T, o *observatory) {
		soon := o.says(`errand soon when 30 min before calendar club starts titled "public night" do set boardwalk/power to on`)
		over := o.says(`errand over when calendar club ends do set boardwalk/power to off`)
		_, err := o.Agendas.Put(t.Context(), agendas.Calendar{Name: "club", URL: "https://club.example/night.ics"}, by)
		require.NoError(t, err)
		o.until("12:59")
		text = club("1500", "") // it is moved, and the calendar is fetched again
		o.until("13:31")
		assert.Empty(t, o.did(soon), "at its old time nothing comes")
		o.until("14:29")
		assert.Empty(t, o.did(soon))
		o.until("14:31")
		assert.Equal(t, []string{"ran"}, o.did(soon))
		assert.Equal(t, "on", o.truth("boardwalk")["power"])

		down = true
		o.stop()
		o.open(o.Calendar.Now())
		o.until("14:45")
		assert.Equal(t, []string{"ran"}, o.did(soon), "once over a restart")
		c, err := o.Agendas.Find("club")
		require.NoError(t, err)
		assert.Contains(t, c.Error, "no route")
		require.Len(t, c.Coming, 1, "what was read last counts")
		o.until("16:01")
		assert.Equal(t, []string{"ran"}, o.did(over))
		assert.Equal(t, "off", o.truth("boardwalk")["power"])
		assert.Less(t, fetched, 40, "it is fetched now and then")

		_, err = o.Agendas.Find("clubs")
		assert.ErrorContains(t, err, "club")
		require.NoError(t, o.Agendas.Remove(t.Context(), "club", by))
		assert.ErrorIs(t, o.Agendas.Remove(t.Context(), "club", by), agendas.ErrUnknown)
		synctest.Wait()
	})
}

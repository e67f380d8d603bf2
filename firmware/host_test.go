package firmware_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/station"
	"urbo/station/linktest"
)

// TestHost_KeepsTheRulesUnderSanitizers holds the firmware's core, as it is built for this machine, against the rules.
func TestHost_KeepsTheRulesUnderSanitizers(t *testing.T) {
	b := plugInHost(t)
	clock := newClock(b, step)
	b.link(func(l station.Link) { linktest.ConformIn(t, l, clock) })
}

// TestHost_IsAStationInRealTime: it is the example of a station on any system with a serial port.
func TestHost_IsAStationInRealTime(t *testing.T) {
	t.Setenv("LINE", "pty")
	linktest.ConformInRealTime(t, func(check func(station.Link)) { plugInHost(t).link(check) })
}

// mutated is how many damaged messages the firmware is told.
const mutated = 60_000

// TestHost_NoMessageBreaksIt tells it messages that were damaged in many ways, half of them with a right check sum.
func TestHost_NoMessageBreaksIt(t *testing.T) {
	b := plugInHost(t)
	newClock(b, 50*step)
	line, err := os.OpenFile(b.path, os.O_RDWR|syscall.O_NOCTTY, 0)
	require.NoError(t, err)
	defer line.Close()
	said := make(chan string, 1)
	go func() { // until it says the last thing, or ends
		var all bytes.Buffer
		buf := make([]byte, 64<<10)
		for {
			n, err := line.Read(buf)
			all.Write(buf[:n])
			if text := all.String(); err != nil || strings.Contains(text, `"id":"the-last"`) {
				said <- text
				return
			}
			if all.Len() > 1<<20 {
				all.Next(all.Len() - 1000)
			}
		}
	}()
	long := strings.TrimSuffix(strings.Repeat("500,600,", 350), ",")
	bases := []string{`{"t":"ping"}`, `{"t":"who"}`, `{"t":"hold","id":"a","lease_ms":500}`, `{"t":"cancel","id":"a"}`,
		`{"t":"send","id":"a","port":"ir-out","carrier_hz":38000,"duty":0.33,"once":[9000,4500,560,40000],"within_ms":9}`,
		`{"t":"send","id":"b","port":"radio-out","frequency_hz":433920000,"once":[300,900],"repeat":[350,1050,1050,9000],` +
			`"repeats":3,"last":[300,20000],"gap_us":50000}`,
		`{"t":"send","id":"c","port":"ir-out","carrier_hz":38000,"once":[` + long + `],"new":{"a":[1,{"b":"}"}]}}`,
		`{"t":"welcome","link":1}`, `[]`, `{}`, `{"t":"send","id":"` + strings.Repeat("i", 30) + `"}`}
	r := rand.New(rand.NewPCG(1, 2))
	for n := range mutated {
		text := []byte(bases[r.IntN(len(bases))])
		for range 1 + r.IntN(4) {
			at := r.IntN(len(text))
			switch r.IntN(6) {
			case 0:
				text[at] ^= 1 << r.IntN(8)
			case 1:
				text = append(text[:at:at], text[at+1:]...)
			case 2:
				text = append(text[:at:at], append([]byte{byte(r.IntN(256))}, text[at:]...)...)
			case 3:
				end := min(at+r.IntN(20), len(text))
				text = append(text[:end:end], text[at:]...)
			case 4:
				text = append(text[:at:at], fmt.Sprint(r.Uint64()>>r.IntN(64))...)
			default:
				other := bases[r.IntN(len(bases))]
				text = append(text[:at:at], other[r.IntN(len(other)):]...)
			}
			if len(text) == 0 {
				text = []byte("x")
			}
		}
		if n%2 == 0 {
			text = station.AppendSum(text)
		}
		_, err := line.Write(append(text, '\n'))
		require.NoError(t, err)
	}
	for {
		last := station.AppendSum([]byte(`{"t":"send","id":"the-last","port":"nowhere"}`))
		_, err = io.WriteString(line, "\n"+string(last)+"\n")
		require.NoError(t, err)
		select {
		case text := <-said:
			require.Contains(t, text, `"failed","id":"the-last"`, "it still answers")
			assert.Nil(t, b.cmd.ProcessState)
			return
		case <-time.After(patience):
			require.FailNow(t, "it does not answer any more")
		}
	}
}

// TestHost_NoTransmitterStaysOn loses the edge that ends a mark.
func TestHost_NoTransmitterStaysOn(t *testing.T) {
	b := plugInHost(t)
	clock := newClock(b, step)
	b.link(func(l station.Link) {
		ctx, cancel := context.WithTimeout(t.Context(), patience)
		defer cancel()
		require.NoError(t, l.Tell(ctx, station.Send{ID: "stuck", Port: "ir-out", CarrierHz: 38_000,
			Once: []int{150_000, 500_000}}))
		began := clock.Now()
		<-clock.After(50 * time.Millisecond)
		_, err := fmt.Fprintln(b.stdin, "lose")
		require.NoError(t, err)
		for {
			m, err := l.Receive(ctx)
			require.NoError(t, err)
			if sent, ok := m.(station.Sent); ok {
				assert.Equal(t, "stuck", sent.ID)
				assert.Less(t, clock.Now().Sub(began), 400*time.Millisecond,
					"it is switched off soon after it should end")
				return
			}
		}
	})
}

// TestHost_AnnouncesWhatIsWired builds the firmware for a board with two ports and another receiver module.
func TestHost_AnnouncesWhatIsWired(t *testing.T) {
	require.NoError(t, built())
	dir := t.TempDir()
	out, err := exec.Command("make", "BUILD="+dir, "PORTS=ir-in radio-out", "IR_CARRIER=56000", "RADIO_HZ=868300000",
		"STATION=loft", dir+"/host").CombinedOutput()
	require.NoError(t, err, string(out))
	b := begin(t, dir+"/host")
	newClock(b, step)
	b.link(func(l station.Link) {
		ctx, cancel := context.WithTimeout(t.Context(), patience)
		defer cancel()
		for {
			m, err := l.Receive(ctx)
			require.NoError(t, err)
			if hello, ok := m.(station.Hello); ok {
				assert.Equal(t, "loft", hello.Station)
				assert.Equal(t, []station.Port{
					{ID: "ir-in", Direction: station.Receiver, Medium: "infrared", FromHz: 54_000, ToHz: 58_000,
						Longest: 1000},
					{ID: "radio-out", Direction: station.Transmitter, Medium: "radio", FromHz: 868_050_000,
						ToHz: 868_550_000, Longest: 700}}, hello.Ports)
				break
			}
		}
		require.NoError(t, l.Tell(ctx, station.Send{ID: "none", Port: "ir-out", CarrierHz: 38_000, Once: []int{500,
			500}}))
		for {
			m, err := l.Receive(ctx)
			require.NoError(t, err)
			if failed, ok := m.(station.Failed); ok {
				assert.Equal(t, "no such transmitter here", failed.Reason)
				return
			}
		}
	})
}

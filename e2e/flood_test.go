package e2e

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
	"urbo/station"
	"urbo/station/mqtt"
	"urbo/station/websocket"
	"urbo/wire"
)

const (
	floodHeard  = 300 * time.Millisecond // for another's press to be read, beyond the silence that ends it
	floodMemory = 120 << 20
	floodStop   = 3 * time.Second
)

// TestFlood_OneStationAtFullSpeedDisturbsNobody has a station say the worst as fast as it can, over each transport:
// longest trains of each kind, notes, hellos that change, and what is no message.
func TestFlood_OneStationAtFullSpeedDisturbsNobody(t *testing.T) {
	for _, over := range []string{"websocket", "broker of the house", "another broker"} {
		t.Run(over, func(t *testing.T) {
			at := freeAddress(t)
			args := []string{"--broker", "own", "--broker-listen", at}
			var b *broker
			if over == "another broker" {
				b = newBroker(t)
				args = []string{"--broker", b.url, "--broker-user", "house", "--broker-password-file", b.file("house"),
					"--broker-ca", b.file("ca.pem")}
			}
			r := start(t, "", append([]string{"serve"}, args...)...)
			link := func(name string) station.Link {
				var s wire.Station
				var l station.Link
				var err error
				switch {
				case over == "websocket":
					r.ok(&s, "station", "add", name)
					l, err = websocket.Dial(t.Context(), http.DefaultClient, r.url, s.Secret)
				case b != nil:
					l, err = mqtt.Dial(t.Context(), mqtt.Options{URL: b.url, User: "garden",
						Password: "secret of garden",
						CA:       b.file("ca.pem")}, name)
				default:
					r.ok(&s, "station", "add", name, "--mqtt")
					l, err = mqtt.Dial(t.Context(), mqtt.Options{URL: "mqtt://" + at, User: name, Password: s.Secret},
						name)
				}
				require.NoError(t, err)
				return l
			}
			good, bad := link("good"), link("bad")
			defer good.Close()
			ports := []station.Port{{ID: "ir-in", Direction: station.Receiver, Medium: "infrared", FromHz: 36_000,
				ToHz: 40_000, Longest: signal.MaxDurations}, {ID: "radio-in", Direction: station.Receiver,
				Medium: "radio",
				FromHz: 433_000_000, ToHz: 434_000_000, Longest: signal.MaxDurations}}
			greet := func(l station.Link, h station.Hello) {
				for {
					require.NoError(t, l.Tell(t.Context(), h))
					ctx, cancel := context.WithTimeout(t.Context(), time.Second)
					m, err := l.Receive(ctx)
					cancel()
					if _, welcome := m.(station.Welcome); err == nil && welcome {
						return
					}
				}
			}
			greet(good, station.Hello{Link: 1, Station: "good", Ports: ports})
			greet(bad, station.Hello{Link: 1, Station: "bad", Ports: ports})
			ctx, calm := context.WithCancel(t.Context())
			var flooding sync.WaitGroup
			defer flooding.Wait()
			defer calm()
			var said atomic.Int64
			flooding.Go(func() { flood(ctx, bad, ports, &said) })
			flooding.Go(func() { // it is told welcomes and refusals
				for ctx.Err() == nil {
					if _, err := bad.Receive(ctx); err != nil {
						return
					}
				}
			})

			heard := r.captures(ctx, "good")
			var took []time.Duration
			nec, err := line.Builtin().Sheet("nec")
			require.NoError(t, err)
			for n := range 20 {
				b, err := nec.Encode(line.Fields{"address": line.Number(7), "command": line.Number(int64(n + 1))})
				require.NoError(t, err)
				durations := b.Durations()
				m := station.Heard{Port: "ir-in", At: int64(n) * 10_000_000, Train: durations[:len(durations)-1],
					Gap: 40_000}
				began := time.Now()
				require.NoError(t, good.Tell(t.Context(), m))
				want := regexp.MustCompile(fmt.Sprintf(`"command":%d\b`, n+1))
				for {
					select {
					case got := <-heard:
						if !want.MatchString(got) {
							continue
						}
					case <-time.After(patience):
						require.FailNow(t, "it is not heard", "%s, after %d messages of the other", want, said.Load())
					}
					break
				}
				took = append(took, time.Since(began)-signal.PressSilence*time.Microsecond)
			}
			slices.Sort(took)
			t.Logf("%s: heard within %v in the middle, %v at worst; %d messages of the other; %d MB", over, took[10],
				took[19],
				said.Load(), r.memory()>>20)
			assert.Less(t, took[10], floodHeard, "another's press is read beside it: %v", took)
			assert.Less(t, r.memory(), floodMemory)
			var page wire.JournalPage
			r.ok(&page, "journal", "--count", "500", "--kind", "station")
			assert.Less(t, len(page.Entries), 100, "the journal is not filled by it")

			stopped := time.Now()
			require.NoError(t, r.cmd.Process.Signal(syscall.SIGTERM))
			require.NoError(t, r.cmd.Wait())
			assert.Less(t, time.Since(stopped), floodStop)
		})
	}
}

// flood says what is worst to be told, without a pause, until the link or the context ends.
func flood(ctx context.Context, l station.Link, ports []station.Port, said *atomic.Int64) {
	even, rising := make(signal.Train, signal.MaxDurations-1), make(signal.Train, signal.MaxDurations-1)
	for i := range even {
		even[i], rising[i] = 500, 50+i
	}
	for n := 0; ctx.Err() == nil; n++ {
		at := int64(n) * 30_000_000
		messages := []station.Message{
			station.Heard{Port: "ir-in", At: at, Train: even, Gap: 100_000},
			station.Heard{Port: "radio-in", At: at, Train: rising, Gap: 100_000},
			station.Heard{Port: "ir-in", At: at + 20_000_000, Train: rising, Gap: 100_000},
			station.Heard{Port: "radio-in", At: at + 20_000_000, Train: even, Gap: 100_000},
			station.Heard{Port: "nowhere", At: at, Train: signal.Train{1, 2}},
			station.Note{Severity: "info", Text: strings.Repeat("n", 1000)},
			station.Hello{Link: 1, Station: "bad", Model: fmt.Sprint(n), Ports: ports},
			station.Hello{Link: 9, Station: "Bad!"}, station.Ping{}, station.Sent{ID: "x"},
		}
		for _, m := range messages {
			if ctx.Err() != nil || l.Tell(ctx, m) != nil {
				return
			}
			said.Add(1)
		}
	}
}

// captures follows what a station hears.
func (r *running) captures(ctx context.Context, name string) <-chan string {
	r.t.Helper()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, r.url+"/api/events", nil)
	require.NoError(r.t, err)
	req.Header.Set("Authorization", "Bearer "+r.owner())
	resp, err := http.DefaultClient.Do(req)
	require.NoError(r.t, err)
	require.Equal(r.t, http.StatusOK, resp.StatusCode)
	out := make(chan string, 1000)
	go func() {
		defer resp.Body.Close()
		lines := bufio.NewScanner(resp.Body)
		lines.Buffer(nil, 4<<20)
		for lines.Scan() {
			if text := lines.Text(); strings.Contains(text, `"station":"`+name+`"`) {
				select {
				case out <- text:
				case <-ctx.Done():
					return
				}
			}
		}
	}()
	return out
}

// memory is how many bytes of memory the service had at most.
func (r *running) memory() int {
	r.t.Helper()
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", r.cmd.Process.Pid))
	require.NoError(r.t, err)
	found := regexp.MustCompile(`VmHWM:\s+(\d+) kB`).FindSubmatch(status)
	require.NotNil(r.t, found)
	kb, err := strconv.Atoi(string(found[1]))
	require.NoError(r.t, err)
	return kb << 10
}

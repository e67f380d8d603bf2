package api_test

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"urbo/core/happening"
	"urbo/wire"
)

// BenchmarkEvents is a happening on its way to 50 listeners over the network, a third of whom see the whole house, and
// the others one room each; cpu-µs is what it takes of this process, with the listeners, who are in it too.
func BenchmarkEvents(b *testing.B) {
	const listeners, rooms = 50, 10
	s := newSite(b)
	ids := make([]string, rooms)
	for n := range rooms {
		slug := fmt.Sprintf("d-%d", n)
		s.must("POST", "/api/devices", wire.NewDevice{Name: slug, Room: fmt.Sprintf("Room %d", n),
			Keys: []string{"on"}},
			nil)
		var err error
		ids[n], err = s.house.Library.ID(slug)
		require.NoError(b, err)
	}
	var last atomic.Int64
	var group sync.WaitGroup
	defer group.Wait()
	for n := range listeners {
		token := wire.NewToken{Name: fmt.Sprintf("t-%d", n), Rights: []string{"see"}}
		if n%3 > 0 {
			token.Where.Rooms = []string{fmt.Sprintf("Room %d", n%rooms)}
		}
		var made wire.Token
		s.must("POST", "/api/tokens", token, &made)
		ctx, cancel := context.WithCancel(b.Context())
		defer cancel()
		req, err := http.NewRequestWithContext(ctx, "GET", s.url+"/api/events", nil)
		require.NoError(b, err)
		req.Header.Set("Authorization", "Bearer "+made.Secret)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(b, err)
		require.Equal(b, 200, resp.StatusCode)
		group.Go(func() {
			defer resp.Body.Close()
			lines := bufio.NewScanner(resp.Body)
			lines.Buffer(nil, 1<<20)
			for lines.Scan() {
				if strings.Contains(lines.Text(), `"value":"last"`) {
					last.Add(1)
				}
			}
		})
	}
	publish := func(n int, value string) {
		s.house.Stream.Publish(happening.Happening{What: happening.Believed{DeviceID: ids[n%rooms],
			Device: fmt.Sprintf("d-%d", n%rooms), Control: "power", Value: value}})
	}
	pace := time.NewTicker(time.Millisecond)
	defer pace.Stop()
	began := cpu()
	b.ResetTimer()
	for n := range b.N {
		publish(n, "on")
		<-pace.C
	}
	for n := range rooms {
		publish(n, "last")
	}
	for last.Load() < 17*rooms+33 { // who sees all, ten times; the others once
		<-pace.C
	}
	b.StopTimer()
	b.ReportMetric(float64((cpu()-began).Microseconds())/float64(b.N), "cpu-µs/op")
}

// cpu is the time that this process had of the processors.
func cpu() time.Duration {
	var u syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

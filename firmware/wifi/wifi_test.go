package wifi_test

import (
	"context"
	"crypto/tls"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/firmware/wifi"
	"urbo/firmware/wifi/wifitest"
	"urbo/service/certs"
	"urbo/station"
	"urbo/station/linktest"
	"urbo/station/websocket"
)

// kind is a way of driving the ports, and of it the form of a constructor that the bench knows.
type kind struct{ board, name, options string }

var kinds = []kind{{"rp2040", "pio", "{}"}, {"esp32", "rmt", "{}"}, {"esp32", "rmt of earlier versions", `{"old":true}`},
	{"other", "software", "{}"}}

// inVirtualTime lets each look at the clock take 3 µs, and no other time pass while a train is sent.
const inVirtualTime = `{"virtual":3}`

// folderOf writes the files of a board, with a network.
func folderOf(t *testing.T, board, house string) string {
	t.Helper()
	return folderFor(t, wifi.Config{Board: board, House: house})
}

func folderFor(t *testing.T, c wifi.Config) string {
	t.Helper()
	c.Name, c.Token = "garden", "a secret"
	all, err := wifi.Files(c)
	require.NoError(t, err)
	folder := t.TempDir()
	for _, f := range all {
		text := strings.Replace(f.Text, `WIFI = ""`, `WIFI = "home"`, 1)
		require.NoError(t, os.WriteFile(filepath.Join(folder, f.Name), []byte(text), 0o600))
	}
	return folder
}

// doorAt takes stations that dial, as the service does.
func doorAt(t *testing.T) (address string, links <-chan station.Link) {
	t.Helper()
	return securedDoor(t, nil)
}

// securedDoor is doorAt with TLS.
func securedDoor(t *testing.T, secure *tls.Config) (address string, links <-chan station.Link) {
	t.Helper()
	ctx, cancel := context.WithCancel(t.Context())
	door := &websocket.Door{}
	server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != websocket.Path || r.Header.Get("Authorization") != "Bearer a secret" {
			http.Error(w, "no", http.StatusForbidden)
			return
		}
		_ = door.Accept(ctx, w, r, "garden")
	}))
	if secure != nil {
		server.Listener = tls.NewListener(server.Listener, secure)
	}
	server.Start()
	found := make(chan station.Link)
	over := make(chan struct{})
	go func() {
		defer close(over)
		_ = door.Run(ctx, func(ctx context.Context, l station.Link) error {
			select {
			case found <- l:
				<-ctx.Done()
			case <-ctx.Done():
			}
			return nil
		})
	}()
	t.Cleanup(func() {
		cancel()
		<-over
		server.CloseClientConnections()
		server.Close()
	})
	if secure != nil {
		return strings.Replace(server.URL, "http", "https", 1), found
	}
	return server.URL, found
}

func TestWiFi_EachKindKeepsTheRules(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	for _, k := range kinds {
		t.Run(k.name, func(t *testing.T) {
			linktest.ConformInRealTime(t, func(check func(station.Link)) {
				address, links := doorAt(t)
				wifitest.Start(t, folderOf(t, k.board, address), k.options)
				l := <-links
				check(l)
				require.NoError(t, l.Close())
			})
		})
	}
}

// next is the next message of a type that a station says.
func next[M station.Message](t *testing.T, l station.Link) M {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	for {
		m, err := l.Receive(ctx)
		require.NoError(t, err)
		if is, ok := m.(M); ok {
			return is
		}
	}
}

var press = []int{9000, 4500, 560, 560, 560, 1690, 560, 1690, 560, 560, 560, 40_000}

func TestWiFi_SendsAndHearsTrains(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	for _, k := range kinds {
		t.Run(k.name, func(t *testing.T) {
			address, links := doorAt(t)
			pins := map[string][2]int{"rp2040": {15, 16}, "esp32": {4, 5}, "other": {4, 5}}[k.board]
			if k.name == "software" {
				k.options = inVirtualTime
			}
			options := strings.TrimSuffix(k.options, "}") + "," + fmt.Sprintf(`"loop":{"%d":%d}}`, pins[0], pins[1])
			v := wifitest.Start(t, folderOf(t, k.board, address), strings.Replace(options, "{,", "{", 1))
			l := <-links
			next[station.Hello](t, l)
			require.NoError(t, l.Tell(t.Context(), station.Welcome{Link: 1}))
			require.NoError(t, l.Tell(t.Context(), station.Send{ID: "a", Port: "ir-out", CarrierHz: 38_000,
				Once: press}))
			var sent *station.Sent
			var heard *station.Heard
			for sent == nil || heard == nil { // in any order
				switch m := next[station.Message](t, l).(type) {
				case station.Sent:
					sent = &m
				case station.Heard:
					heard = &m
				}
			}
			assert.InDelta(t, 58_990, sent.Took, 5000)
			out := v.Await("what it sent", func(m map[string]any) bool { return m["sent"] == float64(pins[0]) })
			assert.InDelta(t, 38_000, out["hz"], 50)
			train := out["train"].([]any)
			require.Len(t, train, len(press)-1)
			for i, d := range train {
				assert.InDelta(t, press[i], d, map[string]float64{"pio": 14, "software": 7}[k.name], "duration %d", i)
			}
			assert.Equal(t, "ir-in", heard.Port)
			require.Len(t, heard.Train, len(press)-1)
			for i, d := range heard.Train {
				assert.InDelta(t, train[i], d, 4)
			}
			assert.GreaterOrEqual(t, heard.Gap, 20_000)
		})
	}
}

func TestWiFi_ComesBackByItself(t *testing.T) {
	t.Parallel()
	address, links := doorAt(t)
	v := wifitest.Start(t, folderOf(t, "rp2040", address), "{}")
	l := <-links
	next[station.Hello](t, l)
	require.NoError(t, l.Tell(t.Context(), station.Welcome{Link: 1}))
	v.Says("at the house, as garden")

	long := station.Send{ID: "long", Port: "ir-out", CarrierHz: 38_000, Repeat: press, Repeats: 20, GapUS: 40_000}
	require.NoError(t, l.Tell(t.Context(), long))
	v.Order(`{"cut":true}`) // the house restarts in the middle of a send
	v.Says("not at the house")
	again := <-links
	next[station.Hello](t, again)
	require.NoError(t, again.Tell(t.Context(), long))
	sent := next[station.Sent](t, again)
	assert.Equal(t, "long", sent.ID, "it is answered, and was not sent twice")
	out := v.Await("what it sent", func(m map[string]any) bool { return m["sent"] != nil })
	assert.Len(t, out["train"], 20*len(press)-1)

	v.Order(`{"wifi":false}`)
	v.Says("Wi-Fi: away")
	v.Order(`{"wifi":true}`)
	v.Says("Wi-Fi: here")
	next[station.Hello](t, <-links)
}

// TestWiFi_SpeaksTLS: the house's certificate is checked against its authority as boards can read it, whatever address
// the board dials, by a clock that the board gets from the house.
func TestWiFi_SpeaksTLS(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	dir := filepath.Join(t.TempDir(), "tls")
	own, err := certs.Make(dir, []string{"house.test"}, time.Now())
	require.NoError(t, err)
	keeper, err := certs.KeepLocal(dir, time.Now)
	require.NoError(t, err)
	other := filepath.Join(t.TempDir(), "tls")
	others, err := certs.Make(other, []string{"house.test"}, time.Now())
	require.NoError(t, err)
	address, links := securedDoor(t, keeper.Config())
	start := func(authority []byte, certified string) *wifitest.Board {
		return wifitest.Start(t, folderFor(t, wifi.Config{Board: "rp2040", House: address, Authority: string(authority),
			Certified: certified}), "{}")
	}

	v := start(own.Boards, own.Name())
	l := <-links
	assert.Equal(t, "garden", next[station.Hello](t, l).Station)
	require.NoError(t, l.Tell(t.Context(), station.Welcome{Link: 1}))
	v.Says("at the house, as garden")
	for range 5 {
		require.NoError(t, l.Tell(t.Context(), station.Ping{}))
		next[station.Pong](t, l)
	}

	for name, c := range map[string]struct {
		authority []byte
		certified string
	}{"another authority": {others.Boards, "house.test"}, "another name": {own.Boards, "shed.test"},
		"bounds that boards do not know": {own.PEM, "house.test"}} {
		t.Run(name, func(t *testing.T) {
			start(c.authority, c.certified).Says("not at the house")
			select {
			case <-links:
				assert.Fail(t, "it came in")
			default:
			}
		})
	}
	start(nil, "").Says("AUTHORITY names a file with the house's authority")
}

func TestWiFi_SaysWhatIsWrong(t *testing.T) {
	t.Parallel()
	address, links := doorAt(t)
	folder := folderOf(t, "other", address)
	text, err := os.ReadFile(filepath.Join(folder, "main.py"))
	require.NoError(t, err)
	change := func(old, new string) {
		require.Contains(t, string(text), old)
		changed := strings.Replace(string(text), old, new, 1)
		require.NoError(t, os.WriteFile(filepath.Join(folder, "main.py"), []byte(changed), 0o600))
	}
	change(`"pin": 4,`, `"pin": 77,`)
	v := wifitest.Start(t, folder, "{}")
	v.Says("port ir-out at pin 77 does not work: invalid pin")
	l := <-links
	hello := next[station.Hello](t, l)
	require.Len(t, hello.Ports, 1)
	require.NoError(t, l.Tell(t.Context(), station.Welcome{Link: 1}))
	note := next[station.Note](t, l)
	assert.Equal(t, "error", note.Severity)
	assert.Contains(t, note.Text, "pin 77")

	change(`"a secret"`, `"another"`)
	wifitest.Start(t, folder, "{}").Says("its token is not one of a station here")

	nobody, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	change(strings.Replace(address, "http", "ws", 1), "ws://"+nobody.Addr().String())
	require.NoError(t, nobody.Close())
	wifitest.Start(t, folder, "{}").Says("not at the house")

	change(`WIFI = "home"`, `WIFI = ""`)
	cmd := exec.CommandContext(t.Context(), "node", filepath.Join(wifitest.Bench(t), "bench.mjs"), folder)
	out, err := cmd.CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "write the name and password of your Wi-Fi into main.py")
}

// output is what a script of the bench prints, as JSON.
func output(t *testing.T, into any, script string, argv ...string) {
	t.Helper()
	argv = append([]string{filepath.Join(wifitest.Bench(t), script)}, argv...)
	cmd := exec.CommandContext(t.Context(), "node", argv...)
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(out, into), "%s", out)
}

// TestPrograms_KeepTime runs the programs of the state machines in an emulator, instruction by instruction.
func TestPrograms_KeepTime(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	var got struct {
		On           float64 `json:"on"`
		Keyed, Plain struct {
			Sent   []float64 `json:"sent"`
			Clocks float64   `json:"clocks"`
		}
		Ear []float64 `json:"ear"`
	}
	durations := []int{9000, 4500, 560, 560, 560, 1690, 100, 200, 600, 160_000, 350, 40_000, 26, 300, 700, 20_000}
	text, err := json.Marshal(durations)
	require.NoError(t, err)
	output(t, &got, "emulate.mjs", folderOf(t, "rp2040", "http://127.0.0.1:1"), string(text))
	want := durations[:len(durations)-1] // the last space goes on in silence
	assert.InDelta(t, 1.0/3, got.On, 0.001, "the carrier is on for a third")
	const cycle = 1e6 / 38_000
	for name, one := range map[string]struct {
		sent  []float64
		close float64
	}{"keyed": {got.Keyed.Sent, cycle}, "plain": {got.Plain.Sent, 2}} {
		require.Len(t, one.sent, len(want), name)
		at, meant := 0.0, 0.0
		for i, d := range one.sent {
			at, meant = at+d, meant+float64(want[i])
			assert.InDelta(t, meant, at, one.close, "%s: the end of duration %d", name, i+1)
		}
	}
	require.Len(t, got.Ear, len(want)+1)
	for i, d := range got.Ear[1:] {
		assert.InDelta(t, want[i], max(d, -d), 2.5, "what is heard of duration %d", i+1)
		assert.Equal(t, i%2 == 0, d > 0)
	}
}

// TestFiles_FitASmallBoard guards what the files take of a board's memory, in bytes.
func TestFiles_FitASmallBoard(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	for _, b := range wifi.Boards() {
		var got struct {
			Kept             map[string]int
			Needs, Compiling int
		}
		output(t, &got, "memory.mjs", folderOf(t, b.Name, "http://127.0.0.1:1"), b.Kind)
		assert.Less(t, got.Kept["a station"]+got.Kept["64 ids"], 20_000, b.Name)
		assert.Less(t, got.Compiling, 50_000, b.Name)
		assert.Less(t, got.Needs, 60_000, b.Name)
	}
}

func TestFiles_SayWhatIsWrong(t *testing.T) {
	t.Parallel()
	_, err := wifi.Files(wifi.Config{Board: "toaster", House: "http://10.0.0.1:8433"})
	assert.ErrorContains(t, err, "there are rp2040, esp32, other")
	_, err = wifi.Files(wifi.Config{Board: "esp32", House: "10.0.0.1"})
	assert.ErrorContains(t, err, "http://HOST:PORT")
	all, err := wifi.Files(wifi.Config{Board: "esp32", Name: "garden", Token: `a"b`, House: "https://10.0.0.1:8433"})
	require.NoError(t, err)
	assert.Equal(t, "main.py", all[0].Name)
	assert.Contains(t, all[0].Text, `HOUSE = "wss://10.0.0.1:8433"`)
	assert.Contains(t, all[0].Text, `TOKEN = "a\"b"`)
	for _, f := range all {
		assert.NotContains(t, f.Text, "@")
	}
}

func TestWiFi_SendsRadio(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	for _, k := range kinds {
		t.Run(k.name, func(t *testing.T) {
			address, links := doorAt(t)
			folder := folderOf(t, k.board, address)
			main := filepath.Join(folder, "main.py")
			text, err := os.ReadFile(main)
			require.NoError(t, err)
			require.Contains(t, string(text), "# {")
			require.NoError(t, os.WriteFile(main, []byte(strings.Replace(string(text), "# {", "{", 1)), 0o600))
			if k.name == "software" {
				k.options = inVirtualTime
			}
			v := wifitest.Start(t, folder, k.options)
			l := <-links
			hello := next[station.Hello](t, l)
			require.Len(t, hello.Ports, 3)
			assert.Equal(t, station.Port{ID: "radio-out", Direction: station.Transmitter, Medium: "radio",
				FromHz: 433_920_000, ToHz: 433_920_000, Longest: 512}, hello.Ports[2])
			require.NoError(t, l.Tell(t.Context(), station.Welcome{Link: 1}))
			frame := []int{350, 1050, 1050, 350, 350, 10_850}
			require.NoError(t, l.Tell(t.Context(), station.Send{ID: "r", Port: "radio-out", FrequencyHz: 433_920_000,
				Repeat: frame, Repeats: 3, GapUS: 20_000}))
			out := v.Await("what it sent", func(m map[string]any) bool { return m["sent"] != nil })
			assert.Zero(t, out["hz"], "no carrier")
			train := out["train"].([]any)
			require.Len(t, train, 3*len(frame)-1)
			for i, d := range train {
				if i%len(frame) != len(frame)-1 { // from frame to frame others may go on
					assert.InDelta(t, frame[i%len(frame)], d, 7, "duration %d", i)
				}
			}
			assert.Equal(t, "r", next[station.Sent](t, l).ID)
		})
	}
}

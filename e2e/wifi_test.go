package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/firmware/wifi/wifitest"
	"urbo/wire"
)

// trainOf is what a handset sends, as the bench's order to let a board hear it.
func trainOf(t *testing.T, pin int, command int64) string {
	t.Helper()
	code := device.Code{Sheet: "nec", Fields: line.Fields{"address": line.Number(9), "command": line.Number(command)}}
	b, err := code.Burst(line.Builtin())
	require.NoError(t, err)
	text := strings.ReplaceAll(fmt.Sprint(b.Once[:len(b.Once)-1]), " ", ",")
	return fmt.Sprintf(`{"hear":%d,"train":%s}`, pin, text)
}

// joins writes a network into the files of a board.
func joins(t *testing.T, folder string) {
	t.Helper()
	main := filepath.Join(folder, "main.py")
	text, err := os.ReadFile(main)
	require.NoError(t, err)
	joined := strings.Replace(string(text), `WIFI = ""`, `WIFI = "home"`, 1)
	require.NoError(t, os.WriteFile(main, []byte(joined), 0o600))
}

// TestWiFiStation_FromTheFilesToAPressedKey adds a Wi-Fi board, runs the files that were written, and uses it: a
// lesson, a press, a held press, a self-test, a restart of the house, and the end of its token.
func TestWiFiStation_FromTheFilesToAPressedKey(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	data := t.TempDir()
	r := start(t, data, "serve")
	at := strings.TrimPrefix(r.url, "http://")
	folder := filepath.Join(t.TempDir(), "shed")
	res := r.urbo("station", "add", "shed", "--wifi", "rp2040", "--house", r.url, "--out", folder)
	require.Zero(t, res.code, res.err)
	assert.Contains(t, res.out, "Copy all 5 files")
	main := filepath.Join(folder, "main.py")
	info, err := os.Stat(main)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "it has the token in it")
	joins(t, folder)
	again := r.urbo("station", "add", "shed-2", "--wifi", "rp2040", "--house", r.url, "--out", folder)
	assert.Equal(t, 2, again.code)
	assert.Contains(t, again.err, "there is a main.py")
	away := r.urbo("station", "add", "pier", "--wifi", "esp32", "--house", "https://urbo.test", "--out", t.TempDir())
	require.Zero(t, away.code, away.err)
	assert.Contains(t, away.err, "write the file's name into AUTHORITY")

	b := wifitest.Start(t, folder, `{"loop":{"15":16}}`)
	is := func(here bool) {
		require.Eventually(t, func() bool {
			var s wire.Station
			return decode(r.ok(nil, "station", "show", "shed", "--output", "json"), &s) == nil && s.Here == here
		}, patience, tick, "it is here: %t", here)
	}
	is(true)

	r.ok(nil, "device", "add", "Lamp", "--kind", "light")
	var lesson wire.Lesson
	token := r.owner()
	require.Equal(t, http.StatusCreated, r.http(token, "POST", "/api/lessons",
		wire.NewLesson{Device: "lamp", Keys: []string{"red"}}, &lesson))
	for n := range 2 {
		b.Order(trainOf(t, 16, 5))
		require.Eventually(t, func() bool {
			l := r.lesson(token, lesson.ID)
			return l.Last != nil && (len(l.Takes) > n || l.Keys[0].State == "settled")
		}, patience, tick)
	}
	require.Eventually(t, func() bool { return r.lesson(token, lesson.ID).Keys[0].State == "settled" }, patience, tick)

	res = r.urbo("press", "lamp/red")
	require.Zero(t, res.code, res.err)
	assert.Contains(t, res.out, "through shed/ir-out")
	sent := b.Await("what it sent", func(m map[string]any) bool { return m["sent"] == 15.0 })
	assert.Len(t, sent["train"], 67)
	began := time.Now()
	res = r.urbo("press", "lamp/red", "--hold", "1500ms")
	require.Zero(t, res.code, res.err)
	assert.GreaterOrEqual(t, time.Since(began), 1500*time.Millisecond)
	held := b.Await("what it sent", func(m map[string]any) bool { return m["sent"] == 15.0 })
	assert.Greater(t, len(held["train"].([]any)), 67+4*8, "repeat frames while it is held")
	require.Eventually(t, func() bool { // it keeps real time, and a busy machine may not
		return strings.Contains(r.urbo("station", "test", "shed").out, "shed/ir-in hears it")
	}, patience, tick)

	r.stop()
	b.Says("not at the house")
	r = startAt(t, data, at, "serve")
	is(true)
	res = r.urbo("press", "lamp/red")
	require.Zero(t, res.code, res.err)

	r.ok(nil, "station", "remove", "shed")
	b.Says("its token is not one of a station here")
}

// TestWiFiStation_TwoBoardsWithOneToken: each hears why it has to go, and the house says what is wrong.
func TestWiFiStation_TwoBoardsWithOneToken(t *testing.T) {
	t.Parallel()
	wifitest.Bench(t)
	r := start(t, "", "serve")
	folder := filepath.Join(t.TempDir(), "shed")
	r.ok(nil, "station", "add", "shed", "--wifi", "esp32", "--house", r.url, "--out", folder)
	joins(t, folder)
	one := wifitest.Start(t, folder, "{}")
	one.Says("at the house, as shed")
	two := wifitest.Start(t, folder, "{}")
	two.Says("at the house, as shed")
	one.Says("another station came with this token")
	two.Says("another station came with this token")
	require.Eventually(t, func() bool {
		return strings.Contains(r.ok(nil, "journal"), "Two stations come with the token of shed")
	}, patience, tick)
}

// TestConsole_OffersTheFilesOfAWiFiBoard adds a board in the console, and reads what it lets the browser save.
func TestConsole_OffersTheFilesOfAWiFiBoard(t *testing.T) {
	t.Parallel()
	r := start(t, "", "serve")
	b := open(t, r, 1280, 800)
	b.visit(r, "/house/stations")
	b.click("Add a station")
	b.choose("How it is reached", "a Wi-Fi board")
	b.choose("The board", "ESP32")
	b.see("give its address in your network") // the console was opened at 127.0.0.1
	b.fill("This house, as the board reaches it", "http://10.0.0.2:8433")
	b.fill("Name", "shed")
	b.click("Add it")
	b.see("GPIO 4: the infrared LED")
	b.see("Waiting until it says hello")
	b.eval(`window.saved = []; URL.createObjectURL = (file) => (file.text().then((t) => saved.push(t)), 'blob:none')`)
	b.click("Save all")
	b.until("saved.length === 5")
	main, err := value[string](b, `saved.find((t) => t.includes('HOUSE = '))`)
	require.NoError(t, err)
	assert.Contains(t, main, `HOUSE = "ws://10.0.0.2:8433"`)
	assert.Regexp(t, `TOKEN = "[0-9a-f]{40,}"`, main)
	assert.Contains(t, main, "import rmt")
}

package e2e

import (
	"bytes"
	le "encoding/binary"
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/speech"
	"urbo/wire"
)

var voiceTable = flag.String("voices", "", "write the table of what is heard of four voices into this file")

// voices are those of espeak-ng that speak in the tests.
var voices = []string{"en-us+f2", "en-us+f3", "en-gb-x-rp+f3", "en-us"}

// spoken are phrases of the observatory, as people would say them aloud.
var spoken = []string{
	"turn on the boardwalk lights", "boardwalk off", "boardwalk red", "lights on", "make the boardwalk amber",
	"turn off the boardwalk lights", "switch on the heat pump", "turn on the lecture amplifier", "amplifier off",
	"amplifier volume twenty two", "set the amplifier volume to thirty", "amplifier louder", "amplifier a bit quieter",
	"weather radio on", "radio volume twelve", "turn off the weather radio", "dew heater a on", "dew heaters off",
	"heat pump off", "set the heat pump target to twenty one", "heat pump warmer", "projection screen down",
	"open the projection screen", "close the dome shutter", "everything off in the lecture room", "everything off",
	"turn off the heat pump in ten minutes", "boardwalk on for half an hour", "amplifier off in twenty minutes",
	"start observing run", "again", "undo",
}

// foreign is what is said in a house and not to it.
var foreign = []string{
	"what shall we have for dinner", "the weather is nice today", "did you see the game last night",
	"i left my keys in the kitchen", "the train leaves at a quarter past nine", "he plays the guitar very well",
	"where did you put the newspaper", "it may rain on saturday", "my sister lives near the river",
	"please pass me the salt", "have you read this book", "this tea is far too hot",
}

// speaks is what espeak-ng says, as a recording for the house.
func speaks(t *testing.T, voice, text string) []byte {
	t.Helper()
	out, err := exec.Command("espeak-ng", "-v", voice, "-s", "150", "--stdout", text).Output()
	require.NoError(t, err)
	at := bytes.Index(out, []byte("data"))
	require.Positive(t, at)
	rate := float64(le.LittleEndian.Uint32(out[24:]))
	var x []float64
	for raw := out[at+8:]; len(raw) >= 2; raw = raw[2:] {
		x = append(x, float64(int16(le.LittleEndian.Uint16(raw))))
	}
	y := make([]int16, int(float64(len(x))*speech.Rate/rate))
	const side = 16
	cut := speech.Rate / rate * 0.95
	for i := range y { // a windowed sinc
		mid := float64(i) * rate / speech.Rate
		sum := 0.0
		for k := int(mid) - side; k <= int(mid)+side; k++ {
			if d := mid - float64(k); k >= 0 && k < len(x) && math.Abs(d) < side {
				w := cut * (0.5 + 0.5*math.Cos(math.Pi*d/side))
				if p := math.Pi * d * cut; math.Abs(p) > 1e-9 {
					w *= math.Sin(p) / p
				}
				sum += w * x[k]
			}
		}
		y[i] = int16(max(-32767, min(32767, sum)))
	}
	quiet := make([]int16, speech.Rate/4)
	return speech.WriteWAV(append(append(quiet, y...), quiet...))
}

// hears posts a recording.
func (r *running) hears(token string, wav []byte, act bool) (int, wire.Heard) {
	r.t.Helper()
	path := "/api/speech"
	if act {
		path += "?act=true"
	}
	resp, data := r.request(token, http.MethodPost, path, bytes.NewReader(wav))
	var h wire.Heard
	if resp.StatusCode == http.StatusOK {
		require.NoError(r.t, json.Unmarshal(data, &h))
	} else {
		r.t.Log(string(data))
	}
	return resp.StatusCode, h
}

// score is what came of what one voice said.
type score struct{ right, asked, other, none, foreign, meant int }

// TestSpeech_OfFourVoices lets four voices say phrases of the observatory, and what is no phrase. Nothing of it is
// done. With -voices FILE the table of what was heard is written.
func TestSpeech_OfFourVoices(t *testing.T) {
	t.Parallel()
	if _, err := exec.LookPath("espeak-ng"); err != nil {
		t.Skip("espeak-ng is not installed")
	}
	r := start(t, "", "demo")
	token := r.owner()
	if !strings.Contains(r.ok(nil, "speech", "show"), "recognises") {
		t.Skip("pocketsphinx is not installed")
	}
	before := r.presses()
	means := func(h wire.Heard) string {
		if h.Understood == nil {
			return ""
		}
		return h.Understood.Does + h.Understood.Steps + h.Understood.Question
	}
	said := spoken
	tried := voices
	if *voiceTable == "" { // a quarter of it is enough to notice that something broke
		said, tried = spoken[:16], voices[:2]
	}
	var rows strings.Builder
	best := 0.0
	for _, voice := range tried {
		var s score
		for _, text := range said {
			var want wire.Understood
			typed := r.http(token, "POST", "/api/phrase", wire.Phrase{Text: text}, &want)
			code, h := r.hears(token, speaks(t, voice, text), true)
			got := means(h)
			switch {
			case code == http.StatusOK && (h.Text == text || got == means(wire.Heard{Understood: &want}) &&
				typed == 200):
				s.right++
			case code != http.StatusOK || h.Understood == nil:
				s.none++
				fmt.Fprintf(&rows, "%s: %q: heard %q %d\n", voice, text, h.Text, code)
			case h.Understood.Does == "question":
				s.asked++
				fmt.Fprintf(&rows, "%s: %q: asked of %q\n", voice, text, h.Text)
			default:
				s.other++
				fmt.Fprintf(&rows, "%s: %q: other, %q\n", voice, text, h.Text)
			}
			assert.False(t, h.Done, text)
		}
		if *voiceTable != "" {
			for _, text := range foreign {
				s.foreign++
				if code, h := r.hears(token, speaks(t, voice, text), true); code == http.StatusOK &&
					h.Understood != nil &&
					h.Understood.Does != "question" {
					s.meant++
				}
			}
		}
		fmt.Fprintf(&rows, "| %s | %d of %d | %d | %d | %d | %d of %d |\n", voice, s.right, len(said), s.other, s.asked,
			s.none, s.meant, s.foreign)
		best = max(best, float64(s.right)/float64(len(said)))
	}
	t.Log("\n" + rows.String())
	assert.Greater(t, best, 0.8)
	assert.Equal(t, before, r.presses(), "nothing of that was done")
	if *voiceTable != "" {
		require.NoError(t, os.MkdirAll(filepath.Dir(*voiceTable), 0o755))
		require.NoError(t, os.WriteFile(*voiceTable, []byte(rows.String()), 0o644))
	}
}

// talks is a browser whose microphone hears a recording, again and again.
func talks(t *testing.T, wav []byte) []chromedp.ExecAllocatorOption {
	t.Helper()
	file := filepath.Join(t.TempDir(), "said.wav")
	x, err := speech.ReadWAV(wav)
	require.NoError(t, err)
	wav = speech.WriteWAV(append(x, make([]int16, 10*speech.Rate)...)) // once, and then nothing
	require.NoError(t, os.WriteFile(file, wav, 0o600))
	return []chromedp.ExecAllocatorOption{chromedp.Flag("use-fake-device-for-media-stream", true),
		chromedp.Flag("use-fake-ui-for-media-stream", true), chromedp.Flag("use-file-for-fake-audio-capture", file)}
}

// hold holds a button down by its text, until something is so on the page.
func (b *browser) hold(text, until string) {
	b.t.Helper()
	b.see(text)
	at, err := value[[]float64](b,
		`(r => [r.x + r.width / 2, r.y + r.height / 2])([...document.querySelectorAll('button')]`+
			`.find(e => e.innerText.trim() === `+quote(text)+`).getBoundingClientRect())`)
	require.NoError(b.t, err)
	b.mouse(input.DispatchMouseEventTypeMousePressed, at[0], at[1])
	b.until(until)
	b.mouse(input.DispatchMouseEventTypeMouseReleased, at[0], at[1])
}

// TestSpeech_InTheConsole holds the microphone's button while a program speaks: what was heard stands in the field,
// with what it means, and one tap does it. A phrase that is trusted is done at once.
func TestSpeech_InTheConsole(t *testing.T) {
	t.Parallel()
	if _, err := exec.LookPath("espeak-ng"); err != nil {
		t.Skip("espeak-ng is not installed")
	}
	r := start(t, "", "demo")
	token := r.owner()
	r.ok(nil, "tell", "boardwalk", "power", "off")
	assert.Contains(t, r.urbo("speech", "trust", "projection", "screen", "down").err, "which moves")
	assert.Contains(t, r.urbo("speech", "trust", "amplifier", "volume", "up").err, "goes on from where things are")
	if !strings.Contains(r.ok(nil, "speech", "show"), "recognises") {
		t.Skip("pocketsphinx is not installed")
	}
	const said = "turn on the boardwalk lights"
	b := open(t, r, 1280, 800, talks(t, speaks(t, voices[0], said))...)
	b.click("Say")
	spoken := func() { // it is recorded until all of it was said
		b.eval("window.since = undefined")
		b.hold("Hold and speak", "document.body.innerText.includes('Listening: let go') && (window.since ??= "+
			"Date.now()) < Date.now() - 3200")
		b.until("document.querySelector('[role=dialog] input').value === " + quote(said))
	}
	spoken()
	b.see("Boardwalk lights on")
	b.see("1 press")
	assert.Equal(t, "off", r.fact(token, "boardwalk", "power"), "nothing is done before a tap")
	b.click("Do it")
	r.becomes(token, "boardwalk", "power", "on")

	r.ok(nil, "speech", "trust", said)
	r.ok(nil, "say", "boardwalk off")
	r.becomes(token, "boardwalk", "power", "off")
	spoken()
	r.becomes(token, "boardwalk", "power", "on")
	r.ok(nil, "speech", "distrust", said)
	assert.Contains(t, r.ok(nil, "speech", "show"), "No phrase is trusted")
}

// TestSpeech_BadRecordings gives the house recordings that lie, are too long, or say nothing.
func TestSpeech_BadRecordings(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--speech", "/bin/cat {wav}")
	token := r.owner()
	tone := make([]int16, speech.Rate)
	for i := range tone {
		tone[i] = int16(9000 * math.Sin(float64(i)/5))
	}
	good := speech.WriteWAV(tone)
	lies := bytes.Clone(good)
	le.LittleEndian.PutUint32(lies[40:], 1<<31)
	stereo := bytes.Clone(good)
	stereo[22] = 2
	hour := append(speech.WriteWAV(nil), make([]byte, 64<<20)...)
	for name, c := range map[string]struct {
		file []byte
		code int
	}{"no sound": {[]byte("hello"), 422}, "empty": {nil, 422}, "cut off": {good[:30], 422}, "stereo": {stereo, 422},
		"silence": {speech.WriteWAV(make([]int16, speech.Rate)), 422}, "an hour": {hour, 422},
		"a header without samples": {good[:44], 422}, "a length that is not there": {lies, 503}} {
		resp, data := r.request(token, http.MethodPost, "/api/speech", bytes.NewReader(c.file))
		assert.Equal(t, c.code, resp.StatusCode, name)
		assert.Contains(t, string(data), "detail", name)
	}
	resp, _ := r.request("", http.MethodPost, "/api/speech", bytes.NewReader(good))
	assert.Equal(t, http.StatusUnauthorized, resp.StatusCode)
}

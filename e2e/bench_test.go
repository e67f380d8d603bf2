package e2e

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/happening"
	"urbo/wire"
)

// clicker is key a of the old handset, from the description of its pulses: a lead, 18 bits told by their
// marks, a tail, which nobody can tell from one more bit.
func clicker() string {
	var b strings.Builder
	b.WriteString("2960/1480 ")
	for _, bit := range "101100100110000101" {
		if bit == '1' {
			b.WriteString("1110/740 ")
		} else {
			b.WriteString("370/740 ")
		}
	}
	b.WriteString("370/31000 ")
	return b.String()
}

// upload sends a recording in.
func (r *running) upload(token, name string, data []byte, query string) (int, string) {
	r.t.Helper()
	resp, body := r.request(token, "POST", "/api/bench/import?name="+url.QueryEscape(name)+query, bytes.NewReader(data))
	return resp.StatusCode, string(body)
}

// download gets a file.
func (r *running) download(token, path string) []byte {
	r.t.Helper()
	resp, data := r.request(token, "GET", path, nil)
	require.Equal(r.t, http.StatusOK, resp.StatusCode, string(data))
	assert.Contains(r.t, resp.Header.Get("Content-Disposition"), "attachment")
	return data
}

// TestBench_AnUnknownSignalFromARecordingToARecognisedKey is the way of a signal that nobody has a name for.
func TestBench_AnUnknownSignalFromARecordingToARecognisedKey(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "3")
	token := r.owner()
	wav := filepath.Join(t.TempDir(), "clicker.wav")
	res := run(t, strings.Repeat(clicker(), 10), nil, "bench", "export", "-", "--as", "wav", "--out", wav)
	require.Zero(t, res.code, res.err)

	res = run(t, "", nil, "bench", "describe", wav)
	require.Zero(t, res.code, res.err)
	assert.Contains(t, res.out, "19 bits; bits are told by their marks; unit 370 µs. 10 equal frames, 31.0 ms apart.")
	assert.Contains(t, res.out, "1011 0010 0110 0001 010")

	data, err := os.ReadFile(wav)
	require.NoError(t, err)
	status, body := r.upload(token, "clicker.wav", data, "")
	require.Equal(t, http.StatusCreated, status, body)
	var captures []wire.Capture
	require.Equal(t, 200, r.http(token, "GET", "/api/captures", nil, &captures))
	require.Len(t, captures, 1)
	assert.Equal(t, "recording", captures[0].Station)
	assert.Empty(t, captures[0].Readings)

	r.ok(nil, "device", "remove", "clicker", "--yes")
	r.ok(nil, "device", "add", "Old handset", "--slug", "clicker", "--keys", "a")
	var d wire.Device
	require.Equal(t, 200, r.http(token, "POST", "/api/captures/"+captures[0].ID+"/keep",
		wire.KeyRef{Device: "clicker", Key: "a"}, &d))
	require.NotEmpty(t, d.Keys[0].Codes)
	assert.Contains(t, d.Keys[0].Codes[0].Inline, "style: mark")
	assert.Equal(t, "1011001001100001010", d.Keys[0].Codes[0].Fields["bits"])

	heard := func() wire.Capture {
		require.Equal(t, 200, r.http(token, "GET", "/api/captures", nil, &captures))
		return captures[0]
	}
	r.ok(nil, "press", "clicker/a")
	require.Eventually(t, func() bool { return heard().Echo }, patience, tick,
		"it went out onto the stage, and a receiver heard it")
	assert.Equal(t, "clicker/a", heard().Keys[0].String())

	for _, key := range []string{"b", "a"} {
		require.Equal(t, 204, r.http(token, "POST", "/api/stage/handsets/clicker/keys/"+key+"/press", nil, nil))
		before := len(captures)
		require.Eventually(t, func() bool { heard(); return len(captures) > before && !captures[0].Echo }, patience,
			tick)
		if key == "a" {
			require.Len(t, captures[0].Keys, 1, "its own handset is recognised")
			assert.Equal(t, "clicker/a", captures[0].Keys[0].String())
		} else {
			assert.Empty(t, captures[0].Keys, "another key of the same handset is not")
		}
	}
	assert.Contains(t, r.ok(nil, "device", "export", "clicker/a", "--as", "c"), "const uint32_t clicker_a[")
	for _, format := range []string{"vcd", "csv", "wav", "text", "c"} {
		for _, path := range []string{"/api/captures/" + captures[0].ID, "/api/devices/clicker/keys/a"} {
			file := r.download(token, path+"/file?as="+format)
			status, body := r.upload(token, "again", file, "")
			require.Equal(t, http.StatusCreated, status, body)
			require.Contains(t, body, `"keys":[{"device":"clicker","key":"a"}]`, "%s as %s", path, format)
		}
	}
}

func TestBench_SendsComparesAndRefuses(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	var ids []string
	for _, code := range []string{"nec address=57 command=2", "nec address=57 command=5", "hop66 encrypted=7 fixed=9"} {
		res := run(t, "", nil, "bench", "export", "--code", code)
		if code[0] == 'h' {
			require.Equal(t, 1, res.code)
			assert.Contains(t, res.err, "cannot be replayed")
			continue
		}
		require.Zero(t, res.code, res.err)
		status, body := r.upload(token, "pasted", []byte(res.out), "")
		require.Equal(t, http.StatusCreated, status, body)
		id := body[strings.Index(body, `"capture_id":"`)+len(`"capture_id":"`):]
		ids = append(ids, id[:20])
	}
	var p wire.Press
	require.Equal(t, 200, r.http(token, "POST", "/api/captures/"+ids[0]+"/send", nil, &p))
	assert.Equal(t, happening.Sent, p.Outcome)
	r.becomes(token, "boardwalk", "power", "on")
	var c wire.Comparison
	require.Equal(t, 200, r.http(token, "GET", "/api/captures/"+ids[0]+"/compare/"+ids[1], nil, &c))
	assert.Equal(t, "bits", c.Verdict)
	assert.Contains(t, c.Words, "6 of 32 differ")
	assert.Equal(t, 404, r.http(token, "GET", "/api/captures/nowhere", nil, nil))
	assert.Equal(t, 422, r.http(token, "POST", "/api/captures/"+ids[0]+"/keep",
		wire.KeyRef{Device: "boardwalk", Key: "Not A Key"}, nil))

	for _, bad := range []struct{ name, data, query, want string }{
		{"a.wav", "\x89PNG\r\n\x1a\n", "", "this is a picture"},
		{"a.txt", "500 600 oh", "", `line 1: malformed train: number 3 is \"oh\"`},
		{"a.iq", "\x00\x01\x02", "&rate_hz=1000000&datatype=mp3", "cu8, ci8, ci16_le"},
		{"", "", "", "it is empty"},
	} {
		status, body := r.upload(token, bad.name, []byte(bad.data), bad.query)
		assert.Equal(t, http.StatusUnprocessableEntity, status)
		assert.Contains(t, body, bad.want)
	}
}

func TestSheets_OfOnesOwnAreReadFromTheDataDirectory(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(data, "sheets"), 0o700))
	file := filepath.Join(t.TempDir(), "clicker.txt")
	require.NoError(t, os.WriteFile(file, []byte(strings.Repeat(clicker(), 3)), 0o600))
	res := run(t, "", nil, "bench", "describe", file, "--sheet", "clicker")
	require.Zero(t, res.code, res.err)
	require.NoError(t, os.WriteFile(filepath.Join(data, "sheets", "clicker.yaml"), []byte(res.out), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(data, "sheets", "broken.yaml"), []byte("sheet: nec\nmedium: smoke\n"),
		0o600))

	r := start(t, data, "demo")
	token := r.owner()
	require.Equal(t, 204, r.http(token, "POST", "/api/stage/handsets/clicker/keys/a/press", nil, nil))
	var captures []wire.Capture
	require.Eventually(t, func() bool {
		require.Equal(t, 200, r.http(token, "GET", "/api/captures", nil, &captures))
		return len(captures) == 1
	}, patience, tick)
	require.NotEmpty(t, captures[0].Readings)
	assert.Equal(t, "clicker", captures[0].Readings[0].Sheet)
	assert.Equal(t, "1011001001100001010", captures[0].Readings[0].Fields["bits"])
	var page wire.JournalPage
	require.Equal(t, 200, r.http(token, "GET", "/api/journal?limit=200", nil, &page))
	assert.Contains(t, fmt.Sprint(page), "broken.yaml", "the journal says which sheet was left out, and why")

	env := []string{"URBO_DATA=" + data}
	res = run(t, "", env, "sheet", "list")
	assert.Zero(t, res.code)
	assert.Contains(t, res.out, "clicker")
	assert.Contains(t, res.err, "broken.yaml")
	res = run(t, "", env, "bench", "decode", file)
	assert.Contains(t, res.out, "bits=1011001001100001010")
}

// TestConsole_ARecordingBecomesAKey is the bench as people see it.
func TestConsole_ARecordingBecomesAKey(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	b := open(t, r, 1280, 800)
	b.visit(r, "/bench")
	b.drop("broken.txt", "500 600 oh")
	b.see(`number 3 is "oh"`)
	b.drop("found.txt", strings.Repeat(strings.TrimSpace(clicker())+"\n", 3)+codeText(t, "nec address=57 command=2"))
	b.see("4 presses, 2 different")
	b.eval(`[...document.querySelectorAll('a')].find(e => e.innerText.includes('nec: address 57')).click()`)
	b.see("Clean, it is nec: address 57, command 2.")
	b.until(`document.querySelector('section canvas')`)
	b.click("Send this")
	b.see("Sent by lecture/ir-out")
	r.becomes(r.owner(), "boardwalk", "power", "on")

	b.visit(r, "/bench")
	b.until(`document.querySelectorAll('section[aria-label="Heard and read"] a').length >= 3`)
	b.eval(`[...document.querySelectorAll('section[aria-label="Heard and read"] a')].find(e => e.innerText.includes('3 ×')).click()`)
	b.see("19 bits; bits are told by their marks")
	b.choose("Another signal", "boardwalk power")
	b.see("Two different kinds of frame")
	b.click("As heard")
	b.see("100.0 %")
	b.click("Take signal 2 away")
	b.until(`!document.body.innerText.includes("Two different kinds of frame")`)
	b.choose("Another signal", "boardwalk power")
	b.see("Two different kinds of frame")
	b.until(`!document.body.innerText.includes("100.0 %")`) // what was laid by hand was another
	b.click("Take signal 2 away")
	b.choose("Make this a key of", "Lecture projector")
	b.fill("Key", "spare")
	b.click("Make it this key")
	b.see("spare sends this now.")
	b.see("spare")
}

// TestConsole_SeveralSignalsAreLaidOverEachOther: a key that is pressed again and again is folded, and of the signals
// that lie below each other the bits that changed are marked.
func TestConsole_SeveralSignalsAreLaidOverEachOther(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	b := open(t, r, 1280, 800)
	b.visit(r, "/bench")
	for _, values := range []string{"F01F10F00F1F", "F01F10F00FF1", "F01F10F00F1F", "F01F10F00F1F", "F01F10F00F1F"} {
		b.drop("found.txt", codeText(t, "pt2262 values="+values))
		b.see("1 press")
		b.visit(r, "/bench")
	}
	const heard = `document.querySelectorAll('section[aria-label="Heard and read"] a').length`
	b.until(heard + " === 3")
	b.click("2 more like it")
	b.until(heard + " === 5")
	b.eval(`document.querySelector('section[aria-label="Heard and read"] a').click()`)
	b.choose("Another signal", "F01F10F00FF1")
	b.see("2 of 24 differ, the first is bit 21")
	b.see("Bits that are not the same stand in a box.")
	b.choose("Another signal", "F01F10F00F1F")
	b.until(`document.querySelector('[role=img]')?.getAttribute('aria-label')?.startsWith('3 signals on one axis')`)
	b.see("The same signal")
}

// codeText is one press of a line code as text.
func codeText(t *testing.T, code string) string {
	t.Helper()
	res := run(t, "", nil, "bench", "export", "--code", code)
	require.Zero(t, res.code, res.err)
	return res.out
}

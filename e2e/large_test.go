package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// TestLarge_AHouseWith200DevicesOnASlowPhone: every page can be used on a phone of which the processor is four times
// slower, and nothing moves on it while handsets are heard.
func TestLarge_AHouseWith200DevicesOnASlowPhone(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	r.fill(token, 200, 40)
	b := open(t, r, 390, 844)
	_, err := chromedp.Call(b.ctx, emulation.SetCPUThrottlingRate, emulation.SetCPUThrottlingRateParams{Rate: 4})
	require.NoError(t, err)
	_, err = chromedp.Call(b.ctx, page.AddScriptToEvaluateOnNewDocument,
		page.AddScriptToEvaluateOnNewDocumentParams{Source: `window.asked = 0; {
			const fetch = window.fetch;
			window.fetch = (...all) => { window.asked++; return fetch(...all).finally(() => window.asked--); };
		}`})
	require.NoError(t, err)
	for _, at := range [][2]string{
		{"/boards", "Lecture room"},
		{"/devices", "Corridor lamp 9"},
		{"/devices?find=lamp 150", "Corridor lamp 150"},
		{"/devices/boardwalk", "brightness"},
		{"/devices/boardwalk/codes", "address 57, command 2"},
		{"/devices/boardwalk/settings", "Corvane"},
		{"/devices/corridor-lamp-150", "Handset"},
		{"/which", "Listening"},
		{"/shelf", "Corvane Strand"},
		{"/bench", "Heard and read"},
		{"/automate", "sunset"},
		{"/house/journal", "Added Corridor lamp 200"},
		{"/house/rooms", "Corridor 40"},
		{"/house/stations", "lecture"},
		{"/house/people", "owner"},
		{"/house/stage", "projector"},
		{"/devices/projector/lesson", "Start"},
		{"/automate/measurements/dome/humidity", "%"},
	} {
		path, sight := at[0], at[1]
		began := time.Now()
		b.visit(r, path)
		b.see(sight)
		t.Logf("%-40s %s", path, time.Since(began).Round(10*time.Millisecond))
		b.settle()
		b.eval(`window.movers = [];
			new PerformanceObserver(l => l.getEntries().forEach(e => e.sources.forEach(s => movers.push(
				(s.node?.innerText ?? s.node?.textContent ?? '').slice(0, 40) + ' ' +
				[s.previousRect, s.currentRect].map(r => [r.x, r.y, r.width, r.height].join()).join(' to '))))
			).observe({type: 'layout-shift'})`)
		for _, key := range []string{"red", "power"} {
			r.heard(token, "boardwalk", key)
		}
		b.settle()
		movers, err := value[string](b, `window.movers.join('; ')`)
		require.NoError(t, err)
		assert.Empty(t, movers, "what moved on %s", path)
	}
	b.visit(r, "/devices")
	b.fill("Find a device", "lamp 17")
	b.until(`document.querySelector('main section a[href^="/devices/"]')?.innerText.startsWith('Corridor lamp 17\n')`)
}

// fill adds devices with learned keys and controls, and rooms to put them in, so that there are so many.
func (r *running) fill(token string, devices, rooms int) {
	r.t.Helper()
	var there []wire.DeviceLine
	r.ok(&there, "device", "list")
	for n := len(there) + 1; n <= devices; n++ {
		name := fmt.Sprint("Corridor lamp ", n)
		var d wire.Device
		require.Equal(r.t, 201, r.http(token, "POST", "/api/devices", wire.NewDevice{Name: name, Kind: "socket",
			Room: fmt.Sprint("Corridor ", n%rooms+1)}, &d), name)
		for i, key := range []string{"on", "off"} {
			require.Equal(r.t, 200, r.http(token, "POST", "/api/devices/"+d.Slug+"/keys/"+key+"/code",
				wire.HandCode{Text: fmt.Sprintf("ev1527 id=%d key=%d", 1000+n, i+1)}, nil), name)
		}
	}
}

// heard presses a key of a handset on the stage, and waits until the house has heard it.
func (r *running) heard(token, handset, key string) {
	r.t.Helper()
	newest := func() string {
		var all []wire.Capture
		require.Equal(r.t, 200, r.http(token, "GET", "/api/captures", nil, &all))
		for _, c := range all {
			if len(c.Keys) > 0 && c.Keys[0] == (wire.KeyRef{Device: handset, Key: key}) && !c.Echo {
				return c.ID
			}
		}
		return ""
	}
	before := newest()
	require.Equal(r.t, 204, r.http(token, "POST", "/api/stage/handsets/"+handset+"/keys/"+key+"/press", nil, nil))
	require.Eventually(r.t, func() bool { return newest() != before }, patience, tick)
}

// settle waits until the page has drawn all that it was told: nothing was changed for 0.3 s, and every answer that it
// asked for is there.
func (b *browser) settle() {
	b.t.Helper()
	b.eval(`window.still = false; (() => {
		let timer = 0;
		const again = () => { clearTimeout(timer); timer = setTimeout(rest, 300); };
		const rest = () => {
			if (window.asked || document.fonts.status !== 'loaded') { again(); return; }
			window.still = true;
			seen.disconnect();
		};
		const seen = new MutationObserver(again);
		seen.observe(document.body, {subtree: true, childList: true, characterData: true, attributes: true});
		again();
	})()`)
	b.until(`window.still`)
}

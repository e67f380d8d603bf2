package e2e

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// names are the names of all that can be pressed or read on the page, as a screen reader says them.
const names = `[...document.querySelectorAll('[aria-label], button')].map(e => ({e,
	name: (e.getAttribute('aria-label') ?? e.innerText).trim().replace(/\s+/g, ' ')}))`

// tap waits for an element whose accessible name begins so, and clicks it.
func (b *browser) tap(name string) {
	b.t.Helper()
	b.until(`(o => o && (o.e.click(), true))(` + names + `.find(o => o.name.startsWith(` + quote(name) + `)))`)
}

// named waits until an element has an accessible name that begins so.
func (b *browser) named(name string) {
	b.t.Helper()
	b.until(names + `.some(o => o.name.startsWith(` + quote(name) + `))`)
}

// sent waits until nothing is being sent.
func (b *browser) sent() {
	b.t.Helper()
	b.until(`!document.querySelector('.sending')`)
}

// comes waits until something is true of an appliance on the stage.
func (r *running) comes(token, appliance, fact, want string) {
	r.t.Helper()
	is := ""
	assert.Eventually(r.t, func() bool {
		var stage wire.Stage
		r.http(token, "GET", "/api/stage", nil, &stage)
		for _, a := range stage.Appliances {
			for _, f := range a.Facts {
				if a.Slug == appliance && f.Name == fact {
					is = f.Value
				}
			}
		}
		return is == want
	}, patience, tick, "%s %s", appliance, fact)
	assert.Equal(r.t, want, is, "%s %s", appliance, fact)
}

// presses counts the presses that were sent so far.
func (r *running) presses() (n int) {
	r.t.Helper()
	var page wire.JournalPage
	r.ok(&page, "journal", "--kind", "press", "--count", "200")
	for _, e := range page.Entries {
		if e.Outcome == "sent" {
			n++
		}
	}
	return n
}

// TestBoards_ReadyARoomFromAPhone opens the console on a phone, readies the lecture room, and closes up.
func TestBoards_ReadyARoomFromAPhone(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "8")
	token := r.owner()
	r.ok(nil, "tell", "boardwalk", "power", "off") // what was believed of it is wrong
	b := openLink(t, r.link, 390, 844)             // it opens with the board
	b.named("Boardwalk lights off")
	things, err := value[int](b, `[...document.querySelectorAll('.board button:not(.tile-more), .board select, .board [role=slider]')]
		.filter(e => { const r = e.getBoundingClientRect(); return r.top >= 0 && r.bottom <= innerHeight - 60 && r.width >= 44 && r.height >= 44 }).length`)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, things, 6, "that can be done on the first screen, with targets that a thumb meets")
	b.tap("Boardwalk lights off")
	b.named("Boardwalk lights on")
	b.sent()
	r.comes(token, "boardwalk", "power", "on")

	b.click("Public night")
	b.tap("Public talk start")
	b.named("Public talk in force")
	b.named("Lecture amplifier on")
	b.named("Boardwalk lights on")
	b.until(`!document.querySelector('.occasion.busy')`)
	for fact, want := range map[string]string{"power": "on", "volume": "22", "input": "2"} {
		r.comes(token, "amplifier", fact, want)
	}
	r.comes(token, "boardwalk", "colour", "white")

	// a handset changes something; put right presses once
	before := r.presses()
	r.touch(token, "amplifier", "input-4", 0)
	b.see("1 differs")
	b.click("1 differs · put right")
	b.until(`!document.body.innerText.includes("differs")`)
	r.comes(token, "amplifier", "input", "2")
	assert.Equal(t, before+1, r.presses())

	var plan wire.OccasionPlan
	r.ok(&plan, "occasion", "plan", "closed-up")
	b.tap("Closed up start")
	b.named("Closed up in force")
	b.named("Lecture amplifier off")
	b.named("Boardwalk lights off")
	b.until(`!document.querySelector('.occasion.busy')`)
	r.comes(token, "amplifier", "power", "off")
	r.comes(token, "boardwalk", "power", "off")
	assert.NotContains(t, r.urbo("occasion", "list").out, "Public talk    Lecture")
}

// fact is what is true of an appliance on the stage.
type fact struct{ device, of, want, tile string }

// putRight looks at the stage as a person looks around the room: what is not as it should be is said on its tile, and
// put right, until all is as it should be.
func (b *browser) putRight(r *running, token, occasion string, facts []fact) {
	b.t.Helper()
	for round := 0; ; round++ {
		wrong := 0
		for _, f := range facts {
			require.Eventually(b.t, func() bool {
				return !strings.Contains(r.fact(token, f.device, "movement"), "moving")
			}, patience, tick)
			is := r.fact(token, f.device, f.of)
			if is == f.want {
				continue
			}
			wrong++
			b.click("Details of " + f.tile)
			if strings.ContainsAny(is, "0123456789") {
				b.fill("Value", strings.Trim(is, " %"))
				b.click("Say it")
			} else {
				b.click("It is really " + is)
			}
			b.until(`!document.querySelector('[role=dialog]')`)
		}
		if wrong == 0 {
			return
		}
		require.Less(b.t, round, 10, "it is put right again and again")
		b.tap(occasion)
		b.until(`[...document.querySelectorAll('.press.right')]
			.some(e => e.innerText.includes('put right') && (e.click(), true))`)
		b.until(`!document.querySelector('.occasion.busy') && !document.querySelector('.press.right')`)
	}
}

// TestBoards_WhatIsMissedIsFoundAndPutRight readies the room and closes up while every tenth press is lost.
func TestBoards_WhatIsMissedIsFoundAndPutRight(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "8", "--fault", "lose=10")
	token := r.owner()
	r.ok(nil, "tell", "boardwalk", "power", "off")
	b := openLink(t, r.link, 390, 844)
	b.visit(r, "/boards/public-night")
	b.tap("Public talk start")
	b.named("Public talk in force")
	b.until(`!document.querySelector('.occasion.busy')`)
	b.putRight(r, token, "Public talk", []fact{
		{"amplifier", "power", "on", "Lecture amplifier"},
		{"amplifier", "input", "2", "Lecture amplifier input"},
		{"amplifier", "volume", "22", "Lecture amplifier volume"},
		{"screen", "position", "down", "Projection screen"},
		{"boardwalk", "power", "on", "Boardwalk lights"},
		{"boardwalk", "colour", "white", "Boardwalk lights colour"}})

	b.tap("Closed up start")
	b.named("Closed up in force")
	b.until(`!document.querySelector('.occasion.busy')`)
	b.putRight(r, token, "Closed up", []fact{
		{"amplifier", "power", "off", "Lecture amplifier"},
		{"screen", "position", "up", "Projection screen"},
		{"boardwalk", "power", "off", "Boardwalk lights"}})
	for _, d := range []string{"dew-a", "dew-b", "dew-c", "radio"} {
		r.comes(token, d, "power", "off")
	}
}

// box is where an element is that has a label: left, top, width and height.
func (b *browser) box(name string) []float64 {
	b.t.Helper()
	box, err := value[[]float64](b, `(r => [r.left, r.top, r.width, r.height])(
		document.querySelector('[aria-label=' + CSS.escape(`+quote(name)+`) + ']:not(section, .segments)')
		.getBoundingClientRect())`)
	require.NoError(b.t, err)
	return box
}

// mouse is what a mouse does at a place, with its left button.
func (b *browser) mouse(kind input.DispatchMouseEventType, x, y float64) {
	b.t.Helper()
	_, err := chromedp.Call(b.ctx, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: kind, X: x, Y: y,
		Button: input.MouseButtonLeft, Buttons: 1, ClickCount: 1})
	require.NoError(b.t, err)
}

// TestBoards_ALostNetworkHalfSetsNothing loses the network in the middle of a drag, and lets it come back.
func TestBoards_ALostNetworkHalfSetsNothing(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	r.ok(nil, "set", "amplifier", "power", "on")
	b := openLink(t, r.link, 390, 844)
	b.visit(r, "/boards/public-night")
	b.named("Lecture amplifier on")
	online := func(is bool) {
		rate := -1.0
		_, err := chromedp.Call(b.ctx, network.EmulateNetworkConditionsByRule,
			network.EmulateNetworkConditionsByRuleParams{
				MatchedNetworkConditions: []*network.Conditions{{Offline: !is, DownloadThroughput: rate,
					UploadThroughput: rate}}})
		if err != nil { // browsers before 150 have offline in another place
			earlier := cdp.Command[map[string]any, struct{}]{Method: network.CommandEmulateNetworkConditionsByRule}
			_, err = chromedp.Call(b.ctx, earlier, map[string]any{"offline": !is, "matchedNetworkConditions": []any{
				map[string]any{"urlPattern": "", "latency": 0, "downloadThroughput": rate, "uploadThroughput": rate}}})
		}
		require.NoError(t, err)
	}
	b.eval(`document.querySelector('[role=slider][aria-label="Lecture amplifier volume"]')
		.scrollIntoView({block: 'center'})`)
	box := b.box("Lecture amplifier volume")
	mouse := func(kind input.DispatchMouseEventType, part float64) {
		b.mouse(kind, box[0]+part*box[2],
			box[1]+box[3]/2)
	}
	mouse(input.DispatchMouseEventTypeMousePressed, 0.3)
	mouse(input.DispatchMouseEventTypeMouseMoved, 0.4)
	online(false)
	mouse(input.DispatchMouseEventTypeMouseMoved, 0.5)
	mouse(input.DispatchMouseEventTypeMouseReleased, 0.5)
	b.see("does not answer")
	b.sent()
	assert.Equal(t, "14", r.fact(token, "amplifier", "volume"), "nothing was pressed")
	online(true)
	b.click("Try again")
	r.becomes(token, "amplifier", "volume", "30")
	b.until(`!document.querySelector('.said')`)
}

// TestBoards_OnlyWhatChangedIsDrawnAnew counts the tiles that are touched when something is heard, and how far anything
// moves.
func TestBoards_OnlyWhatChangedIsDrawnAnew(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	b := open(t, r, 1280, 800)
	b.visit(r, "/boards/dome")
	b.see("Dome humidity")
	b.until(`document.querySelectorAll('.tile').length === 7`)
	b.see("waits")
	b.eval(`window.touched = new Set(); window.moved = 0;
		new MutationObserver(l => l.forEach(m => {
			const t = (m.target.nodeType === 1 ? m.target : m.target.parentElement)?.closest('.tile');
			if (t) touched.add(t.querySelector('.tile-name')?.innerText);
		})).observe(document.querySelector('.board'), {subtree: true, childList: true, attributes: true, characterData: true});
		window.movers = [];
		new PerformanceObserver(l => l.getEntries().forEach(e => {
			window.moved += e.value;
			e.sources.forEach(s => movers.push(
				(s.node?.innerText ?? s.node?.textContent ?? '').slice(0, 40) + ' ' +
				[s.previousRect, s.currentRect].map(r => [r.x, r.y, r.width, r.height].join()).join(' to ')));
		})).observe({type: 'layout-shift'})`)
	r.ok(nil, "measure", "dome/humidity", "71")
	b.see("71")
	touched, err := value[string](b, `[...window.touched].join(', ')`)
	require.NoError(t, err)
	assert.Equal(t, "Dome humidity", touched)
	moved, err := value[float64](b, `window.moved`)
	require.NoError(t, err)
	movers, err := value[string](b, `window.movers.join('; ')`)
	require.NoError(t, err)
	assert.Zero(t, moved, "nothing moves when something is heard: %s", movers)
}

// TestBoards_AreEditedByTwoPeople edits with the keyboard while somebody else changes the board.
func TestBoards_AreEditedByTwoPeople(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	b := open(t, r, 1280, 900)
	b.visit(r, "/boards/dome")
	b.see("Dew heaters")
	b.click("Edit")
	b.click("Move Dew heaters one place on")
	order := `[...document.querySelectorAll('.tile.edit')].map(e => e.innerText.split('\n')[0]).join()`
	b.until(order + `.startsWith('Air mixer,Dew heaters,')`)
	b.click("Undo")
	b.until(order + `.startsWith('Dew heaters,Air mixer,')`)
	b.click("Redo")

	b.until(order + `.startsWith('Air mixer,Dew heaters,')`)

	// dragged there and back with the mouse
	for _, first := range []string{"Dew heaters,Air mixer,", "Air mixer,Dew heaters,"} {
		from, to := b.box("Move "+strings.Split(first, ",")[0]), b.box("Move "+strings.Split(first, ",")[1])
		b.mouse(input.DispatchMouseEventTypeMousePressed, from[0]+from[2]/2, from[1]+from[3]/2)
		for part := 0.1; part < 1.1; part += 0.1 {
			b.mouse(input.DispatchMouseEventTypeMouseMoved, from[0]+from[2]/2+part*(to[0]-from[0]),
				from[1]+from[3]/2+part*(to[1]-from[1]))
		}
		b.mouse(input.DispatchMouseEventTypeMouseReleased, to[0]+to[2]/2, to[1]+to[3]/2)
		b.until(order + `.startsWith(` + quote(first) + `)`)
		b.until(`document.getAnimations().length === 0`)
	}

	// with the keyboard alone: pick it up, move it, put it down
	b.eval(`document.querySelector('[aria-label="Move Air mixer"]').focus()`)
	for _, key := range []string{" ", kb.ArrowRight, " "} {
		b.do(chromedp.KeyEvent(key))
		b.until(`document.getAnimations().length === 0`)
	}
	b.until(order + `.startsWith('Dew heaters,Air mixer,')`)

	b.fill("Find a device", "radio power")
	b.click("Add Weather radio: control")
	file := t.TempDir() + "/dome.yaml"
	theirs := "name: Dome\nsections:\n- tiles:\n  - {kind: note, text: Theirs}\n"
	require.NoError(t, os.WriteFile(file, []byte(theirs), 0o600))
	r.ok(nil, "board", "change", "dome", "--file", file)
	b.see("Somebody else changed this board meanwhile")
	b.click("Keep mine")
	b.named("Dew heaters")
	var board wire.Board
	r.ok(&board, "board", "show", "dome")
	require.Len(t, board.Sections, 2)
	text, err := json.Marshal(board.Sections)
	require.NoError(t, err)
	assert.Contains(t, string(text), "radio/power")
	assert.NotContains(t, string(text), "Theirs")
}

// TestBoards_AGuestHasOneAndNothingElse comes by a guest link, and is removed with the page open.
func TestBoards_AGuestHasOneAndNothingElse(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	token := r.owner()
	var link wire.Ticket
	r.ok(&link, "person", "add", "Audience", "--role", "guest", "--board", "public-night", "--until", "24h")
	b := visit(t, link.Link, 390, 844)
	b.see("Volume 22 is enough")
	for _, hidden := range []string{"Edit", "Wall", "House", "Automate"} {
		there, err := value[bool](b, `document.body.innerText.includes(`+quote(hidden)+`)`)
		require.NoError(t, err)
		assert.False(t, there, hidden)
	}
	b.named("Lecture amplifier off")
	b.tap("Lecture amplifier off")
	b.named("Lecture amplifier on")
	b.sent()
	r.comes(token, "amplifier", "power", "on")
	r.touch(token, "amplifier", "power", 0)
	b.named("Lecture amplifier off")
	b.visit(r, "/devices")
	b.see("Volume 22 is enough")
	r.ok(nil, "person", "remove", "Audience")
	b.see("Sign in")
}

// TestBoards_OnTheWallAndWhereTheServiceIsAway shows a board without anything around it, and what it says while the
// service does not answer.
func TestBoards_OnTheWallAndWhereTheServiceIsAway(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	r := start(t, data, "demo")
	b := open(t, r, 1280, 800)
	b.visit(r, "/boards/dome")
	b.click("Wall")
	b.see("Dew heaters")
	b.until(`document.querySelector('.wall-name') && !document.querySelector('nav')`)
	b.eval(`document.querySelector('.wall-name').dispatchEvent(new PointerEvent('pointerdown', {bubbles: true}))`)
	b.until(`location.pathname === '/boards/dome'`)
	b.until(`navigator.serviceWorker.controller`)
	b.visit(r, "/boards/dome") // through the service worker, which keeps its parts
	b.see("Dew heaters")
	r.stop()
	b.see("The service does not answer since")
	b.visit(r, "/boards/public-night")
	b.see("The service does not answer since")
	at := r.url[len("http://"):]
	again := startAt(t, data, at, "demo")
	b.see("Volume 22 is enough")
	_ = again
}

// TestBoards_FitNarrowPagesAndLargeText looks for what sticks out.
func TestBoards_FitNarrowPagesAndLargeText(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo")
	b := open(t, r, 320, 640)
	for _, page := range []string{"/boards/observatory", "/boards/public-night", "/boards/dome"} {
		for _, text := range []string{"100%", "200%"} {
			b.visit(r, page)
			b.until(`document.querySelectorAll('.tile').length > 4`)
			b.eval(`document.documentElement.style.fontSize = ` + quote(text))
			wide, err := value[int](b, `document.documentElement.scrollWidth`)
			require.NoError(t, err)
			assert.LessOrEqual(t, wide, 320, "%s at %s", page, text)
			out, err := value[string](b, `[...document.querySelectorAll('.tile *')].filter(e => e.getBoundingClientRect().right > 321)
				.map(e => e.className + ' ' + e.innerText).join('; ')`)
			require.NoError(t, err)
			assert.Empty(t, out, "%s at %s", page, text)
		}
	}
}

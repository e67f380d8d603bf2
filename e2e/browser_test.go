package e2e

import (
	"context"
	"encoding/json"
	"os"
	"os/exec"
	"testing"
	"time"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// browser is a page in headless Chromium.
type browser struct {
	t   *testing.T
	ctx context.Context
}

// open starts a browser with a window of a size, signs it in, and goes to the devices.
func open(t *testing.T, r *running, width, height int64, with ...chromedp.ExecAllocatorOption) *browser {
	t.Helper()
	b := openLink(t, r.link, width, height, with...)
	b.visit(r, "/devices")
	return b
}

// openLink is open for somebody with a sign-in link of their own.
func openLink(t *testing.T, link string, width, height int64, with ...chromedp.ExecAllocatorOption) *browser {
	t.Helper()
	b := visit(t, link, width, height, with...)
	b.until(`/Devices|What is your name/.test(document.body.innerText)`)
	if first, err := value[bool](b, `document.body.innerText.includes('What is your name')`); err == nil && first {
		b.click("Later")
	}
	b.see("Devices")
	return b
}

// visit starts a browser with a window of a size, and follows a link.
func visit(t *testing.T, link string, width, height int64, with ...chromedp.ExecAllocatorOption) *browser {
	t.Helper()
	path, err := exec.LookPath("chromium")
	require.NoError(t, err, "the console's tests need Debian's chromium: make test installs it")
	flags := append(with,
		chromedp.ExecPath(path), chromedp.Headless, chromedp.NoSandbox, chromedp.DisableGPU, chromedp.NoFirstRun,
		chromedp.NoDefaultBrowserCheck,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("hide-scrollbars", true),
		chromedp.UserDataDir(t.TempDir()), chromedp.Env("HOME="+t.TempDir(), "PATH="+os.Getenv("PATH")))
	alloc, cancelAlloc := chromedp.NewExecAllocator(t.Context(), flags...)
	ctx, cancel := chromedp.NewContext(alloc, chromedp.WithListener(func(e any) {
		if thrown, ok := e.(*runtime.EventExceptionThrown); ok {
			assert.Fail(t, "the page threw", "%+v", thrown.ExceptionDetails)
		}
	}))
	t.Cleanup(func() { cancel(); cancelAlloc() })
	view := []chromedp.EmulateViewportOption{}
	if width < 600 {
		view = append(view, chromedp.EmulateMobile, chromedp.EmulatePortrait)
	}
	require.NoError(t, chromedp.Do(ctx, chromedp.EmulateViewport(width, height, view...))) // starts the browser
	b := &browser{t, ctx}
	b.do(chromedp.Navigate(link))
	return b
}

// do runs actions; they have to succeed. Each step has its own time limit: a page that stands still fails its test, and
// a test with many pages on a slow machine does not.
func (b *browser) do(actions ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	require.NoError(b.t, chromedp.Do(ctx, actions...))
}

// value is what a JavaScript expression is worth on the page.
func value[T any](b *browser, expression string) (T, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[T](expression))
}

// see waits until a text is on the page.
func (b *browser) see(text string) {
	b.t.Helper()
	b.until(`document.body.innerText.includes(` + quote(text) + `)`)
}

// until waits for a JavaScript expression to be true, on this page or the one it leads to.
func (b *browser) until(expression string) {
	b.t.Helper()
	ok := assert.Eventually(b.t, func() bool {
		got, err := value[bool](b, "Boolean("+expression+")")
		return err == nil && got
	}, patience, 20*time.Millisecond)
	if !ok {
		text, err := value[string](b, "location.href + ' ' + document.body.innerText")
		require.NoError(b.t, err, "the page does not answer")
		require.Fail(b.t, "it never came true", "%s\nThe page says: %s", expression, text)
	}
}

// click clicks the button or link with an accessible name, once it is there.
func (b *browser) click(name string) {
	b.t.Helper()
	find := `[...document.querySelectorAll('button, a, [role=button], label')].find(e => e.offsetParent !== null && !e.disabled &&
		(e.getAttribute('aria-label') ?? e.innerText).trim().split('\n')[0] === ` + quote(name) + `)`
	b.until("(e => e && (e.click(), true))(" + find + ")") // found and clicked at once: a live page changes
}

// clickIn clicks a button of one part of a page.
func (b *browser) clickIn(part, name string) {
	b.t.Helper()
	b.until("(e => e && (e.click(), true))([...document.querySelectorAll('section[aria-label=' + CSS.escape(" +
		quote(part) +
		") + '] button')].find(e => e.innerText.trim() === " + quote(name) + "))")
}

// eval runs JavaScript on the page.
func (b *browser) eval(script string) {
	b.t.Helper()
	b.do(chromedp.Evaluate[chromedp.Void](script))
}

// drop drops a file onto the page's drop zone, as dragging it there does.
func (b *browser) drop(name, content string) {
	b.t.Helper()
	b.until(`document.querySelector('[data-drop]')`)
	b.eval(`(() => {
		const t = new DataTransfer();
		t.items.add(new File([` + quote(content) + `], ` + quote(name) + `));
		document.querySelector('[data-drop]').dispatchEvent(new DragEvent('drop', {bubbles: true, cancelable: true, dataTransfer: t}));
	})()`)
}

// pick chooses a file in the page's file chooser.
func (b *browser) pick(name, content string) {
	b.t.Helper()
	b.until(`document.querySelector('input[type=file]')`)
	b.eval(`(() => {
		const t = new DataTransfer();
		t.items.add(new File([` + quote(content) + `], ` + quote(name) + `));
		const e = document.querySelector('input[type=file]');
		e.files = t.files;
		e.dispatchEvent(new Event('change', {bubbles: true}));
	})()`)
}

// choose picks the first option of a list, by its label, that has a text in it.
func (b *browser) choose(label, text string) {
	b.t.Helper()
	box := `[...document.querySelectorAll('[role=combobox]')].find(e => (e.getAttribute('aria-labelledby') ?? '').split(' ')
		.some(id => document.getElementById(id)?.innerText.startsWith(` + quote(label) + `)))`
	b.until(box)
	b.eval(box + `.dispatchEvent(new MouseEvent('mousedown', {bubbles: true, button: 0}))`)
	item := `[...document.querySelectorAll('[role=option]')].find(e => e.innerText.includes(` + quote(text) + `))`
	b.until(item)
	b.eval(item + ".click()")
	b.until(`!document.querySelector('[role=option]')`)
}

// fill types into the field with a label.
func (b *browser) fill(label, text string) {
	b.t.Helper()
	field := `[...document.querySelectorAll('input, textarea')].find(e => document.querySelector('label[for="' + e.id + '"]')?.innerText.startsWith(` + quote(label) + `))`
	b.until(field)
	b.eval(`(() => {
		const e = ` + field + `;
		Object.getOwnPropertyDescriptor(Object.getPrototypeOf(e), 'value').set.call(e, ` + quote(text) + `);
		e.dispatchEvent(new Event('input', {bubbles: true}));
	})()`)
}

// visit opens a page of the console.
func (b *browser) visit(r *running, path string) {
	b.t.Helper()
	b.do(chromedp.Navigate(r.url + path))
}

// fact waits until the stage's page shows what is true of an appliance.
func (b *browser) fact(appliance, name, want string) {
	b.t.Helper()
	b.until(`[...document.querySelectorAll('[data-appliance=` + appliance + `] [data-fact=` + name + `]')].some(e => e.innerText.endsWith(` + quote(want) + `))`)
}

// quote writes a text as JavaScript has it.
func quote(s string) string {
	text, _ := json.Marshal(s) // a text has JSON
	return string(text)
}

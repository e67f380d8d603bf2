package e2e

import (
	"testing"
	"time"
)

func TestZZLook(t *testing.T) {
	if *screenshots == "" {
		t.Skip()
	}
	for _, size := range []struct {
		name string
		w, h int64
	}{{"desk", 1280, 800}, {"phone", 390, 844}} {
		t.Run(size.name, func(t *testing.T) {
			r := start(t, "", "demo", "--at", "2026-12-05 15:50", "--pace", "60")
			r.owner()
			r.ok(nil, "errand", "trial", "lived-in")
			r.ok(nil, "errand", "off", "film")
			b := open(t, r, size.w, size.h)
			b.visit(r, "/automate")
			time.Sleep(50 * time.Second)
			b.see("dusk")
			b.shoot("a-automate", size.name, nil)
			b.click("Why: dusk")
			b.see("ran")
			b.click("Rehearse lived-in")
			b.click("the coming 7 days")
			b.see("it would")
			b.eval(`document.querySelector('[aria-label="lived-in"]').scrollIntoView()`)
			b.shoot("b-rehearse", size.name, nil)
			b.click("New errand")
			b.eval(`window.scrollTo(0, 0)`)
			b.eval(`document.querySelector('[aria-label="Errands"]').scrollIntoView()`)
			b.fill("Name", "walk")
			b.see("It would be due")
			b.shoot("c-builder", size.name, nil)
			b.visit(r, "/automate/measurements/dome/humidity")
			b.see("dome/humidity")
			b.until(`!!document.querySelector('.uplot canvas')`)
			b.shoot("d-chart", size.name, nil)
		})
	}
}

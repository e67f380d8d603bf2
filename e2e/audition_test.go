package e2e

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// watcher is somebody who stands in front of an appliance and says what is seen of it, and knows nothing else.
type watcher struct {
	*running
	token, appliance string
	seen             string
}

func (r *running) watcher(appliance string) *watcher {
	w := &watcher{running: r, token: r.owner(), appliance: appliance}
	w.look()
	return w
}

// look is what is true of the appliance.
func (w *watcher) look() string {
	w.t.Helper()
	var s wire.Stage
	require.Equal(w.t, http.StatusOK, w.http(w.token, "GET", "/api/stage", nil, &s))
	for _, a := range s.Appliances {
		if a.Slug == w.appliance {
			w.seen = fmt.Sprint(a.Facts)
		}
	}
	return w.seen
}

// current is the newest audition.
func (w *watcher) current() wire.Audition {
	var all []wire.Audition
	require.Equal(w.t, http.StatusOK, w.http(w.token, "GET", "/api/auditions", nil, &all))
	require.NotEmpty(w.t, all)
	return all[0]
}

// comesOn waits for the appliance to do anything, and says so.
func (w *watcher) comesOn(say func(string)) {
	w.t.Helper()
	before := w.seen
	require.Eventually(w.t, func() bool { return w.look() != before }, patience, tick)
	say("reacted")
	require.Eventually(w.t, func() bool { return w.current().Phase != "playing" }, patience, tick)
}

// answer waits for each question and answers it by what is seen, until the audition is over or plays on.
func (w *watcher) answer(say func(string)) {
	w.t.Helper()
	for range 90 {
		before := w.seen
		var a wire.Audition
		require.Eventually(w.t, func() bool {
			a = w.current()
			return a.Asks || a.Phase != "confirming" && a.Phase != "walking"
		}, patience, tick)
		if !a.Asks {
			return
		}
		answer := "no"
		switch now := w.look(); {
		case a.Phase == "walking" && a.Key == "":
			if power := w.fact(w.token, w.appliance, "power"); power == "on" { // it is asked whether it is on
				answer = "yes"
			} else if power != "off" { // it warms up
				w.becomes(w.token, w.appliance, "power", "on")
				answer = "yes"
			}
			w.look()
		case now != before:
			answer = "yes"
		}
		say(answer)
		require.Eventually(w.t, func() bool {
			now := w.current()
			return now.Key != a.Key || now.Set != a.Set || now.Prompt != a.Prompt || !now.Asks
		}, patience, tick)
	}
	require.Fail(w.t, "it never ended", "%+v", w.current())
}

// TestAudition_WhoeverAnswersByWhatIsSeenFindsEachSet: somebody who knows nothing of toggles, of speeds at which a
// mixer runs already, or of lamps that show colours only while they are on.
func TestAudition_WhoeverAnswersByWhatIsSeenFindsEachSet(t *testing.T) {
	t.Parallel()
	for appliance, sets := range map[string][]string{
		"mixer":     {"aldergate-gust", "aldergate-swirl-1", "aldergate-swirl-2"},
		"boardwalk": {"corvane-lantern", "corvane-strand"},
		"amplifier": {"brasswick-a2", "brasswick-a3"},
		"radio":     {"quillam-mast-1", "quillam-mast-2"},
		"projector": {"velopt-vx30", "velopt-vx40"},
	} {
		t.Run(appliance, func(t *testing.T) {
			t.Parallel()
			r := start(t, "", "demo", "--pace", "4")
			w := r.watcher(appliance)
			var a wire.Audition
			function := map[string]string{"projector": "on"}[appliance]
			require.Equal(t, http.StatusCreated, r.http(w.token, "POST", "/api/auditions",
				wire.NewAudition{Device: appliance, Function: function, Sets: sets, PauseMS: 800}, &a))
			say := func(do string) {
				require.Equal(t, http.StatusOK, r.http(w.token, "POST", "/api/auditions/"+a.ID+"/steps",
					wire.AuditionStep{Do: do}, nil))
			}
			w.comesOn(say)
			w.answer(say)
			now := w.current()
			require.Equal(t, "found", now.Phase, "%+v", now)
			assert.Equal(t, map[string]string{"mixer": "Aldergate Swirl II", "boardwalk": "Corvane Strand",
				"amplifier": "Brasswick A-3", "radio": "Quillam Mast 2", "projector": "Velopt VX-40"}[appliance],
				now.Set)
		})
	}
}

// TestAudition_InTheTerminalFindsTheMixersSetAmongThirtyAndRefusesTheHalfOne stands in front of the stage's air mixer.
func TestAudition_InTheTerminalFindsTheMixersSetAmongThirtyAndRefusesTheHalfOne(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "4")
	w := r.watcher("mixer")
	r.ok(nil, "device", "set", "mixer", "--kind", "other") // no kind goes before another
	assert.Contains(t, r.ok(nil, "audition", "mixer", "--plan"), "29 codes, 2.5 s apart: 76 seconds")

	ctx, cancel := context.WithTimeout(t.Context(), 2*patience)
	defer cancel()
	cmd := exec.CommandContext(ctx, binary, "audition", "mixer", "--pause", "500ms")
	cmd.Env = append(os.Environ(), "URBO_SERVER="+r.socket)
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	say := func(line string) {
		_, err := io.WriteString(in, line+"\n")
		require.NoError(t, err)
	}
	w.comesOn(func(string) { say("") }) // Enter alone says it
	w.answer(say)
	var text strings.Builder
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		text.WriteString(lines.Text() + "\n")
	}
	require.NoError(t, cmd.Wait(), text.String())
	assert.Contains(t, text.String(), "Aldergate Swirl I does not fit: only 3 of ")
	assert.Contains(t, text.String(), "Found: Aldergate Swirl II. 6 keys are confirmed.")

	var d wire.Device
	r.ok(&d, "device", "show", "mixer")
	for _, k := range d.Keys {
		require.Len(t, k.Codes, 1, "%s: every key of the mixer, and none that it does not have", k.Name)
	}
	assert.Len(t, d.Keys, 6)
	r.ok(nil, "press", "mixer/speed-4")
	w.becomes(w.token, "mixer", "speed", "4")
	assert.Contains(t, r.ok(nil, "shelf", "match", "mixer"),
		"These 6 keys are the code set Aldergate Swirl II, which has 2 more: timer, night.")
}

// TestAudition_InTheConsoleOnAPhone does the same with two buttons, and then sweeps an address.
func TestAudition_InTheConsoleOnAPhone(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "4")
	w := r.watcher("mixer")
	b := open(t, r, 390, 844)
	b.visit(r, "/devices/mixer")
	b.click("I do not")
	b.see("29 codes")
	b.choose("Kind of device", "fan")
	b.choose("Pause between two codes", "1 s")
	b.see("7 codes, 1.0 s apart")
	b.click("Start the audition")
	w.comesOn(func(string) { b.click("It reacted") })
	w.answer(func(s string) { b.click(map[string]string{"yes": "Yes", "no": "No"}[s]) })
	b.see("Found: Aldergate Swirl II")
	b.see("Aldergate Swirl I does not fit")
	b.click("To the device")
	b.see("These 6 keys are the code set Aldergate Swirl II")
	b.click("Adopt the 2 others")
	b.click("Codes")
	b.see("twin32: address 166, command 55, subaddress 166")

	b.visit(r, "/devices/boardwalk/audition")
	b.choose("Codes of", "one line code")
	b.fill("Line code and fields", "nec address=0..99999 command=2")
	b.see("narrow the range")
	b.fill("Line code and fields", "nec address=55..60 command=2")
	b.see("6 codes")
	b.choose("Pause between two codes", "1 s")
	b.click("Start the audition")
	w.becomes(w.token, "boardwalk", "power", "on")
	b.click("It reacted")
	for range 3 {
		b.see("Did the device react?")
		a := w.current()
		b.click(map[bool]string{true: "Yes", false: "No"}[strings.Contains(a.Set, "address=57")])
		require.Eventually(t, func() bool { now := w.current(); return now.Set != a.Set || now.Phase == "found" },
			patience, tick)
		if w.current().Phase == "found" {
			break
		}
	}
	b.see("Found: nec")
	var d wire.Device
	r.ok(&d, "device", "show", "boardwalk")
	assert.EqualValues(t, 57, d.Keys[0].Codes[0].Fields["address"])
	assert.Equal(t, 1, d.Keys[0].Version, "it sent that already")
}

// TestAudition_WaitsAfterAPowerCutAndWhereNothingGoesOut cuts the power in the middle of one.
func TestAudition_WaitsAfterAPowerCutAndWhereNothingGoesOut(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	r := start(t, data, "demo")
	var a wire.Audition
	token := r.owner()
	require.Equal(t, http.StatusCreated, r.http(token, "POST", "/api/auditions",
		wire.NewAudition{Device: "mixer", PauseMS: 500}, &a))
	require.Equal(t, http.StatusConflict, r.http(token, "POST", "/api/auditions", wire.NewAudition{Device: "projector"},
		nil), "one at a time")
	played := func() int {
		require.Equal(t, http.StatusOK, r.http(token, "GET", "/api/auditions/"+a.ID, nil, &a))
		return a.Played
	}
	require.Eventually(t, func() bool { return played() >= 2 }, patience, tick)
	before := a.Played
	r.kill()
	r = start(t, data, "demo")
	assert.GreaterOrEqual(t, played(), before)
	assert.True(t, a.Paused, "nobody stands there now")
	assert.Contains(t, a.Prompt, "The audition waits, after")
	require.Equal(t, http.StatusOK, r.http(token, "POST", "/api/auditions/"+a.ID+"/steps",
		wire.AuditionStep{Do: "resume"}, nil))
	require.Eventually(t, func() bool { return played() > before }, patience, tick)
	require.Equal(t, http.StatusOK, r.http(token, "POST", "/api/auditions/"+a.ID+"/steps",
		wire.AuditionStep{Do: "finish"}, nil))

	r.ok(nil, "device", "set", "mixer", "--transmitter", "outside/ir-out") // a station that is away
	require.Equal(t, http.StatusCreated, r.http(token, "POST", "/api/auditions",
		wire.NewAudition{Device: "mixer", PauseMS: 500}, &a))
	require.Eventually(t, func() bool { played(); return a.Trouble != "" }, patience, tick)
	assert.True(t, a.Paused)
	assert.Zero(t, a.Played, "what did not go out is played again")
	res := r.urbo("audition", "mixer", "--sweep", "nec address=0..3 address=2..5")
	assert.Equal(t, 2, res.code)
}

// TestAudition_KeepsThePartOfASetThatFits tries only the set that fits half.
func TestAudition_KeepsThePartOfASetThatFits(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "4")
	w := r.watcher("mixer")
	cmd := exec.Command(binary, "audition", "mixer", "--pause", "500ms", "--set", "aldergate-swirl-1")
	cmd.Env = append(os.Environ(), "URBO_SERVER="+r.socket)
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	var text strings.Builder
	cmd.Stdout = &text
	require.NoError(t, cmd.Start())
	say := func(line string) {
		_, err := io.WriteString(in, line+"\n")
		require.NoError(t, err)
	}
	w.comesOn(func(string) { say("") })
	w.answer(say)
	require.Eventually(t, func() bool { return w.current().Phase == "nothing" }, patience, tick)
	say("keep")
	require.NoError(t, cmd.Wait())
	assert.Contains(t, text.String(), "No set fits whole. Aldergate Swirl I fits best, with 3 keys. Type keep to keep "+
		"those, or finish.")
	assert.Contains(t, text.String(), "Kept 3 keys of Aldergate Swirl I, which fits in part.")
	assert.Contains(t, r.ok(nil, "device", "list", "mixer"), "3 of 6 learned")
}

// TestAudition_ByWhatAHeatPumpShows finds the set of the stage's heat pump, whose handset sends its whole state.
func TestAudition_ByWhatAHeatPumpShows(t *testing.T) {
	t.Parallel()
	r := start(t, "", "demo", "--pace", "5")
	token := r.owner()
	r.ok(nil, "device", "add", "Second heat pump", "--slug", "second", "--kind", "air-conditioner", "--room",
		"Warm room")
	shows := func(name string) bool {
		var s wire.Stage
		require.Equal(t, http.StatusOK, r.http(token, "GET", "/api/stage", nil, &s))
		facts := map[string]string{}
		for _, ap := range s.Appliances {
			for _, f := range ap.Facts {
				if ap.Slug == "heat-pump" {
					facts[f.Name] = f.Value
				}
			}
		}
		if name == "off" {
			return facts["power"] == "off"
		}
		return facts["power"] == "on" &&
			facts["mode"]+"-"+strings.TrimSuffix(facts["temperature"], " °C")+"-"+facts["fan"] == name
	}
	var a wire.Audition
	require.Equal(t, http.StatusCreated, r.http(token, "POST", "/api/auditions",
		wire.NewAudition{Device: "second", PauseMS: 800}, &a))
	asked, looked := "", 0
	require.Eventually(t, func() bool {
		require.Equal(t, http.StatusOK, r.http(token, "GET", "/api/auditions/"+a.ID, nil, &a))
		want := "cooling-24-low"
		if a.Phase == "walking" {
			want = a.Key
		}
		do := map[bool]string{true: "yes", false: "no"}[shows(want)]
		if a.Phase == "playing" && do == "yes" {
			do = "reacted"
		}
		if q := fmt.Sprint(a.Phase, a.Set, want, a.Played, a.Asks); q != asked {
			asked, looked = q, 0
		}
		// Whoever looks for a while sees what the device makes of it: no is not said at once.
		if looked++; a.Phase == "found" || !a.Asks && do != "reacted" || do == "no" && looked < 100 {
			return a.Phase == "found"
		}
		require.Equal(t, http.StatusOK, r.http(token, "POST", "/api/auditions/"+a.ID+"/steps",
			wire.AuditionStep{Do: do}, &a))
		return a.Phase == "found"
	}, patience, tick)
	assert.Equal(t, "Skarrow S9", a.Set)
	r.ok(nil, "set", "second", "power", "on", "mode", "heating", "target", "19", "fan", "high")
	r.becomes(token, "heat-pump", "temperature", "19 °C")
	assert.True(t, shows("heating-19-high"))
}

package run

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var noon = time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC)

func program(t *testing.T, text string) Program {
	t.Helper()
	steps, err := Parse(text, names{})
	require.NoError(t, err)
	p, err := Compile("own", steps, func(string) (string, []Step, error) { return "", nil, errors.New("none") }, now)
	require.NoError(t, err)
	return p
}

var boardwalk = Target{Kind: Device, ID: "id of boardwalk"}

// TestRun_EveryCell walks the table of what happens to a run: each phase with each thing that can happen.
func TestRun_EveryCell(t *testing.T) {
	p := program(t, "press boardwalk/power then wait until boardwalk/power is on at most 5 min then wait 1 min then "+
		"press amplifier/power")
	phases := map[Phase]State{
		Queued:  {Phase: Queued, Until: noon},
		InStep:  {Phase: InStep, At: 0},
		Waiting: {Phase: Waiting, At: 1, Until: noon},
		Asking:  {Phase: Asking, At: 0, Until: noon, Asks: "boardwalk/power"},
	}
	next := State{Phase: Waiting, At: 1, Until: noon.Add(5 * time.Minute)}
	ended := func(at int, end End, reason string) State {
		return State{Phase: Ended, At: at, End: end, Reason: reason}
	}
	type cell struct {
		state State
		act   Act
	}
	same := func(ph Phase) cell { return cell{phases[ph], Nothing} }
	for what, row := range map[Happened]map[Phase]cell{
		Due: {
			Queued: same(Queued), InStep: {next, Sleep},
			Waiting: {State{Phase: Waiting, At: 2, Until: noon.Add(time.Minute)}, Sleep},
			Asking:  {State{Phase: InStep}, Begin},
		},
		Turn: {
			Queued: {State{Phase: InStep}, Begin}, InStep: same(InStep), Waiting: same(Waiting), Asking: same(Asking),
		},
		LimitOver: {
			Queued: {ended(0, Dropped, "its turn did not come in time"), Finish}, InStep: same(InStep),
			Waiting: {ended(1, Failed, "what it waited for was not so in time"), Finish},
			Asking:  {ended(0, Failed, "nobody said what boardwalk/power is at"), Finish},
		},
		Stop: {
			Queued: {ended(0, Dropped, "why"), Finish}, InStep: {State{Phase: InStep, Stopping: true, Reason: "why"},
				Cancel},
			Waiting: {ended(1, Stopped, "why"), Finish}, Asking: {ended(0, Stopped, "why"), Withdraw},
		},
		Superseded: {
			Queued: same(Queued), InStep: {next, Sleep}, Waiting: same(Waiting), Asking: {next, Sleep},
		},
		Removed: {
			Queued:  {ended(0, Failed, "why"), Finish},
			InStep:  {State{Phase: Ended, End: Failed, Reason: "why", Stopping: true}, Cancel},
			Waiting: {ended(1, Failed, "why"), Finish}, Asking: {ended(0, Failed, "why"), Withdraw},
		},
		Restarted: {
			Queued:  {ended(0, Dropped, "the house ended while it waited for its turn"), Finish},
			InStep:  {ended(0, Interrupted, "the house ended in step 1 of 4, which is not begun again"), Finish},
			Waiting: {phases[Waiting], Sleep}, Asking: {phases[Asking], Ask},
		},
		Trouble: {
			Queued: same(Queued), InStep: {ended(0, Failed, "why"), Finish}, Waiting: same(Waiting),
			Asking: same(Asking),
		},
		Doubt: {
			Queued: same(Queued), Waiting: same(Waiting), Asking: same(Asking),
			InStep: {State{Phase: Asking, Until: noon.Add(time.Minute), Asks: "why"}, Ask},
		},
		NotSo: {Queued: same(Queued), InStep: {next, Sleep}, Waiting: same(Waiting), Asking: same(Asking)},
	} {
		for phase, want := range row {
			got, act := p.Next(phases[phase], Event{What: what, At: noon, Reason: "why", Gone: boardwalk,
				Limit: time.Minute})
			assert.Equal(t, want, cell{got, act}, "%s while %s", what, phase)
		}
		over := ended(0, Done, "")
		got, act := p.Next(over, Event{What: what, At: noon, Gone: boardwalk})
		assert.Equal(t, over, got, "%s after the end", what)
		assert.Equal(t, Nothing, act)
	}
}

func TestRun_StoppedInAStepEndsWhenItIsSafe(t *testing.T) {
	p := program(t, "press boardwalk/power then press amplifier/power")
	s, act := p.Next(State{Phase: InStep}, Event{What: Stop, Reason: "Keeper stopped it"})
	assert.Equal(t, Cancel, act)
	_, act = p.Next(s, Event{What: Stop, Reason: "again"})
	assert.Equal(t, Nothing, act, "stopped twice is stopped once")
	for _, what := range []Happened{Due, Trouble, Superseded, Doubt} {
		end, act := p.Next(s, Event{What: what, At: noon, Reason: "other"})
		assert.Equal(t, Finish, act)
		assert.Equal(t, Stopped, end.End, what)
		assert.Equal(t, "Keeper stopped it", end.Reason)
	}
}

func TestRun_WaitsThroughAShortAbsence(t *testing.T) {
	p := program(t, "wait 1 h then press boardwalk/power")
	s := State{Phase: Waiting, Until: noon}
	_, act := p.Next(s, Event{What: Restarted, At: noon.Add(10 * time.Minute)})
	assert.Equal(t, Sleep, act)
	end, act := p.Next(s, Event{What: Restarted, At: noon.Add(10*time.Minute + time.Second)})
	assert.Equal(t, Finish, act)
	assert.Equal(t, Interrupted, end.End)
	assert.Contains(t, end.Reason, "step 1 of 2")
}

func TestRun_AClockThatIsBehindMakesNoWaitLonger(t *testing.T) {
	p := program(t, "wait 1 h then press boardwalk/power")
	began := noon.Add(-365 * 24 * time.Hour)
	s, act := p.Next(State{Phase: Waiting, Until: noon}, Event{What: Restarted, At: began})
	assert.Equal(t, Sleep, act)
	assert.Equal(t, began.Add(time.Hour), s.Until)
	s, _ = p.Next(State{Phase: Asking, At: 1, Until: noon}, Event{What: Restarted, At: began, Limit: time.Minute})
	assert.Equal(t, began.Add(time.Minute), s.Until)
}

func TestRun_ADeviceThatOnlyComesLaterIsNoMatterYet(t *testing.T) {
	p := program(t, "wait 1 h then press boardwalk/power")
	s := State{Phase: Waiting, Until: noon}
	got, act := p.Next(s, Event{What: Removed, Gone: boardwalk})
	assert.Equal(t, s, got)
	assert.Equal(t, Nothing, act)
}

// TestRun_BranchesLeadOn follows every way through conditions.
func TestRun_BranchesLeadOn(t *testing.T) {
	p := program(t, "if boardwalk/power is on do (notify \"a\") else (if amplifier/power is on do (notify \"b\" then "+
		"notify \"c\")) then notify \"d\"")
	walk := func(answers ...Happened) (said string) {
		s, act := p.enter(0, noon)
		for act != Finish {
			switch act {
			case Judge:
				s, act = p.Next(s, Event{What: answers[0], At: noon})
				answers = answers[1:]
			case Begin:
				said += p[s.At].Notify
				s, act = p.Next(s, Event{What: Due, At: noon})
			}
		}
		assert.Equal(t, Done, s.End)
		return said
	}
	assert.Equal(t, "ad", walk(Due))
	assert.Equal(t, "bcd", walk(NotSo, Due))
	assert.Equal(t, "d", walk(NotSo, NotSo))
	assert.Equal(t, 6, p.Steps(), "jumps are no steps")
}

// TestRun_AlwaysEnds: whatever happens, in any order, nothing is begun twice, and it ends.
func TestRun_AlwaysEnds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		steps := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) Step { return aStep(t, 0) }), 1, 6).Draw(t, "steps")
		p, err := Compile("own", steps, nil, now)
		if err != nil {
			t.Fatal(err)
		}
		s := State{Phase: Queued}
		begun, at := map[int]bool{}, noon
		asked := false
		for n := 0; s.Phase != Ended; n++ {
			if n > 20*len(p)+100 {
				t.Fatalf("does not end: %+v", s)
			}
			what := rapid.SampledFrom([]Happened{Turn, Due, Due, Due, NotSo, Superseded, LimitOver, Restarted,
				Doubt}).Draw(t,
				"what")
			if what == Restarted && s.Phase == Waiting {
				at = s.Until
			}
			if what == Doubt && asked {
				what = Due
			}
			asked = what == Doubt
			was := s
			var act Act
			s, act = p.Next(s, Event{What: what, At: at, Limit: time.Minute})
			if act == Begin && was.Phase != Asking {
				if begun[s.At] {
					t.Fatalf("step %d is begun again", s.At)
				}
				begun[s.At] = true
			}
		}
	})
}

func TestCompile_RunsOthersInPlace(t *testing.T) {
	all := map[string]string{"id of fanfare": "press boardwalk/power then run then", "id of then": "notify \"x\""}
	find := func(id string) (string, []Step, error) {
		steps, err := Parse(all[id], names{})
		return id, steps, err
	}
	steps, err := Parse("run fanfare then run then", names{})
	require.NoError(t, err)
	p, err := Compile("own", steps, find, now)
	require.NoError(t, err)
	assert.Equal(t, 3, p.Steps())
	assert.Equal(t, "press boardwalk/power", p[0].Says)

	for what, text := range map[string]string{"it runs itself": "run fanfare",
		"another leads back": "notify \"y\" then run then"} {
		all["id of then"] = text
		_, err = Compile("id of fanfare", mustParse(t, all["id of fanfare"]), find, now)
		require.ErrorIs(t, err, ErrSteps, what)
		if what == "it runs itself" {
			assert.ErrorContains(t, err, "would run itself")
		}
	}
	many := ""
	for range 40 {
		many += "run fanfare;"
	}
	all["id of then"] = "notify \"1\""
	for range 30 {
		all["id of then"] += "; notify \"2\""
	}
	_, err = Compile("own", mustParse(t, many), find, now)
	require.ErrorContains(t, err, "more than 1000")
}

func mustParse(t *testing.T, text string) []Step {
	t.Helper()
	steps, err := Parse(text, names{})
	require.NoError(t, err)
	return steps
}

// TestHold_EveryCell walks the table of what happens to a hold.
func TestHold_EveryCell(t *testing.T) {
	phases := map[HoldPhase]HoldState{HoldSetting: {Phase: HoldSetting}, Held: {Phase: Held},
		GoingBack: {Phase: GoingBack}, Owed: {Phase: Owed, Tries: 1, Retry: noon}}
	type cell struct {
		state HoldState
		act   HoldAct
	}
	same := func(ph HoldPhase) cell { return cell{phases[ph], HoldNothing} }
	end := func(reason string) cell { return cell{HoldState{Phase: HoldEnded, Reason: reason}, HoldNothing} }
	cancelled := cell{HoldState{Phase: HoldEnded, Reason: "why"}, CancelSet}
	frozen := func(ph HoldPhase) cell {
		s := phases[ph]
		s.Frozen = true
		return cell{s, HoldNothing}
	}
	owed := cell{HoldState{Phase: Owed, Tries: 1, Retry: noon.Add(15 * time.Second), Reason: "why"}, HoldNothing}
	held := cell{HoldState{Phase: Held}, HoldNothing}
	owedNow := func(tries int) cell { return cell{HoldState{Phase: Owed, Tries: tries, Retry: noon}, HoldNothing} }
	for what, row := range map[HoldHappened][4]cell{
		HoldDone: {held, same(Held), end(""), end("")},
		HoldFailed: {end("why"), same(Held), owed, {HoldState{Phase: Owed, Tries: 2, Retry: noon.Add(30 * time.Second),
			Reason: "why"}, HoldNothing}},
		HoldUnknown: {held, same(Held), end("nobody knows whether it is back: why"),
			end("nobody knows whether it is back: why")},
		TimeOver: {{HoldState{Phase: HoldSetting, Over: true}, HoldNothing}, {HoldState{Phase: GoingBack}, GoBack},
			same(GoingBack), same(Owed)},
		Other:      {cancelled, end("why"), cancelled, end("why")},
		Mains:      {cancelled, end("why"), cancelled, end("why")},
		Newer:      {same(HoldSetting), same(Held), same(GoingBack), same(Owed)},
		RunStopped: {cancelled, same(Held), same(GoingBack), same(Owed)},
		DeviceGone: {frozen(HoldSetting), frozen(Held), frozen(GoingBack), frozen(Owed)},
		DeviceBack: {held, same(Held), owedNow(0), same(Owed)},
		Purged: {end("its device is gone"), end("its device is gone"), end("its device is gone"),
			end("its device is gone")},
		HouseAgain: {held, same(Held), owedNow(0), owedNow(1)},
		RetryDue: {same(HoldSetting), same(Held), same(GoingBack),
			{HoldState{Phase: GoingBack, Tries: 1, Retry: noon}, GoBack}},
	} {
		for i, phase := range []HoldPhase{HoldSetting, Held, GoingBack, Owed} {
			got, act := phases[phase].Next(what, "why", noon)
			assert.Equal(t, row[i], cell{got, act}, "%s while %s", what, phase)
		}
		over := HoldState{Phase: HoldEnded}
		got, act := over.Next(what, "", noon)
		assert.Equal(t, HoldEnded, got.Phase, "%s after the end", what)
		assert.Equal(t, HoldNothing, act)
	}
}

func TestHold_GoesBackAfterwardsWhereItsTimeEndsWhileItIsSet(t *testing.T) {
	s, _ := HoldState{Phase: HoldSetting}.Next(TimeOver, "", noon)
	for _, what := range []HoldHappened{HoldDone, HoldUnknown} {
		got, act := s.Next(what, "", noon)
		assert.Equal(t, GoingBack, got.Phase)
		assert.Equal(t, GoBack, act)
	}
	got, _ := s.Next(HouseAgain, "", noon)
	assert.Equal(t, HoldState{Phase: Owed, Retry: noon}, got, "nor is it forgotten over a restart")
}

func TestHold_PausesGrowAndItIsGivenUpOneDay(t *testing.T) {
	s, at, n := HoldState{Phase: GoingBack}, noon, 0
	var last time.Duration
	for ; s.Phase != HoldEnded; n++ {
		s, _ = s.Next(HoldFailed, "the station is away", at)
		if s.Phase != Owed {
			continue
		}
		pause := s.Retry.Sub(at)
		assert.GreaterOrEqual(t, pause, last)
		assert.LessOrEqual(t, pause, 30*time.Minute)
		last, at = pause, s.Retry
		s, _ = s.Next(RetryDue, "", at)
	}
	assert.InDelta(t, 24, at.Sub(noon).Hours(), 2)
	assert.Contains(t, s.Reason, "the station is away")
}

func TestHold_WhatIsFrozenStandsStill(t *testing.T) {
	s, _ := HoldState{Phase: GoingBack}.Next(DeviceGone, "", noon)
	got, act := s.Next(HoldFailed, "unknown device", noon)
	assert.Equal(t, s, got, "the device's being away is no failure")
	assert.Equal(t, HoldNothing, act)
	got, _ = got.Next(DeviceBack, "", noon)
	assert.Equal(t, HoldState{Phase: Owed, Retry: noon}, got)
}

func TestCond_ThreeAnswers(t *testing.T) {
	read := func(may ...string) func(Test) Reading {
		return func(x Test) Reading {
			if x.On.ID == "id of amplifier" {
				return nil
			}
			return may
		}
	}
	for text, want := range map[string]Truth{
		"boardwalk/power is on":                                  Unknown,
		"boardwalk/power may be on":                              Yes,
		"boardwalk/power may be red":                             No,
		"boardwalk/power is red":                                 No,
		"not boardwalk/power is red":                             Yes,
		"not boardwalk/power is on":                              Unknown,
		"boardwalk/power is red or boardwalk/power is on":        Unknown,
		"boardwalk/power may be on or boardwalk/power is on":     Yes,
		"boardwalk/power is red and boardwalk/power is on":       No,
		"boardwalk/power may be on and boardwalk/power is on":    Unknown,
		"amplifier/power is on":                                  Unknown,
		"amplifier/power may be on":                              Yes,
		"not (boardwalk/power is red and amplifier/power is on)": Yes,
	} {
		steps := mustParse(t, "if "+text+" do wait 1 s")
		got, unknown := steps[0].If.Cond.Judge(read("on", "off"))
		assert.Equal(t, want, got, text)
		assert.Equal(t, want == Unknown, len(unknown) > 0, "what is not known is told: %s", text)
	}
	above := mustParse(t, "if dome/humidity above 85 do wait 1 s")[0].If.Cond
	for value, want := range map[string]Truth{"85": No, "85.5": Yes, "9": No, "wet": Unknown} {
		got, _ := above.Judge(read(value))
		assert.Equal(t, want, got, value)
	}
	for value, want := range map[string]Truth{"3 to 12": No, "80 to 90": Unknown, "86 to 90": Yes, "36%": No,
		"…": Unknown} {
		got, _ := above.Judge(read(value))
		assert.Equal(t, want, got, value)
	}
	got, _ := above.Judge(read())
	assert.Equal(t, Unknown, got)
	is := mustParse(t, "if dome/humidity is 5 do wait 1 s")[0].If.Cond
	got, _ = is.Judge(read("5.0"))
	assert.Equal(t, Yes, got)
}

// TestProgram_ADamagedOneIsRefused: what is read from a disk that was damaged must neither stand in a circle nor end
// the house.
func TestProgram_ADamagedOneIsRefused(t *testing.T) {
	p := program(t, "if boardwalk/power is on do wait 1 s else wait 2 s; press boardwalk/power")
	for at, phase := range []Phase{InStep, Waiting, "", Waiting, InStep} {
		if phase != "" {
			require.NoError(t, p.Check(State{Phase: phase, At: at}), "%d", at)
		}
	}
	for _, wrong := range []State{{}, {Phase: Waiting, At: 9}, {Phase: InStep, At: -1}, {Phase: Waiting, At: 4},
		{Phase: InStep, At: 2}, {Phase: Ended}, {Phase: "flying"}, {Phase: Queued, At: 1}} {
		require.ErrorIs(t, p.Check(wrong), ErrSteps, "%+v", wrong)
	}
	for _, wrong := range []Program{{{}}, {{Jump: 0}}, {{Notify: "a"}, {Jump: 1}}, {{Wait: &Wait{}}},
		{{Branch: &Branch{Cond: Cond{}, Else: 1}}}, {{Branch: &Branch{Cond: p[0].Branch.Cond, Else: 0}}}} {
		require.ErrorIs(t, wrong.Check(State{Phase: Queued}), ErrSteps, "%+v", wrong)
	}
	for _, steps := range [][]Step{{{}}, {{If: &Choice{Do: []Step{{Notify: "a"}}}}}} {
		_, err := Compile("own", steps, nil, now)
		require.ErrorIs(t, err, ErrSteps)
	}
}

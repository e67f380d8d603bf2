package line_test

import (
	"flag"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

var tableFile = flag.String("table", "", "file to write the table of decode rates to; takes some minutes")

// noise is how much worse than clean a press comes in.
type noise struct {
	name             string
	clock            float64 // greatest clock error
	jitter           float64 // µs, standard deviation of every edge
	shrinks, stretch float64 // µs, what receivers of infrared do to marks
	radio            float64 // µs, the same for radio
	alone            bool    // only the frames that are sent once came in, or one that repeats
}

var noises = []noise{{"mild", 0.02, 15, -50, 80, 20, false}, {"usual", 0.05, 30, -100, 120, 40, false},
	{"harsh", 0.10, 40, -130, 160, 60, false}, {"harsh, one frame", 0.10, 40, -130, 160, 60, true}}

// spoil makes a noisy press of a sheet with random fields.
func (n noise) spoil(r *rand.Rand, s *line.Sheet) (line.Fields, []signal.Reception, error) {
	fields := line.Fields{}
	forms := s.Forms()
	form := forms[r.IntN(len(forms))]
	for _, f := range s.Fields() {
		switch {
		case !slices.Contains(form, f.Name):
		case f.Digits > 0:
			text := make([]byte, f.Digits)
			for i := range text {
				text[i] = f.Of[r.IntN(len(f.Of))]
			}
			fields[f.Name] = line.Text(string(text))
		default:
			fields[f.Name] = line.Number(f.Min + r.Int64N(f.Max-f.Min+1))
		}
	}
	unit, stretch := s.UnitFrom, n.shrinks+(n.stretch-n.shrinks)*r.Float64()
	if s.UnitTo > s.UnitFrom {
		least := max(250, s.UnitFrom)
		unit = least + r.Float64()*(s.UnitTo-least)
	}
	if s.Medium == line.Radio {
		stretch = n.radio * (2*r.Float64() - 1)
	}
	burst, err := s.EncodeAnyway(fields, unit)
	if err != nil {
		return nil, nil, err
	}
	if n.alone {
		if burst.Repeats, burst.Last = 1, nil; burst.Once != nil {
			burst.Repeat = nil
		}
	}
	flat := press(burst)
	clock := 1 + n.clock*(2*r.Float64()-1)
	before := r.NormFloat64() * n.jitter
	for i, d := range flat {
		after := r.NormFloat64() * n.jitter
		us := float64(d)*clock + after - before + stretch
		if i%2 == 1 {
			us -= 2 * stretch
		}
		flat[i], before = max(int(us+0.5), 1), after
	}
	return fields, signal.Split(flat, 20_000), nil
}

// rate decodes many noisy presses of a sheet: how many were found, what came first instead, and how many are surely
// read as something else of the same sheet.
func rate(t *testing.T, s *line.Sheet, n noise, presses int) (found int, instead map[string]int, wrong int) {
	t.Helper()
	r := rand.New(rand.NewPCG(uint64(len(s.Name)), 7))
	instead = map[string]int{}
	for range presses {
		fields, trains, err := n.spoil(r, s)
		require.NoError(t, err)
		readings := line.Builtin().Decode(trains).Readings
		if len(readings) > 0 && readings[0].Confidence >= line.Clear && readings[0].Sheet == s.Name &&
			!assert.ObjectsAreEqual(fields, readings[0].Fields) {
			wrong++
		}
		if slices.ContainsFunc(readings, func(x line.Reading) bool {
			return x.Sheet == s.Name &&
				assert.ObjectsAreEqual(fields, x.Fields)
		}) {
			found++
			if readings[0].Sheet != s.Name {
				instead[readings[0].Sheet]++
			}
		}
	}
	return found, instead, wrong
}

// TestDecode_RatesDoNotFall guards the rates that docs/benchmarks.md shows, with fewer presses.
func TestDecode_RatesDoNotFall(t *testing.T) {
	for _, s := range line.Builtin().Sheets() {
		found, _, _ := rate(t, s, noises[1], 60)
		assert.GreaterOrEqual(t, found, 59, "%s through usual noise", s.Name)
	}
}

func TestTable(t *testing.T) {
	if *tableFile == "" {
		t.Skip("name a file with -table to write the table of decode rates")
	}
	const presses, randoms = 10_000, 1_000_000
	var b strings.Builder
	fmt.Fprintf(&b, "| sheet |")
	for _, n := range noises {
		fmt.Fprintf(&b, " %s |", n.name)
	}
	fmt.Fprintf(&b, " first instead, of all found |\n|---|%s---|\n", strings.Repeat("---|", len(noises)))
	wrong := 0
	for _, s := range line.Builtin().Sheets() {
		all := map[string]int{}
		fmt.Fprintf(&b, "| `%s` |", s.Name)
		for _, n := range noises {
			found, instead, misread := rate(t, s, n, presses)
			wrong += misread
			fmt.Fprintf(&b, " %.2f %% |", 100*float64(found)/presses)
			for name, count := range instead {
				all[name] += count
			}
		}
		var confused []string
		for _, name := range slices.Sorted(maps.Keys(all)) {
			if share := 100 * float64(all[name]) / float64(len(noises)*presses); share >= 0.01 {
				confused = append(confused, fmt.Sprintf("`%s` %.2f %%", name, share))
			}
		}
		fmt.Fprintf(&b, " %s |\n", strings.Join(confused, ", "))
	}
	r := rand.New(rand.NewPCG(3, 9))
	trusted := map[string]int{}
	for range randoms {
		for _, x := range line.Builtin().Decode([]signal.Reception{{Train: randomTrain(r)}}).Readings {
			if x.Confidence > line.LoneLimit {
				trusted[x.Sheet]++
			}
		}
	}
	fmt.Fprintf(&b, "\nOf %d presses, %d were surely read as others of the same sheet.\n",
		len(noises)*presses*len(line.Builtin().Sheets()), wrong)
	fmt.Fprintf(&b, "\nReadings with a confidence above %.1f among %d random trains: %d %v.\n", line.LoneLimit, randoms,
		len(trusted), trusted)
	require.NoError(t, os.WriteFile(*tableFile, []byte(b.String()), 0o644))
}

// randomTrain is 20 to 400 durations: log-uniform from 60 to 20,000 µs, or random multiples of a random unit.
func randomTrain(r *rand.Rand) signal.Train {
	train := make(signal.Train, 21+2*r.IntN(190))
	unit := 60 + r.IntN(900)
	multiples := r.IntN(2) == 0
	for i := range train {
		if multiples {
			train[i] = unit * (1 + r.IntN(8))
		} else {
			train[i] = int(60 * math.Pow(20_000.0/60, r.Float64()))
		}
	}
	return train
}

package recording

import (
	"archive/tar"
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/signal"
)

// shades is a made-up pulse-width frame, sent twice.
func shades() []signal.Reception {
	train := signal.Train{2600, 650}
	for i := range 12 {
		if i%3 == 0 {
			train = append(train, 1300, 650)
		} else {
			train = append(train, 650, 650)
		}
	}
	train = train[:len(train)-1]
	return []signal.Reception{{Train: train, Gap: 26_000}, {Train: train, Gap: 300_000}}
}

func readAll(t *testing.T, name string, data []byte, o Options) (*Reader, []Press) {
	t.Helper()
	r, err := Open(name, bytes.NewReader(data), o)
	require.NoError(t, err)
	var out []Press
	for r.Scan() {
		out = append(out, r.Press())
	}
	return r, out
}

// within compares trains and gaps, give or take some µs.
func within(t *testing.T, want, got []signal.Reception, us float64) {
	t.Helper()
	require.Len(t, got, len(want))
	for i := range want {
		require.Len(t, got[i].Train, len(want[i].Train))
		for j, d := range want[i].Train {
			require.InDelta(t, d, got[i].Train[j], us, "train %d, duration %d", i, j)
		}
		if i < len(want)-1 {
			require.InDelta(t, want[i].Gap, got[i].Gap, us)
		}
	}
}

func TestExport_ReadAgainGivesTheSame(t *testing.T) {
	for _, format := range Exports() {
		t.Run(format, func(t *testing.T) {
			var b bytes.Buffer
			require.NoError(t, Export(&b, format, Signal{Name: "Boardwalk: dim */ \n$end", Trains: shades(),
				CarrierHz: 38_000}))
			r, presses := readAll(t, "", b.Bytes(), Options{})
			require.NoError(t, r.Err())
			assert.Equal(t, format, r.Info.Format)
			require.Len(t, presses, 1)
			us := 0.0
			if format == "wav" {
				us = 2.5
			}
			within(t, shades(), presses[0].Trains, us)
		})
	}
}

func TestExport_RefusesWhatItCannotWrite(t *testing.T) {
	require.ErrorContains(t, Export(io.Discard, "mp3", Signal{Trains: shades()}), "vcd, wav can be written")
	require.ErrorContains(t, Export(io.Discard, "vcd", Signal{}), "nothing to write")
}

// dump is a VCD in which a channel goes through the durations, starting from a level.
func dump(start int, before int, durations []int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "$timescale 100 ns $end\n$scope module top $end\n$var wire 1 %% CLK $end\n$var wire 1 # D1 "+
		"$end\n$upscope $end\n$enddefinitions $end\n#0\n0%%\n%d#\n", start)
	at, level := before, start
	for _, d := range durations {
		level = 1 - level
		fmt.Fprintf(&b, "#%d %d#\n", at*10, level)
		at += d
	}
	fmt.Fprintf(&b, "#%d\n", at*10)
	return b.String()
}

func TestVCD_FindsChannelAndPolarity(t *testing.T) {
	durations := append(append([]int{}, shades()[0].Train...), 30_000)
	r, presses := readAll(t, "x.bin", []byte(dump(1, 5000, durations)), Options{})
	require.NoError(t, r.Err())
	assert.Equal(t, "D1", r.Info.Channel, "CLK never changes")
	assert.Equal(t, []string{"CLK", "D1"}, r.Info.Channels)
	assert.True(t, r.Info.Inverted)
	require.Len(t, presses, 1)
	assert.Equal(t, shades()[0].Train, presses[0].Trains[0].Train)
	assert.EqualValues(t, 5000, presses[0].At)
	assert.Zero(t, presses[0].CarrierHz)
}

func TestVCD_TakesTheCarrierOutOfMarks(t *testing.T) {
	var fast []int
	for i, d := range shades()[0].Train {
		if i%2 == 1 {
			fast[len(fast)-1] += d - 17
			continue
		}
		for range int(math.Round(float64(d) / 26)) { // 38.46 kHz, on for a third of the cycle
			fast = append(fast, 9, 17)
		}
		fast[len(fast)-1] = 17
	}
	fast[len(fast)-1] = 100_000
	_, presses := readAll(t, "", []byte(dump(0, 1000, fast)), Options{Channel: "D1"})
	require.Len(t, presses, 1)
	assert.InDelta(t, 38_461, presses[0].CarrierHz, 60)
	within(t, shades()[:1], presses[0].Trains, 40)
}

func TestCSV_ReadsSamplesInVolts(t *testing.T) {
	var b strings.Builder
	b.WriteString("Time [ms];Sync [V];Out [V]\n")
	rng := rand.New(rand.NewPCG(1, 2))
	flat := append([]int{4000}, shades()[0].Train...)
	at, edge, i := 0.0, float64(flat[0]), 0
	for at < 40_000 {
		for i < len(flat) && at >= edge {
			if i++; i < len(flat) {
				edge += float64(flat[i])
			}
		}
		volts := 3.3 * float64(i%2)
		if i >= len(flat) {
			volts = 0
		}
		fmt.Fprintf(&b, "%s;0;%s\n", strings.Replace(fmt.Sprintf("%.3f", at/1000), ".", ",", 1),
			strings.Replace(fmt.Sprintf("%.2f", volts+rng.Float64()*0.2), ".", ",", 1))
		at += 10
	}
	r, presses := readAll(t, "scope.csv", []byte(b.String()), Options{Channel: "Out [V]"})
	require.NoError(t, r.Err())
	require.Len(t, presses, 1)
	within(t, shades()[:1], presses[0].Trains, 11)
}

// sound writes samples of a kind that the exporter does not.
func sound(t *testing.T, rate, bits int, tag uint16, stereo bool, level func(us float64) float64, us float64) []byte {
	t.Helper()
	var data bytes.Buffer
	channels := 1
	if stereo {
		channels = 2
	}
	for i := range int(us * float64(rate) / 1e6) {
		v := level(float64(i) * 1e6 / float64(rate))
		for c := range channels {
			if stereo && c == 0 {
				v = 0
			} else if stereo {
				v = level(float64(i) * 1e6 / float64(rate))
			}
			switch {
			case tag == 3:
				data.Write(binary.LittleEndian.AppendUint32(nil, math.Float32bits(float32(v))))
			case bits == 8:
				data.WriteByte(byte(128 + 127*v))
			case bits == 24:
				data.Write(binary.LittleEndian.AppendUint32(nil, uint32(int32(v*8388607)))[:3])
			case bits == 32:
				data.Write(binary.LittleEndian.AppendUint32(nil, uint32(int32(v*2147483647))))
			default:
				data.Write(binary.LittleEndian.AppendUint16(nil, uint16(int16(v*32767))))
			}
		}
	}
	head := wavHeader(rate, data.Len()/2)
	binary.LittleEndian.PutUint16(head[20:], tag)
	binary.LittleEndian.PutUint16(head[22:], uint16(channels))
	binary.LittleEndian.PutUint16(head[34:], uint16(bits))
	return append(head, data.Bytes()...)
}

// keyed is the level over time of the trains after a silence.
func keyed(us float64) bool {
	at := 30_000.0
	for _, h := range shades() {
		for i, d := range append(append([]int{}, h.Train...), h.Gap) {
			if us >= at && us < at+float64(d) {
				return i%2 == 0
			}
			at += float64(d)
		}
	}
	return false
}

func TestWAV_ReadsEveryKindOfSample(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	plain := func(us float64) float64 {
		v := 0.004 * rng.NormFloat64()
		if keyed(us) {
			v += 0.5
		}
		return v
	}
	for _, k := range []struct {
		bits   int
		tag    uint16
		stereo bool
	}{{8, 1, false}, {16, 1, true}, {24, 1, false}, {32, 1, false}, {32, 3, true}} {
		t.Run(fmt.Sprintf("%d bits, kind %d", k.bits, k.tag), func(t *testing.T) {
			o := Options{}
			if k.stereo {
				o.Channel = "right"
			}
			r, presses := readAll(t, "", sound(t, 48_000, k.bits, k.tag, k.stereo, plain, 400_000), o)
			require.NoError(t, r.Err())
			require.Len(t, presses, 1)
			within(t, shades(), presses[0].Trains, 22)
		})
	}
}

func TestWAV_ReadsInvertedAndKeyedTones(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	inverted := func(us float64) float64 {
		if keyed(us) {
			return -0.6 + 0.01*rng.NormFloat64()
		}
		return 0.01 * rng.NormFloat64()
	}
	r, presses := readAll(t, "", sound(t, 44_100, 16, 1, false, inverted, 400_000), Options{})
	require.Len(t, presses, 1)
	assert.True(t, r.Info.Inverted)
	within(t, shades(), presses[0].Trains, 25)

	tone := func(us float64) float64 {
		if keyed(us) {
			return 0.6 * math.Sin(us*2*math.Pi*0.0117)
		}
		return 0.005 * rng.NormFloat64()
	}
	_, presses = readAll(t, "", sound(t, 96_000, 16, 1, false, tone, 400_000), Options{})
	require.Len(t, presses, 1)
	within(t, shades(), presses[0].Trains, 80)
}

// radio is complex samples of the keyed trains, off the centre by so many Hz, in noise.
func radio(datatype string, rate, offset float64) []byte {
	rng := rand.New(rand.NewPCG(7, 8))
	var b bytes.Buffer
	for i := range int(0.13 * rate) {
		us := float64(i) * 1e6 / rate
		re, im := 0.03*rng.NormFloat64(), 0.03*rng.NormFloat64()
		if keyed(us) {
			re += 0.5 * math.Cos(2*math.Pi*offset*us/1e6)
			im += 0.5 * math.Sin(2*math.Pi*offset*us/1e6)
		}
		for _, v := range []float64{re, im} {
			switch datatype {
			case "cu8":
				b.WriteByte(byte(127.5 + 127*v))
			case "ci8":
				b.WriteByte(byte(int8(127 * v)))
			case "ci16_le":
				b.Write(binary.LittleEndian.AppendUint16(nil, uint16(int16(32767*v))))
			default:
				b.Write(binary.LittleEndian.AppendUint32(nil, math.Float32bits(float32(v))))
			}
		}
	}
	return b.Bytes()
}

func TestIQ_ReadsEveryDatatypeInNoise(t *testing.T) {
	for datatype := range datatypes {
		t.Run(datatype, func(t *testing.T) {
			r, presses := readAll(t, "air."+datatype, radio(datatype, 5e5, 42_000),
				Options{RateHz: 5e5, Datatype: datatype, FrequencyHz: 433.9e6})
			require.NoError(t, r.Err())
			require.Len(t, presses, 1)
			within(t, shades(), presses[0].Trains, 12)
			assert.InDelta(t, 42_000, presses[0].OffsetHz, 2000)
			assert.InDelta(t, 433.9e6, r.Info.FrequencyHz, 1)
		})
	}
}

func archive(t *testing.T, files ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	for i := 0; i < len(files); i += 2 {
		require.NoError(t, w.WriteHeader(&tar.Header{Name: files[i], Mode: 0o600, Size: int64(len(files[i+1]))}))
		_, err := w.Write([]byte(files[i+1]))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return b.Bytes()
}

const meta = `{"global": {"core:datatype": "cu8", "core:sample_rate": 500000, "core:version": "1.0.0"}, "captures": [{"core:sample_start": 0, "core:frequency": 433920000}], "annotations": []}`

func TestSigMF_ReadsAnArchive(t *testing.T) {
	r, presses := readAll(t, "", archive(t, "dew/dew.sigmf-meta", meta, "dew/dew.sigmf-data",
		string(radio("cu8", 5e5, -20e3))), Options{})
	require.NoError(t, r.Err())
	require.Len(t, presses, 1)
	within(t, shades(), presses[0].Trains, 12)
	assert.InDelta(t, 433.92e6, r.Info.FrequencyHz, 1)
	o, err := ReadMeta(strings.NewReader(meta))
	require.NoError(t, err)
	assert.Equal(t, "cu8", o.Datatype)
}

func TestOpen_SaysWhatIsWrong(t *testing.T) {
	good := sound(t, 48_000, 16, 1, false, func(float64) float64 { return 0 }, 1000)
	change := func(at int, b byte) []byte {
		out := bytes.Clone(good)
		out[at] = b
		return out
	}
	for _, c := range []struct {
		name string
		data []byte
		o    Options
		want string
	}{
		{"empty", nil, Options{}, "it is empty"},
		{"picture.wav", []byte("\x89PNG\r\n\x1a\n\x00\x00"), Options{}, "a picture (PNG)"},
		{"picture.wav", []byte("\x89PNG\r\n\x1a\n\x00\x00"), Options{Format: "wav"}, "shorter than its header"},
		{"zeros", make([]byte, 100), Options{}, "byte 0 is no text"},
		{"x", []byte("1 2 3"), Options{Format: "mp3"}, "there are wav, vcd"},
		{"cut.wav", good[:30], Options{}, "ends"},
		{"no-data.wav", good[:36], Options{}, "byte 36"},
		{"rate.wav", change(27, 0xff), Options{}, "samples a second"},
		{"bits.wav", change(34, 13), Options{}, "samples of 13 bits"},
		{"kind.wav", change(20, 85), Options{}, "save it as PCM"},
		{"channels.wav", change(22, 0), Options{}, "0 channels"},
		{"long.wav", change(42, 0xff), Options{}, "header promises"},
		{"x.wav", good, Options{Channel: "middle"}, "there are [left]"},
		{"x.vcd", []byte("$timescale 1 us $end $var wire"), Options{}, "line 1: $var without its $end"},
		{"x.vcd", []byte("$timescale 1 year $end"), Options{}, "timescale"},
		{"x.vcd", []byte("$var wire 1 ! d $end\n$enddefinitions $end"), Options{}, "line 2: no $timescale"},
		{"x.vcd", []byte("$timescale 1 us $end $enddefinitions $end"), Options{}, "no channel of one bit"},
		{"x.vcd", []byte(dump(0, 1, nil)), Options{Channel: "D9"}, "there are CLK, D1"},
		{"x.vcd", []byte(dump(0, 1, nil) + "#5\n#2\n"), Options{}, "line 11: time goes back"},
		{"x.vcd", []byte(dump(0, 1, nil) + "\nhello\n"), Options{}, "neither a time nor a value"},
		{"x.csv", []byte("time,a\n1,0\nx,1\n"), Options{}, `line 3: time "x" is no number`},
		{"x.csv", []byte("time,a\n1,0\n2\n"), Options{}, "line 3: 1 columns"},
		{"x.csv", []byte("time,a\n2,0\n1,1\n"), Options{}, "line 3: time goes back"},
		{"x.csv", []byte("time,a\n2,0\n"), Options{Channel: "b"}, "there are a"},
		{"x.iq", []byte{1, 2, 3}, Options{}, "give the datatype"},
		{"x.iq", []byte{1, 2, 3}, Options{RateHz: 1e6, Datatype: "cu8"}, "byte 3: the last sample is cut off"},
		{"x.iq", []byte{1, 2}, Options{RateHz: 1, Datatype: "cu8"}, "samples a second"},
		{"x.iq", []byte{1, 2}, Options{RateHz: 1e6, Datatype: "mp3"}, "can be read"},
		{"x.sigmf", archive(t, "a.sigmf-data", "xx"), Options{}, "samples before their metadata"},
		{"x.sigmf", archive(t, "a.sigmf-meta", meta), Options{}, "no samples"},
		{"x.sigmf", archive(t, "a.sigmf-meta", "{"), Options{}, "metadata"},
		{"x.c", []byte("int a[] = {1, 2"), Options{}, "line 1: a brace is opened"},
		{"x.c", []byte("int a[] =\n {1, zwei, 3};"), Options{}, `line 2: malformed train: number 2 is "zwei"`},
		{"x.txt", []byte("100 200\nfoo\n"), Options{}, "line 2"},
	} {
		t.Run(c.name+" "+c.want, func(t *testing.T) {
			r, err := Open(c.name, bytes.NewReader(c.data), c.o)
			if err == nil {
				for r.Scan() {
				}
				err = r.Err()
			}
			require.ErrorIs(t, err, ErrRecording)
			require.ErrorContains(t, err, c.want)
		})
	}
}

func TestReader_KeepsWhatCameBeforeAnError(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, Export(&b, "wav", Signal{Trains: shades()}))
	r, presses := readAll(t, "", b.Bytes()[:b.Len()-1000], Options{})
	require.ErrorContains(t, r.Err(), "header promises")
	require.Len(t, presses, 1)
	within(t, shades(), presses[0].Trains, 2.5)
}

// endless is noise without an end.
type endless struct{ rng *rand.Rand }

func (e endless) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = byte(e.rng.Uint32())
	}
	return len(p), nil
}

func TestReader_MemoryStaysFlatInNoise(t *testing.T) {
	for _, o := range []Options{{RateHz: 2.4e6, Datatype: "cu8"}, {Format: "wav"}} {
		in := io.LimitReader(endless{rand.New(rand.NewPCG(1, 1))}, 4<<20)
		if o.Format == "wav" {
			in = io.MultiReader(bytes.NewReader(wavHeader(48_000, 2<<20)), in)
		}
		r, err := Open("", in, o)
		require.NoError(t, err)
		for r.Scan() {
			require.LessOrEqual(t, len(r.ready), 1000)
			require.LessOrEqual(t, len(r.build.flat), signal.MaxDurations)
		}
		require.NoError(t, r.Err())
	}
}

func FuzzOpen(f *testing.F) {
	for _, format := range Exports() {
		var b bytes.Buffer
		require.NoError(f, Export(&b, format, Signal{Name: "dim", Trains: shades()}))
		f.Add(b.Bytes()[:min(b.Len(), 3000)], uint8(0))
	}
	f.Add([]byte(dump(1, 10, []int{100, 200, 300})), uint8(0))
	f.Add([]byte("time_ms;a\n1;0\n2;1,5\n3;0\n"), uint8(0))
	f.Add(radio("cu8", 20e3, 100)[:2000], uint8(1))
	f.Add(radio("cf32_le", 20e3, 100)[:2000], uint8(4))
	f.Fuzz(func(t *testing.T, data []byte, kind uint8) {
		o := Options{}
		if kinds := []string{"", "cu8", "ci8", "ci16_le", "cf32_le"}; int(kind) < len(kinds) && kind > 0 {
			o = Options{RateHz: 20e3, Datatype: kinds[kind]}
		} else if names := Formats(); int(kind) >= len(kinds) && int(kind)-len(kinds) < len(names) {
			o.Format = names[int(kind)-len(kinds)].Name
		}
		r, err := Open("x", bytes.NewReader(data), o)
		if err != nil {
			require.ErrorIs(t, err, ErrRecording)
			return
		}
		for r.Scan() {
			for _, h := range r.Press().Trains {
				require.NoError(t, h.Train.Check())
			}
		}
	})
}

func BenchmarkIQ(b *testing.B) {
	data := radio("cu8", 2.4e6, 50_000)
	b.SetBytes(int64(len(data)))
	samples := float64(len(data) / 2)
	for b.Loop() {
		r, err := Open("", bytes.NewReader(data), Options{RateHz: 2.4e6, Datatype: "cu8"})
		require.NoError(b, err)
		for r.Scan() {
		}
	}
	b.ReportMetric(samples/2.4e6*float64(b.N)/b.Elapsed().Seconds(), "x-real-time")
}

func BenchmarkWAV(b *testing.B) {
	seconds := 20.0
	rng := rand.New(rand.NewPCG(1, 2))
	data := sound(&testing.T{}, 48_000, 16, 1, false, func(us float64) float64 {
		if keyed(math.Mod(us, 500_000)) {
			return 0.5 + 0.01*rng.NormFloat64()
		}
		return 0.01 * rng.NormFloat64()
	}, seconds*1e6)
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		r, err := Open("", bytes.NewReader(data), Options{})
		require.NoError(b, err)
		for r.Scan() {
		}
	}
	b.ReportMetric(seconds*float64(b.N)/b.Elapsed().Seconds(), "x-real-time")
}

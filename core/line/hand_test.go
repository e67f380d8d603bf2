package line_test

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

// hand writes durations by hand: what stands before the bits, the bits as they are sent, from the first on (blanks are
// for the eye), with the pulses of a zero and of a one, and what stands after them. Timings are those of a plausible
// handset, not of the sheet.
func hand(before []int, bits string, zero, one, after []int) []int {
	out := append([]int{}, before...)
	for _, b := range bits {
		switch b {
		case '0':
			out = append(out, zero...)
		case '1':
			out = append(out, one...)
		}
	}
	return append(out, after...)
}

// again is a press that sends the same frame n times, with the gap after each.
func again(frame []int, n, gap int) []int {
	var out []int
	for range n {
		out = append(append(out, frame...), gap)
	}
	return out
}

var fromDescriptions = []struct {
	name, sheet string
	flat        []int // mark first, even length
	fields      string
	least       float64 // confidence
}{
	{"address and subaddress 7 (lowest bit first), command 0x3D, its complement", "twin32",
		again(hand([]int{4520, 4480}, "11100000 11100000 10111100 01000011", []int{570, 550}, []int{570, 1670},
			[]int{570}), 2, 46_000),
		"address=7 command=61 subaddress=7", 0.9},
	{"lead once, address 3, command 17", "jvc",
		append(hand([]int{8420, 4190}, "11000000 10001000", []int{530, 520}, []int{530, 1570}, []int{530, 22_000}),
			hand(nil, "11000000 10001000", []int{530, 520}, []int{530, 1570}, []int{530, 300_000})...),
		"address=3 command=17", 0.9},
	{"address 12, command 66, form 00, then command and form inverted", "denon",
		append(hand(nil, "00110 01000010 00", []int{270, 780}, []int{270, 1840}, []int{270, 43_000}),
			hand(nil, "00110 10111101 11", []int{270, 780}, []int{270, 1840}, []int{270, 300_000})...),
		"address=12 command=66", 0.9},
	{"the same with form 10", "sharp15",
		append(hand(nil, "00110 01000010 10", []int{270, 780}, []int{270, 1840}, []int{270, 43_000}),
			hand(nil, "00110 10111101 01", []int{270, 780}, []int{270, 1840}, []int{270, 300_000})...),
		"address=12 command=66", 0.9},
	// Maker 0x2002: nibbles 2 0 0 2, XOR 0. Data 0x12345 with that parity is bytes 0x50, 0x34, 0x12: XOR 0x76.
	{"maker 0x2002, data 0x12345, parity 0, check 0x76", "kaseikyo",
		again(hand([]int{3480, 1730}, "0100 0000 0000 0100 0000 1010 0010 1100 0100 1000 01101110", []int{440, 425},
			[]int{440, 1290}, []int{440}), 2, 74_000),
		"data=74565 maker=8194", 0.9},
	{"address 15, command 0xA5, both inverted", "rca",
		again(hand([]int{4010, 3990}, "1111 10100101 0000 01011010", []int{510, 990}, []int{510, 1990}, []int{510}), 2,
			7_500),
		"address=15 command=165", 0.9},
	{"sync first, id 0x12345, key 2", "ev1527",
		again(hand([]int{310, 9600}, "0001 0010 0011 0100 0101 0010", []int{310, 930}, []int{930, 310}, nil)[:49], 4,
			330),
		"id=74565 key=2", 0.5},
	{"address pins 10100000 from A0 on, data 1100, bits begin with their space", "ht12e",
		again(hand([]int{330}, "10100000 1100", []int{330, 660}, []int{660, 330}, nil), 4, 12_000),
		"address=5 data=3", 0.9},
	{"address 0x2AAAAA, data 2, closing 0101", "ht6p20",
		again(hand([]int{400}, "10 1010 1010 1010 1010 1010 10 0101", []int{400, 800}, []int{800, 400}, nil), 4, 9_300),
		"address=2796202 data=2", 0.9},
	{"handset 0x1234567, channel 3, command 0x55", "blind40",
		again(hand([]int{4790, 1520}, "0001 0010 0011 0100 0101 0110 0111 0011 01010101", []int{345, 700},
			[]int{700, 345}, []int{345}), 3, 8_100),
		"channel=3 command=85 id=19088743", 0.9},
	{"id 0x155555A pattern: each bit is two line bits; group 0, on, channel 2, unit 1", "sl32",
		again(hand([]int{260, 2600}, "01 0101 0101 0101 0101 0101 1010 0 1 10 01", []int{260, 260, 260, 1300},
			[]int{260, 1300, 260, 260}, []int{260}), 5, 10_400),
		"channel=2 group=0 id=22369626 state=1 unit=1", 0.9},
	{"id 0x5A, battery good, channel 1, 21.7 °C, 48 %", "sense36a",
		again(hand(nil, "01011010 1 0 01 000011011001 1111 00110000", []int{500, 1000}, []int{500, 2000}, []int{500}),
			4, 4_000),
		"battery=1 channel=1 humidity=48 id=90 temperature=217", 0.9},
	{"−3.4 °C in two's complement", "sense36b",
		again(hand(nil, "0101 11000011 0 0 10 111111011110 01010000", []int{500, 2000}, []int{500, 4000}, []int{500}),
			4, 9_000),
		"battery=0 button=0 channel=2 humidity=80 id=195 temperature=-34 type=5", 0.9},
	{"16-bit address 0x2D5E, command 17, its complement", "nec-wide",
		append(hand([]int{9080, 4450}, "01111010 10110100 10001000 01110111", []int{580, 550}, []int{580, 1660},
			[]int{580, 40_400}), 9080, 2210, 580, 300_000),
		"address=11614 command=17", 0.9},
	{"16-bit address 0x00FF and command 0x1234 without complements, the whole frame again", "nec32",
		again(hand([]int{8990, 4520}, "11111111 00000000 00101100 01001000", []int{555, 570}, []int{555, 1700},
			[]int{555}), 2, 41_000),
		"address=255 command=4660", 0.9},
	{"address 9, command 70, and the whole frame again instead of the short one", "nec-full",
		again(hand([]int{9010, 4490}, "10010000 01101111 01100010 10011101", []int{570, 555}, []int{570, 1680},
			[]int{570}), 2, 40_000),
		"address=9 command=70", 0.9},
	{"the same way of sending with a unit of 540 µs and 90 ms from start to start", "nec-double",
		again(hand([]int{8640, 4320}, "10010000 01101111 01100010 10011101", []int{540, 540}, []int{540, 1620},
			[]int{540}), 2, 25_000),
		"address=9 command=70", 0.9},
	// Highest bit first. The check is the low nibble of the sum of the command's nibbles: 1+2+3+4 = 10.
	{"address 0xA5, command 0x1234, check 10", "nec28",
		append(hand([]int{8400, 4230}, "10100101 0001001000110100 1010", []int{530, 525}, []int{530, 1580},
			[]int{530, 38_000}), 8400, 2120, 530, 300_000),
		"address=165 command=4660", 0.85},
	{"command 21 (lowest bit first), address 151 in eight bits", "sirc15",
		again(hand([]int{2410, 590}, "1010100 11101001", []int{610, 590}, []int{1210, 590}, nil)[:31], 3, 21_000),
		"address=151 command=21", 0.9},
	{"command 21, address 26 in five bits, extended 0x3C", "sirc20",
		again(hand([]int{2410, 590}, "1010100 01011 00111100", []int{610, 590}, []int{1210, 590}, nil)[:41], 3, 15_000),
		"address=26 command=21 extended=60", 0.9},
	{"maker 0x2002, parity 0, data 0xABCDEF1 without a check", "kaseikyo-open",
		again(hand([]int{3480, 1730}, "0100 0000 0000 0100 0000 1000 1111 0111 1011 0011 1101 0101", []int{440, 425},
			[]int{440, 1290}, []int{440}), 2, 74_000),
		"data=180150001 maker=8194", 0.5},
	{"sync 1:10, then 24 bits told by 1:2 and 2:1", "ratio24-a",
		again(hand([]int{400, 4000}, "1010 0101 1100 0011 1111 0000", []int{400, 800}, []int{800, 400}, nil)[:49], 4,
			420),
		"bits=10863600", 0.5},
	{"sync 1:6, then 3:1 and 1:3", "ratio24-b",
		again(hand([]int{300, 1800}, "1010 0101 1100 0011 1111 0000", []int{300, 900}, []int{900, 300}, nil)[:49], 4,
			320),
		"bits=10863600", 0.5},
	{"sync 6:14", "ratio24-c",
		again(hand([]int{1800, 4200}, "1010 0101 1100 0011 1111 0000", []int{300, 600}, []int{600, 300}, nil)[:49], 4,
			310),
		"bits=10863600", 0.5},
	{"a mark, then 24 bits that begin with their space, 18 units to the next", "ratio24-d",
		again(hand([]int{300}, "1010 0101 1100 0011 1111 0000", []int{300, 600}, []int{600, 300}, nil), 4, 5_400),
		"bits=10863600", 0.5},
	{"eight ones, type 4, id 0x5A, +21.7 °C, 48 %, CRC-8 of those bytes worked out by long division", "sense-c8",
		again(hand(nil, crc8ByHand, []int{1500, 1000}, []int{500, 1000}, []int{500}), 4, 8_000),
		"humidity=48 id=90 temperature=217 type=4", 0.9},
	{"twelve short marks, then a word that hops and one that does not", "hop66",
		again(hand([]int{400, 400, 400, 400, 400, 400, 400, 400, 400, 400, 400, 400, 400, 400, 400, 400, 400, 400, 400,
			400, 400, 400, 400, 4000},
			strings.Repeat("10110010", 4)+"1000000000000000000000000000 0100 00", []int{800, 400}, []int{400, 800},
			nil)[:155], 2, 16_000),
		"button=2 encrypted=1296911693 serial=1 status=0", 0.9},
}

func TestDecode_TheSheetWhoseSyncWasThereComesFirst(t *testing.T) {
	flat := again(hand([]int{300, 1800}, "1010 0101 1100 0011 1111 0000", []int{300, 900}, []int{900, 300}, nil)[:49],
		4, 320)
	got := line.Builtin().Decode(signal.Split(flat, 20_000)).Readings
	require.Greater(t, len(got), 1)
	assert.Equal(t, "ratio24-b", got[0].Sheet, "a sync of 1:6 is none of 1:31")
	assert.Equal(t, "ev1527", got[1].Sheet)
}

func TestDecode_SensorsMeasure(t *testing.T) {
	for _, c := range fromDescriptions {
		want := map[string]string{"sense36a": "[temperature 21.7 °C humidity 48 %]",
			"sense36b": "[temperature -3.4 °C humidity 80 %]",
			"sense-c8": "[temperature 21.7 °C humidity 48 %]"}[c.sheet]
		if want == "" {
			continue
		}
		got := line.Builtin().Decode(signal.Split(c.flat, 20_000)).Readings
		i := slices.IndexFunc(got, func(r line.Reading) bool { return r.Sheet == c.sheet })
		require.GreaterOrEqual(t, i, 0)
		assert.Equal(t, want, fmt.Sprint(got[i].Measured))
	}
}

// crc8ByHand is a frame of sense-c8: the bits of a weather sensor, and the remainder of their division by x⁸+x⁵+x⁴+1.
var crc8ByHand = func() string {
	bits := "0100 01011010 0 00011011001 00110000"
	remainder := 0
	for _, b := range strings.ReplaceAll(bits, " ", "") {
		remainder = remainder<<1 ^ int(b-'0')<<8
		if remainder&0x100 != 0 {
			remainder ^= 0x131
		}
	}
	return "11111111" + bits + strconv.FormatInt(int64(remainder|0x100), 2)[1:]
}()

func TestDecode_FramesWrittenFromTheDescriptions(t *testing.T) {
	for _, c := range fromDescriptions {
		t.Run(c.sheet, func(t *testing.T) {
			require.Zero(t, len(c.flat)%2, "%d durations", len(c.flat))
			got := line.Builtin().Decode(signal.Split(c.flat, 20_000)).Readings
			found := false
			for _, r := range got {
				if r.Sheet == c.sheet && r.Fields.String() == c.fields {
					found = true
					assert.GreaterOrEqual(t, r.Confidence, c.least, "%+v", r)
				}
			}
			assert.True(t, found, "%s: %s %s is not among %+v", c.name, c.sheet, c.fields, got)
		})
	}
}

func TestMC145026_NineValuesInPairsOfWords(t *testing.T) {
	const short, long = 160, 1120
	shapes := map[rune][]int{'0': {short, long, short, long}, '1': {long, short, long, short},
		'F': {long, short, short, long}}
	var word []int
	for _, v := range "0F1F00110" {
		word = append(word, shapes[v]...)
	}
	word[len(word)-1] += 48 * short
	flat := append(append([]int{}, word...), word...)
	got := line.Builtin().Decode(signal.Split(flat, 20_000)).Readings
	require.NotEmpty(t, got)
	assert.Equal(t, "mc145026", got[0].Sheet)
	assert.Equal(t, "values=0F1F00110", got[0].Fields.String())
	assert.Equal(t, 2, got[0].Frames)
}

func TestRC6_HasADoubleWidthToggle(t *testing.T) {
	// Lead 6 2, start 1, mode 000, toggle 1 in double width, address 0x10, command 0x0C. A one is mark then space.
	levels := "MMMMMMSS" + "MS" + "SMSMSM" + "MMSS" + phases("00010000") + phases("00001100")
	train := runs(levels, 444)
	if len(train)%2 == 0 {
		train = train[:len(train)-1]
	}
	got := line.Builtin().Decode([]signal.Reception{{Train: train, Gap: 80_000}, {Train: train}}).Readings
	require.NotEmpty(t, got)
	assert.Equal(t, "rc6", got[0].Sheet)
	assert.Equal(t, "address=16 command=12 toggle=1", got[0].Fields.String())
}

func TestRC6Mode6A_HasALongCustomerNumberAndAToggle(t *testing.T) {
	// Lead 6 2, start 1, mode 110, trailer 0 in double width, customer 0x8023, toggle 1, data 0x0C10.
	levels := "MMMMMMSS" + "MS" + "MSMSSM" + "SSMM" + phases("1000000000100011") + phases("1") +
		phases("000110000010000")
	train := runs(levels, 444)
	if len(train)%2 == 0 {
		train = train[:len(train)-1]
	}
	got := line.Builtin().Decode([]signal.Reception{{Train: train, Gap: 70_000}, {Train: train}}).Readings
	require.NotEmpty(t, got)
	assert.Equal(t, "rc6-6a", got[0].Sheet)
	assert.Equal(t, "customer=32803 data=3088 toggle=1", got[0].Fields.String())
}

// TestEverySheet_HasATrainWrittenByHand looks the names up: a new sheet needs one.
func TestEverySheet_HasATrainWrittenByHand(t *testing.T) {
	have := map[string]bool{"mc145026": true, "rc6": true, "rc6-6a": true}
	for _, c := range fromDescriptions {
		have[c.sheet] = true
	}
	for _, c := range handWritten {
		have[c.sheet] = true
	}
	for _, s := range line.Builtin().Sheets() {
		assert.True(t, have[s.Name], s.Name)
	}
}

// phases writes bits whose one is mark then space.
func phases(bits string) string {
	return strings.NewReplacer("1", "MS", "0", "SM").Replace(bits)
}

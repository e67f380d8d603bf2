package line

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"urbo/core/fault"
)

// ErrSheet is wrapped by every error about a line sheet that is not understood.
var ErrSheet = fault.New(fault.Invalid, "line sheet")

// MaxSheet is the greatest size of a line sheet's document in bytes.
const MaxSheet = 64 << 10

// document is a line sheet as it is written. docs/line-sheets.md describes each key.
type document struct {
	Sheet     string             `yaml:"sheet"`
	Title     string             `yaml:"title"`
	About     string             `yaml:"about"`
	Medium    string             `yaml:"medium"`
	Carrier   int                `yaml:"carrier_hz"`
	Frequency int                `yaml:"frequency_hz"`
	Unit      unitRange          `yaml:"unit_us"`
	Order     string             `yaml:"order"`
	Code      codeDoc            `yaml:"code"`
	Codes     map[string]codeDoc `yaml:"codes"`
	Fields    []fieldDoc         `yaml:"fields"`
	Frames    map[string][]part  `yaml:"frames"`
	Press     []pressDoc         `yaml:"press"`
	Scramble  string             `yaml:"scramble"`     // chain: how the whole payload is disguised
	Never     string             `yaml:"never_replay"` // why sending it again is no use
}

// codeDoc says how bits or symbols become marks and spaces.
type codeDoc struct {
	Style   string               `yaml:"style"` // space, mark, ratio, biphase, pair, symbol
	Zero    []float64            `yaml:"zero"`
	One     []float64            `yaml:"one"`
	Symbols map[string][]float64 `yaml:"symbols"`
	Extra   map[string][]float64 `yaml:"extra"` // symbols that stand for no bit, for `symbol` parts
	First   string               `yaml:"first"` // level that a symbol begins with: mark (default) or space
	Rise    string               `yaml:"rise"`  // biphase: the bit that is space→mark, "one" or "zero"
}

// fieldDoc is a field that people see.
type fieldDoc struct {
	Name    string           `yaml:"name"`
	About   string           `yaml:"about"`
	Bits    int              `yaml:"bits"`
	Digits  int              `yaml:"digits"`
	Of      string           `yaml:"of"` // the symbols that a digit may be
	Min     *int64           `yaml:"min"`
	Max     *int64           `yaml:"max"`
	Default *int64           `yaml:"default"`
	Like    string           `yaml:"like"` // default: the same as this field
	Toggle  bool             `yaml:"toggle"`
	Counter bool             `yaml:"counter"`  // goes up with every press
	Measure string           `yaml:"measure"`  // a sensor's value: what it measures
	In      string           `yaml:"in"`       // … in which unit
	Scale   float64          `yaml:"scale"`    // … as a multiple of it
	Signed  bool             `yaml:"signed"`   // two's complement
	SignBit bool             `yaml:"sign_bit"` // a bit for the sign, then the magnitude
	Offset  int64            `yaml:"offset"`   // what is sent is value + offset
	BCD     bool             `yaml:"bcd"`
	Reverse bool             `yaml:"reverse"`
	Lookup  map[int64]uint64 `yaml:"lookup"`
}

// part is one piece of a frame. Exactly one of the first group of keys is set.
type part struct {
	Lead   []float64 `yaml:"lead"`   // units, mark first
	Pulses []float64 `yaml:"pulses"` // units, level alternates
	Micros []float64 `yaml:"us"`     // µs, level alternates
	Field  string    `yaml:"field"`
	Const  *uint64   `yaml:"const"`
	Not    string    `yaml:"not"`
	Same   string    `yaml:"same"`
	Symbol string    `yaml:"symbol"`
	Xor    []string  `yaml:"xor"`
	Sum    []string  `yaml:"sum"`
	Parity []string  `yaml:"parity"`
	CRC    []string  `yaml:"crc"`
	Use    string    `yaml:"use"`

	As         string  `yaml:"as"`
	Bits       bitSpan `yaml:"bits"`
	Order      string  `yaml:"order"`
	Invert     bool    `yaml:"invert"`
	Double     bool    `yaml:"double"`
	Width      int     `yaml:"width"` // biphase: half bits per half, normally 1
	Chunk      int     `yaml:"chunk"`
	Start      uint64  `yaml:"start"`
	Negate     bool    `yaml:"negate"`
	Odd        bool    `yaml:"odd"`
	Polynomial uint64  `yaml:"polynomial"`
	Reflect    bool    `yaml:"reflect"`
	FinalXor   uint64  `yaml:"final_xor"`
	MayBeLost  bool    `yaml:"may_be_lost"`
}

// pressDoc says which frames one press sends.
type pressDoc struct {
	When    string   `yaml:"when"` // only where this field is given
	Once    []string `yaml:"once"`
	Repeat  []string `yaml:"repeat"`
	Repeats int      `yaml:"repeats"` // the least number of times that repeat is sent
	Last    []string `yaml:"last"`
	Also    []string `yaml:"also"` // frames that some handsets send instead: read, never sent
	Period  int      `yaml:"period_us"`
	Gap     int      `yaml:"gap_us"`
	GapUnit float64  `yaml:"gap"` // in units
}

// unitRange is a unit: one nominal number, or {from, to}. What is neither is zero, which the compiler refuses with
// its line.
type unitRange struct{ From, To float64 }

func (u *unitRange) UnmarshalYAML(unmarshal func(any) error) error {
	var one float64
	if unmarshal(&one) == nil {
		u.From, u.To = one, one
		return nil
	}
	var two struct {
		From float64 `yaml:"from"`
		To   float64 `yaml:"to"`
	}
	if unmarshal(&two) == nil {
		u.From, u.To = two.From, two.To
	}
	return nil
}

// bitSpan is a number of bits, or a slice of a field's bits "5..0" (both included, highest first).
type bitSpan struct {
	count  int
	hi, lo int
	slice  bool
	bad    string // what is neither
}

func (b *bitSpan) UnmarshalYAML(unmarshal func(any) error) error {
	var n int
	if unmarshal(&n) == nil {
		b.count = n
		return nil
	}
	var s string
	if err := unmarshal(&s); err != nil {
		return err
	}
	if _, err := fmt.Sscanf(s, "%d..%d", &b.hi, &b.lo); err != nil || b.lo > b.hi || b.lo < 0 || b.hi > 63 {
		b.bad = s
		return nil
	}
	b.slice, b.count = true, b.hi-b.lo+1
	return nil
}

// parseDocument reads a sheet's YAML strictly; its errors carry line and column.
func parseDocument(file string, data []byte) (doc *document, tree *ast.File, err error) {
	defer func() { // the YAML package panics on some malformed documents, which the fuzzer finds
		if p := recover(); p != nil {
			doc, tree, err = nil, nil, fmt.Errorf("%w %s: it is no YAML document: %v", ErrSheet, file, p)
		}
	}()
	if len(data) > MaxSheet {
		return nil, nil, fmt.Errorf("%w %s: %d bytes, the most is %d", ErrSheet, file, len(data), MaxSheet)
	}
	if deep(data) { // the YAML package takes gigabytes for a few thousand brackets
		return nil, nil, fmt.Errorf("%w %s: nested more than %d deep: no sheet needs that", ErrSheet, file, maxNesting)
	}
	if tree, err = parser.ParseBytes(data, 0); err != nil {
		return nil, nil, fmt.Errorf("%w %s: %s", ErrSheet, file, yamlError(err))
	}
	if at := anchor(tree); at > 0 { // a few lines of them can stand for gigabytes
		return nil, nil, fmt.Errorf("%w %s: [%d] anchors and aliases: write it out", ErrSheet, file, at)
	}
	doc = &document{}
	if err := yaml.UnmarshalWithOptions(data, doc, yaml.Strict()); err != nil {
		return nil, nil, fmt.Errorf("%w %s: %s", ErrSheet, file, yamlError(err))
	}
	return doc, tree, nil
}

// maxNesting is how deep lists and maps stand in each other.
const maxNesting = 24

// deep says whether brackets, or lists and keys on one line, stand in each other deeper than in any sheet. Brackets in
// texts count too.
func deep(data []byte) bool {
	brackets := 0
	for line := range bytes.Lines(data) {
		if marks := bytes.Count(line, []byte("- ")) + bytes.Count(line, []byte("? ")); marks > maxNesting {
			return true
		}
		if len(line)-len(bytes.TrimLeft(line, " ")) > 8*maxNesting {
			return true
		}
		for _, c := range line {
			switch c {
			case '[', '{':
				brackets++
			case ']', '}':
				brackets = max(brackets-1, 0)
			}
			if brackets > maxNesting {
				return true
			}
		}
	}
	return false
}

// anchor is the line of the first anchor or alias, 0 where there is none.
func anchor(tree *ast.File) int {
	found := anchors(0)
	for _, d := range tree.Docs {
		ast.Walk(&found, d)
	}
	return int(found)
}

type anchors int

// Visit notes the first anchor or alias.
func (a *anchors) Visit(n ast.Node) ast.Visitor {
	switch n.(type) {
	case *ast.AnchorNode, *ast.AliasNode:
		if *a == 0 {
			*a = anchors(n.GetToken().Position.Line)
		}
	}
	return a
}

// yamlError is a YAML error as "[line:column] what", without the excerpt of the source.
func yamlError(err error) string {
	return strings.TrimSpace(strings.SplitN(yaml.FormatError(err, false, false), "\n", 2)[0])
}

// lineOf finds the line on which the value at a YAML path stands, 0 where there is none.
func lineOf(tree *ast.File, path string) int {
	p, err := yaml.PathString(path)
	if err != nil {
		return 0
	}
	node, err := p.FilterFile(tree)
	if err != nil || node == nil || node.GetToken() == nil {
		return 0
	}
	return node.GetToken().Position.Line
}

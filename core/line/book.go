package line

import (
	"cmp"
	"embed"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"
	"unique"

	"urbo/core/signal"
)

//go:embed sheets/*.yaml
var builtin embed.FS

// Book is a set of sheets that are tried together. It does not change and is safe for use from several goroutines.
type Book struct {
	sheets []*Sheet
	byName map[string]*Sheet
	memory sync.Pool // of *scratch: decoding goes on all the time

	once     sync.Once
	inverted *Book // the radio sheets, made when they are first asked for

	inlines inlines
}

// NewBook makes a book. Two sheets of one name are an error that wraps ErrSheet.
func NewBook(sheets ...*Sheet) (*Book, error) {
	b := &Book{sheets: slices.Clone(sheets), byName: map[string]*Sheet{}}
	slices.SortFunc(b.sheets, func(x, y *Sheet) int { return cmp.Compare(x.Name, y.Name) })
	for _, s := range b.sheets {
		if b.byName[s.Name] != nil {
			return nil, fmt.Errorf("%w %s: there are two of this name: rename one", ErrSheet, s.Name)
		}
		if now := renamed[s.Name]; now != "" {
			return nil, fmt.Errorf("%w %s: this is an earlier name of %s: choose another", ErrSheet, s.Name, now)
		}
		b.byName[s.Name] = s
	}
	return b, nil
}

// ReadBook parses every *.yaml file of a directory.
func ReadBook(dir fs.FS) (*Book, error) {
	files, err := fs.Glob(dir, "*.yaml")
	if err != nil {
		return nil, err
	}
	var sheets []*Sheet
	for _, file := range files {
		data, err := fs.ReadFile(dir, file)
		if err != nil {
			return nil, fmt.Errorf("read line sheets: %w", err)
		}
		s, err := ParseSheet(path.Base(file), data)
		if err != nil {
			return nil, err
		}
		sheets = append(sheets, s)
	}
	return NewBook(sheets...)
}

// With is the book with more sheets. A name that is in it already is an error that wraps ErrSheet.
func (b *Book) With(sheets ...*Sheet) (*Book, error) {
	return NewBook(append(b.Sheets(), sheets...)...)
}

// Only is the book of the sheets of one medium: a receiver hears no other.
func (b *Book) Only(m Medium) *Book {
	out := &Book{byName: map[string]*Sheet{}}
	for _, s := range b.sheets {
		if s.Medium == m {
			out.sheets = append(out.sheets, s)
			out.byName[s.Name] = s
		}
	}
	return out
}

// Builtin is the book of the sheets that ship with Urbo.
var Builtin = sync.OnceValue(func() *Book {
	dir, err := fs.Sub(builtin, "sheets")
	if err != nil {
		panic(err)
	}
	b, err := ReadBook(dir)
	if err != nil {
		panic(err) // a test reads every sheet
	}
	return b
})

// ErrUnknownSheet is wrapped where a line code is asked for that the book does not have.
var ErrUnknownSheet = fmt.Errorf("%w: unknown line code", ErrSheet)

// renamed are names that sheets had in earlier versions: packs, captures and sheets in scripts still use them.
var renamed = map[string]string{"samsung32": "twin32"}

// Sheet finds a sheet by name.
func (b *Book) Sheet(name string) (*Sheet, error) {
	if s := b.byName[name]; s != nil {
		return s, nil
	}
	if s := b.byName[renamed[name]]; s != nil {
		return s, nil
	}
	names := make([]string, len(b.sheets))
	for i, s := range b.sheets {
		names[i] = s.Name
	}
	return nil, fmt.Errorf("%w %q: there are %s", ErrUnknownSheet, name, strings.Join(names, ", "))
}

// Sheets lists the sheets by name.
func (b *Book) Sheets() []*Sheet { return slices.Clone(b.sheets) }

// scratch is memory for a search through the book's sheets.
func (b *Book) scratch() *scratch {
	tmp := &scratch{shared: map[unique.Handle[string]]*[]measured{}}
	seen := map[unique.Handle[string]]bool{}
	for _, s := range b.sheets {
		for _, f := range s.frames {
			if seen[f.wave] {
				tmp.shared[f.wave] = &[]measured{}
			}
			seen[f.wave] = true
		}
	}
	return tmp
}

// Decoded is what all sheets make of one press.
type Decoded struct {
	Readings []Reading // best first
	// Held names the sheet whose short repeat frames stand alone in the press: a key still held down, not a reading.
	Held string
}

// Decode tries every sheet on the trains of one press. Where none is sure, it tries again without
// glitches, and the other way round.
func (b *Book) Decode(trains []signal.Reception) Decoded {
	flat := signal.Flatten(trains)
	if len(flat) == 0 {
		return Decoded{}
	}
	left := effort
	out := b.decode(flat, &left)
	for _, cut := range glitches {
		mended, ok := mend(flat, cut)
		if !ok || out.moreConfident(LoneLimit) {
			continue
		}
		if again := b.decode(mended, &left); len(again.Readings) > 0 && (len(out.Readings) == 0 ||
			again.Readings[0].score > out.Readings[0].score) {
			out = again
		}
	}
	if radio := b.radio(); radio != nil && !out.moreConfident(0.9) {
		// Some radio receivers invert: what looks like a space is a mark.
		again := radio.decode(append(slices.Clone(flat[1:]), signal.PressSilence), &left)
		if again.moreConfident(LoneLimit) {
			out.Readings = append(out.Readings, again.Readings...)
			sortReadings(out.Readings)
		}
	}
	return out
}

// moreConfident says whether the best reading has more than a confidence.
func (d Decoded) moreConfident(than float64) bool {
	return len(d.Readings) > 0 && d.Readings[0].Confidence > than
}

// radio is the book of the radio sheets, nil where there are none.
func (b *Book) radio() *Book {
	b.once.Do(func() {
		if only := b.Only(Radio); len(only.sheets) > 0 {
			b.inverted = only
		}
	})
	return b.inverted
}

func (b *Book) decode(flat []int, left *int) Decoded {
	var out Decoded
	tmp, ok := b.memory.Get().(*scratch)
	if !ok {
		tmp = b.scratch()
	}
	defer b.memory.Put(tmp)
	for _, waves := range tmp.shared {
		*waves = (*waves)[:0]
	}
	for i, s := range b.sheets {
		given := share(*left, len(b.sheets)-i)
		tmp.left = given
		readings, lone := s.decode(flat, tmp)
		*left -= given - max(tmp.left, 0)
		out.Readings = append(out.Readings, readings...)
		if lone > 0 && out.Held == "" {
			out.Held = s.Name
		}
	}
	if len(out.Readings) > 0 {
		out.Held = ""
	}
	sortReadings(out.Readings)
	return out
}

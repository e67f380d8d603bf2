package line_test

import (
	"math/rand/v2"
	"testing"

	"urbo/core/line"
	"urbo/core/signal"
)

// BenchmarkDecode tries all sheets on one train, and those that a receiver of infrared can hear.
func BenchmarkDecode(b *testing.B) {
	all := line.Builtin()
	text, err := signal.ParseText(handWritten[0].train)
	if err != nil {
		b.Fatal(err)
	}
	r := rand.New(rand.NewPCG(1, 1))
	noise := make(signal.Train, 399)
	for i := range noise {
		noise[i] = 60 + int(r.ExpFloat64()*300)
	}
	for name, train := range map[string]signal.Train{"nec": text.Train, "noise-399": noise} {
		for medium, book := range map[string]*line.Book{"all sheets": all, "infrared": all.Only(line.Infrared)} {
			b.Run(name+" "+medium, func(b *testing.B) {
				heard := []signal.Reception{{Train: train}}
				b.ReportAllocs()
				for b.Loop() {
					book.Decode(heard)
				}
			})
		}
	}
}

// BenchmarkPresses tries all sheets on whole presses of each, with as many frames as it sends, through usual noise.
func BenchmarkPresses(b *testing.B) {
	book := line.Builtin()
	var all [][]signal.Reception
	for _, s := range book.Sheets() {
		r := rand.New(rand.NewPCG(5, 5))
		var presses [][]signal.Reception
		for len(presses) < 16 {
			_, trains, err := noises[1].spoil(r, s)
			if err != nil {
				b.Fatal(err)
			}
			presses = append(presses, trains)
		}
		all = append(all, presses...)
		b.Run(s.Name, func(b *testing.B) { decodeInTurn(b, book, presses) })
	}
	b.Run("mean", func(b *testing.B) { decodeInTurn(b, book, all) })
}

func decodeInTurn(b *testing.B, book *line.Book, presses [][]signal.Reception) {
	for i := 0; b.Loop(); i++ {
		book.Decode(presses[i%len(presses)])
	}
}

func BenchmarkEncode(b *testing.B) {
	s, err := line.Builtin().Sheet("nec")
	if err != nil {
		b.Fatal(err)
	}
	fields := line.Fields{"address": line.Number(4), "command": line.Number(8)}
	for b.Loop() {
		if _, err := s.Encode(fields); err != nil {
			b.Fatal(err)
		}
	}
}

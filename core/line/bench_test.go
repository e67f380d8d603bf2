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

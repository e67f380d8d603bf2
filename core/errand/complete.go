package errand

import (
	"strings"

	"urbo/core/run"
)

// Offers is what may stand next in an errand that is being written, and the word that is being typed there: words begin
// with it, and whoever lists the names of a kind keeps to it, too.
type Offers struct {
	Typed string
	All   []run.Offer
}

// Complete says what may stand at the end of a text. Where something before that is wrong, it offers nothing.
func Complete(text string, names run.AllNames) Offers {
	r, err := run.NewReader(text, names)
	if err != nil {
		return Offers{}
	}
	out := Offers{Typed: r.Cut(text)}
	r.Offers()
	p := &parser{Reader: r}
	_, _ = p.errand() // it ends too early, as it is to
	for _, o := range r.Offered() {
		if o.Kind != "" || strings.HasPrefix(o.Word, out.Typed) {
			out.All = append(out.All, o)
		}
	}
	return out
}

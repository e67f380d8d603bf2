package line

import "sync"

// mostInlines is how many compiled sheets are kept at hand.
const mostInlines = 500

// inlines keeps sheets that codes bring with them compiled: a press must not wait for that.
type inlines struct {
	mu     sync.Mutex
	byText map[string]*Sheet
}

// Inline compiles a sheet that a code brings with it, or finds it compiled. Errors wrap ErrSheet.
func (b *Book) Inline(text string) (*Sheet, error) {
	b.inlines.mu.Lock()
	s := b.inlines.byText[text]
	b.inlines.mu.Unlock()
	if s != nil {
		return s, nil
	}
	s, err := parseSheet("inline", []byte(text), false)
	if err != nil {
		return nil, err
	}
	b.inlines.mu.Lock()
	defer b.inlines.mu.Unlock()
	if len(b.inlines.byText) >= mostInlines || b.inlines.byText == nil {
		b.inlines.byText = map[string]*Sheet{}
	}
	b.inlines.byText[text] = s
	return s, nil
}

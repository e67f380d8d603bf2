package cli

import (
	"fmt"
	"io"
	"strings"
	"sync"
	"unicode/utf8"

	"urbo/core/plain"
)

// printed is where texts go to a terminal. Whatever a text comes from, a handset, a pack, a station or another program,
// nothing in it moves the cursor or turns the text around: such characters are shown as �, and in JSON as \uXXXX, which
// is the same text.
type printed struct {
	w    io.Writer
	json bool

	mu   sync.Mutex
	half []byte // the beginning of a character whose rest comes with the next write
}

// Write writes on.
func (p *printed) Write(text []byte) (int, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	whole := append(p.half, text...)
	p.half = nil
	for i := len(whole) - 1; i >= 0 && i >= len(whole)-utf8.UTFMax; i-- {
		if utf8.RuneStart(whole[i]) {
			if !utf8.FullRune(whole[i:]) {
				p.half = append([]byte{}, whole[i:]...)
				whole = whole[:i]
			}
			break
		}
	}
	out := string(whole)
	if p.json {
		out = escaped(out)
	} else {
		out = plain.Show(out)
	}
	if _, err := io.WriteString(p.w, out); err != nil {
		return 0, err
	}
	return len(text), nil
}

// escaped is JSON whose strings have their hidden characters as \uXXXX.
func escaped(text string) string {
	if plain.Is(text) {
		return text
	}
	var out strings.Builder
	for _, r := range text {
		switch {
		case r == '\n' || r == '\t' || !plain.Hidden(r):
			out.WriteRune(r)
		case r > 0xffff:
			r -= 0x10000
			fmt.Fprintf(&out, `\u%04x\u%04x`, 0xd800+r>>10, 0xdc00+r&0x3ff)
		default:
			fmt.Fprintf(&out, `\u%04x`, r)
		}
	}
	return out.String()
}

package phrase

import (
	"fmt"
	"strings"
)

// pattern is one way to say something, of a language.
type pattern struct {
	intent string
	node   node
}

// node is a part of a pattern.
type node struct {
	word string   // this word
	slot string   // or what a slot takes
	all  []node   // or all of these, one after another
	any  [][]node // or one of these
	may  bool     // it may be left out
}

// patternReader reads a pattern: words, [what may be left out], (one|or another), {slot} and <part>.
type patternReader struct {
	text  string
	parts map[string][]node
}

func (r *patternReader) peek() byte {
	r.text = strings.TrimLeft(r.text, " ")
	if r.text == "" {
		return 0
	}
	return r.text[0]
}

// until takes the text up to a sign, and the sign.
func (r *patternReader) until(sign string) (string, error) {
	name, rest, is := strings.Cut(r.text[1:], sign)
	if !is {
		return "", fmt.Errorf("%s is missing in %q", sign, r.text)
	}
	r.text = rest
	return name, nil
}

// sequence reads what stands one after another, up to the end or a sign that ends it.
func (r *patternReader) sequence() (out []node, err error) {
	for {
		switch r.peek() {
		case 0, '|', ')', ']':
			return out, nil
		case '{':
			name, err := r.until("}")
			if err != nil {
				return nil, err
			}
			out = append(out, node{slot: name})
		case '<':
			name, err := r.until(">")
			if err != nil {
				return nil, err
			}
			part, is := r.parts[name]
			if !is {
				return nil, fmt.Errorf("there is no part <%s>", name)
			}
			out = append(out, node{all: part})
		case '(', '[':
			optional := r.text[0] == '['
			r.text = r.text[1:]
			any, err := r.choice()
			if err != nil {
				return nil, err
			}
			if end := r.peek(); end != ')' && end != ']' {
				return nil, fmt.Errorf("a bracket is not closed")
			}
			r.text = r.text[1:]
			out = append(out, node{any: any, may: optional})
		default:
			n := strings.IndexAny(r.text, " |()[]{}<>")
			if n < 0 {
				n = len(r.text)
			}
			out = append(out, node{word: r.text[:n]})
			r.text = r.text[n:]
		}
	}
}

func (r *patternReader) choice() (out [][]node, err error) {
	for {
		one, err := r.sequence()
		if err != nil {
			return nil, err
		}
		out = append(out, one)
		if r.peek() != '|' {
			return out, nil
		}
		r.text = r.text[1:]
	}
}

// words calls do with each word of a pattern.
func (n node) words(do func(string)) {
	if n.word != "" {
		do(n.word)
	}
	for _, one := range n.all {
		one.words(do)
	}
	for _, all := range n.any {
		for _, one := range all {
			one.words(do)
		}
	}
}

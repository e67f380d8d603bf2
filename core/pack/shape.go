package pack

import "fmt"

// Bounds of the lists in a device's document, by the name of their member; other lists and objects have mostOthers.
// They are counted before anything is made of the document, since a list of empty objects takes many times its size.
var most = map[string]int{"keys": 200, "codes": 8, "heard": 8, "train": 4096, "face": 60}

// mostOthers is the most members of an object, and elements of a list without a bound of its own.
const mostOthers = 1000

// level is an object or a list that is open.
type level struct {
	list  bool
	name  string // of the member that it is
	items int
	empty bool // nothing has stood in it yet
}

// checkShape counts what stands in a JSON document that is known to be well-formed. The error says which list is too
// long.
func checkShape(doc []byte) error {
	var open []level
	name, isName := "", false // the last text, and whether the next text is a member's name
	count := func() error {
		l := &open[len(open)-1]
		l.items++
		bound := mostOthers
		if n, known := most[l.name]; known && l.list {
			bound = n
		}
		if l.items > bound {
			if l.name == "" {
				return fmt.Errorf("an object with more than %d members", bound)
			}
			return fmt.Errorf("%.40q has more than %d entries", l.name, bound)
		}
		return nil
	}
	for i := 0; i < len(doc); i++ {
		c := doc[i]
		if c == ' ' || c == '\n' || c == '\t' || c == '\r' {
			continue
		}
		if len(open) > 0 && open[len(open)-1].empty && c != ']' && c != '}' {
			open[len(open)-1].empty = false
			if err := count(); err != nil {
				return err
			}
		}
		switch c {
		case '"':
			from := i + 1
			for i++; doc[i] != '"'; i++ {
				if doc[i] == '\\' {
					i++
				}
			}
			if isName {
				name, isName = string(doc[from:min(i, from+40)]), false
			}
		case '{', '[':
			open = append(open, level{list: c == '[', name: name, empty: true})
			name, isName = "", c == '{'
		case '}', ']':
			open = open[:len(open)-1]
			name, isName = "", false
		case ',':
			if err := count(); err != nil {
				return err
			}
			isName = !open[len(open)-1].list
			name = ""
		}
	}
	return nil
}

package lesson

import (
	"fmt"

	"urbo/core/line"
)

// Knows is what is known of the device's other keys.
type Knows struct {
	Medium line.Medium            // that carries them; empty where there are none, or both do
	Shared map[string]line.Fields // by sheet: the fields that name the handset, as far as all keys have the same
	Sheets int                    // how many line codes they use
	Keys   int
}

// addressing are the names of fields that are the same on all keys of a handset.
var addressing = []string{"address", "subaddress", "extended", "id", "maker", "customer", "handset"}

// Learn adds what one more key of the device sends.
func (k *Knows) Learn(m line.Medium, sheet string, fields line.Fields) {
	if k.Keys++; k.Keys == 1 {
		k.Medium = m
	} else if k.Medium != m {
		k.Medium = ""
	}
	if sheet == "" {
		return
	}
	if k.Shared == nil {
		k.Shared = map[string]line.Fields{}
	}
	shared, known := k.Shared[sheet]
	if !known {
		k.Sheets++
		shared = line.Fields{}
		for _, name := range addressing {
			if v, has := fields[name]; has {
				shared[name] = v
			}
		}
		k.Shared[sheet] = shared
		return
	}
	for name, v := range shared {
		if fields[name] != v {
			delete(shared, name)
		}
	}
}

// stranger says in which field a press differs from all other keys, "" where in none.
func (k Knows) stranger(p Press) string {
	if !readable(p) || k.Keys == 0 {
		return ""
	}
	differs := ""
	for _, r := range p.Readings {
		if r.Confidence < line.Clear {
			continue
		}
		shared, known := k.Shared[r.Sheet]
		if !known {
			continue
		}
		differs = ""
		for _, name := range addressing {
			if v, has := shared[name]; has && r.Fields[name] != v && differs == "" {
				differs = fmt.Sprintf("its %s is %s, and theirs %s", name, r.Fields[name], v)
			}
		}
		return differs
	}
	if k.Sheets == 1 && k.Keys > 1 {
		for sheet := range k.Shared {
			return fmt.Sprintf("it is %s, and theirs is %s", p.Readings[0].Sheet, sheet)
		}
	}
	return ""
}

package line

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// Value is what a field holds: a whole number, or for codes with more than two symbols a text of them ("0F10…").
type Value struct {
	number int64
	text   string
	isText bool
}

// Number makes a value that is a number.
func Number(n int64) Value { return Value{number: n} }

// Text makes a value that is a text of symbols.
func Text(s string) Value { return Value{text: s, isText: true} }

// Int is the number, and false where the value is a text.
func (v Value) Int() (int64, bool) { return v.number, !v.isText }

// String prints the number in decimal, or the text as it is.
func (v Value) String() string {
	if v.isText {
		return v.text
	}
	return strconv.FormatInt(v.number, 10)
}

// MarshalJSON writes a JSON number or string.
func (v Value) MarshalJSON() ([]byte, error) {
	if v.isText {
		return json.Marshal(v.text)
	}
	return json.Marshal(v.number)
}

// UnmarshalJSON reads a whole JSON number or a string.
func (v *Value) UnmarshalJSON(data []byte) error {
	if len(data) > 0 && data[0] == '"' {
		v.isText, v.number = true, 0
		return json.Unmarshal(data, &v.text)
	}
	n, err := strconv.ParseInt(string(data), 10, 64)
	if err != nil {
		return fmt.Errorf("a field's value is a whole number or a text, not %.40s", data)
	}
	*v = Number(n)
	return nil
}

// Fields are the named values inside a frame.
type Fields map[string]Value

// String prints the fields sorted by name: "address=4 command=8".
func (f Fields) String() string {
	var b strings.Builder
	for i, name := range slices.Sorted(maps.Keys(f)) {
		if i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(name)
		b.WriteByte('=')
		b.WriteString(f[name].String())
	}
	return b.String()
}

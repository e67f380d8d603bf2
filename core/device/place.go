package device

import "strings"

// Place is a port of a station: the station's id, which it keeps whatever its name becomes, and the port's own name.
// The zero value is none.
type Place struct{ Station, Port string }

// String is ID/PORT, as it is kept; "" for none.
func (p Place) String() string {
	if p == (Place{}) {
		return ""
	}
	return p.Station + "/" + p.Port
}

// ParsePlace reads what String wrote.
func ParsePlace(text string) Place {
	station, port, _ := strings.Cut(text, "/")
	return Place{station, port}
}

// IsZero says that it is none.
func (p Place) IsZero() bool { return p == Place{} }

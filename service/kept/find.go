package kept

import (
	"fmt"

	"urbo/core/device"
)

// Find finds what has a name. The error wraps unknown and names the nearest, or says how to make one where there are
// none.
func Find[T any](all []T, name func(T) string, asked string, unknown error, make string) (T, error) {
	var none T
	var known []string
	for _, one := range all {
		if name(one) == asked {
			return one, nil
		}
		known = append(known, name(one))
	}
	if len(known) == 0 {
		return none, fmt.Errorf("%w %.40q: there are none: make one (%s)", unknown, asked, make)
	}
	return none, fmt.Errorf("%w %.40q: there are %s", unknown, asked, device.Nearest(asked, known))
}

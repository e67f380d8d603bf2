package control

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// index is the place of a value as it is written.
func (c *Control) index(value string) (int, error) {
	wrong := func(says string, args ...any) (int, error) {
		return 0, fmt.Errorf("%w %s: %.40q: "+says, append([]any{ErrForm, c.Name, value}, args...)...)
	}
	switch c.Kind {
	case Power, Selector:
		if i := slices.Index(c.values(), value); i >= 0 {
			return i, nil
		}
		return wrong("there are %s", strings.Join(c.values(), ", "))
	case Dial:
		least, most := given(c.Least, 0), given(c.Most, 0)
		x, err := strconv.ParseFloat(value, 64)
		n := (x - least) / c.step()
		if err != nil || !(x >= least && x <= most) || math.Abs(n-math.Round(n)) > 1e-6 {
			return wrong("from %g to %g in steps of %g", least, most, c.step())
		}
		return int(math.Round(n)), nil
	case Digits:
		least, most := int(given(c.Least, 0)), int(given(c.Most, 99))
		n, err := strconv.Atoi(value)
		if favourite, ok := c.Favourites[value]; ok {
			n, err = favourite, nil
		}
		if err != nil || n < least || n > most {
			return wrong("a number from %d to %d, or the name of a favourite", least, most)
		}
		return n - least, nil
	case Travel:
		ends := c.ends()
		x, err := strconv.Atoi(strings.TrimSuffix(value, "%"))
		switch {
		case value == ends[0]:
			x, err = 0, nil
		case value == ends[1]:
			x, err = 100, nil
		}
		if err != nil || x < 0 || x > 100 {
			return wrong("%s, %s, or 0 to 100", ends[0], ends[1])
		}
		return x * wayUnit, nil
	}
	return wrong("it cannot be set so")
}

// Check says whether a control can be at a value. The error wraps ErrForm.
func (c *Control) Check(value string) error {
	_, err := c.index(value)
	return err
}

// text is a value as it is written, from its place.
func (c *Control) text(i int) string {
	switch c.Kind {
	case Power, Selector:
		return c.values()[i]
	case Dial:
		return strconv.FormatFloat(math.Round((given(c.Least, 0)+float64(i)*c.step())*1e6)/1e6, 'g', -1, 64)
	case Digits:
		return strconv.Itoa(i + int(given(c.Least, 0)))
	case Travel:
		switch ends := c.ends(); i {
		case 0:
			return ends[0]
		case wholeWay:
			return ends[1]
		}
		return strconv.Itoa((i+wayUnit/2)/wayUnit) + "%"
	}
	return strconv.Itoa(i)
}

func oneOf[T ~string](all []T) string {
	out := make([]string, len(all))
	for i, v := range all {
		out[i] = string(v)
	}
	return strings.Join(out, ", ")
}

// values are the names of a power's or selector's values.
func (c *Control) values() []string {
	if c.Kind == Power && len(c.Values) == 0 {
		return []string{"off", "on"}
	}
	return c.Values
}

// Choices are the values of a control by name: of a power or selector all, of a travel its ends. Others have none.
func (c *Control) Choices() []string {
	switch c.Kind {
	case Power, Selector:
		return c.values()
	case Travel:
		ends := c.ends()
		return ends[:]
	}
	return nil
}

// size is how many values a control has; 0 where they are not counted.
func (c *Control) size() int {
	switch c.Kind {
	case Power, Selector:
		return len(c.values())
	case Dial:
		return int(math.Round((given(c.Most, 0)-given(c.Least, 0))/c.step())) + 1
	case Digits:
		return int(given(c.Most, 99)-given(c.Least, 0)) + 1
	}
	return 0
}

// ends are the names of a travel's ends, closed and open.
func (c *Control) ends() [2]string {
	if len(c.Values) == 2 {
		return [2]string{c.Values[0], c.Values[1]}
	}
	return [2]string{"closed", "open"}
}

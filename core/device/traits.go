package device

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/control"
	"urbo/core/fault"
	"urbo/core/plain"
)

// ErrTraits is wrapped by every error about traits; the text says what is wanted.
var ErrTraits = fault.New(fault.Invalid, "device")

// Power says how a device is switched.
type Power string

// The ways to switch a device. Unsaid is the zero value.
const (
	PowerToggles Power = "toggle"   // one key switches it on and off
	PowerTwoKeys Power = "two-keys" // one key for each
	PowerNone    Power = "none"     // it is always on, or has no such key
)

// Inputs says how a device's inputs are chosen.
type Inputs string

// The ways to choose an input.
const (
	InputsDirect  Inputs = "direct"  // a key for each
	InputsCycling Inputs = "cycling" // one key goes round
)

// Bounds of traits.
const (
	MaxNotes  = 4000    // characters
	MaxWarmUp = 600_000 // ms
	MaxGap    = 10_000  // ms
	MaxHz     = 1 << 30 // of a type plate
	MaxRows   = 60      // of a face
	Columns   = 3       // of a face
	maxPlate  = 80      // characters
)

// Traits are all optional.
type Traits struct {
	Plate    string     `json:"plate,omitempty" maxLength:"80" doc:"Regulatory id on the type plate"`
	PlateHz  int        `json:"plate_hz,omitempty" minimum:"0" doc:"Frequency on the type plate"`
	Notes    string     `json:"notes,omitempty" maxLength:"4000" doc:"Whatever else is worth knowing"`
	Power    Power      `json:"power,omitempty" enum:"toggle,two-keys,none" doc:"One key switches it on and off, two do, or none"`
	Inputs   Inputs     `json:"inputs,omitempty" enum:"direct,cycling" doc:"A key for each input, or one that goes round"`
	WarmUpMS int        `json:"warm_up_ms,omitempty" minimum:"0" maximum:"600000" doc:"After switching on it ignores keys for so long"`
	GapMS    int        `json:"gap_ms,omitempty" minimum:"0" maximum:"10000" doc:"Least time between two presses"`
	Face     [][]string `json:"face,omitempty" maxItems:"60" doc:"Rows of the handset's face: up to three keys, empty for a gap; without rows it is laid out by itself"`
	control.Forms
}

// Check says what is wrong with traits, nil where nothing is. Errors wrap ErrTraits.
func (t Traits) Check() error {
	switch {
	case len([]rune(t.Plate)) > maxPlate:
		return fmt.Errorf("%w: the id on the type plate is longer than %d characters", ErrTraits, maxPlate)
	case len([]rune(t.Notes)) > MaxNotes:
		return fmt.Errorf("%w: the notes are longer than %d characters", ErrTraits, MaxNotes)
	case !plain.Is(t.Plate) || !plain.Is(strings.ReplaceAll(t.Notes, "\n", "")):
		return fmt.Errorf("%w: there are control characters in the notes or the type plate: use plain text", ErrTraits)
	case t.PlateHz < 0 || t.PlateHz > MaxHz:
		return fmt.Errorf("%w: %d Hz on the type plate: write it in Hz, like 433920000", ErrTraits, t.PlateHz)
	case !slices.Contains([]Power{"", PowerToggles, PowerTwoKeys, PowerNone}, t.Power):
		return fmt.Errorf("%w: power %.20q: toggle, two-keys or none", ErrTraits, string(t.Power))
	case !slices.Contains([]Inputs{"", InputsDirect, InputsCycling}, t.Inputs):
		return fmt.Errorf("%w: inputs %.20q: direct or cycling", ErrTraits, string(t.Inputs))
	case t.WarmUpMS < 0 || t.WarmUpMS > MaxWarmUp:
		return fmt.Errorf("%w: it warms up for %d ms: 0 to %d", ErrTraits, t.WarmUpMS, MaxWarmUp)
	case t.GapMS < 0 || t.GapMS > MaxGap:
		return fmt.Errorf("%w: %d ms between two presses: 0 to %d", ErrTraits, t.GapMS, MaxGap)
	case len(t.Face) > MaxRows:
		return fmt.Errorf("%w: a face of %d rows: the most is %d", ErrTraits, len(t.Face), MaxRows)
	}
	seen := map[string]bool{}
	for i, row := range t.Face {
		if len(row) > Columns {
			return fmt.Errorf("%w: row %d of the face has %d places: the most is %d", ErrTraits, i+1, len(row), Columns)
		}
		for _, key := range row {
			if key != "" && seen[key] {
				return fmt.Errorf("%w: %.40q stands on the face twice", ErrTraits, key)
			}
			seen[key] = true
		}
	}
	return nil
}

// RenameKey puts another name in a key's place on the face and in the controls; an empty one leaves a gap, and takes
// the controls away that nothing sets any more.
func (t *Traits) RenameKey(from, to string) {
	t.Forms.RenameKey(from, to)
	t.Face = slices.Clone(t.Face)
	for i, row := range t.Face {
		t.Face[i] = slices.Clone(row)
		for j, key := range row {
			if key == from {
				t.Face[i][j] = to
			}
		}
	}
}

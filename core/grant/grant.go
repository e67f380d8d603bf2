package grant

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/fault"
)

// Errors that callers ask for.
var (
	ErrRefused = fault.New(fault.Refused, "not allowed")
	ErrRole    = fault.New(fault.Invalid, "role")
)

// Right is what an actor may do.
type Right string

// The rights.
const (
	See     Right = "see"     // what devices, controls and measurements are, and hear of changes
	Use     Right = "use"     // press and set
	Tell    Right = "tell"    // say what something really is at
	Arrange Right = "arrange" // boards, groups, sequences, occasions, errands
	Teach   Right = "teach"   // devices, keys, lessons, auditions, controls, bench, shelf, packs
	Keep    Right = "keep"    // stations, people, tokens, faces, backup, settings
)

// Rights are all of them, from the least to the most.
var Rights = []Right{See, Use, Tell, Arrange, Teach, Keep}

// Means says what a right is, in words.
func (r Right) Means() string {
	return map[Right]string{See: "see what devices are and hear of changes", Use: "press and set",
		Tell:    "say what something really is at",
		Arrange: "arrange boards, groups, sequences, occasions and errands",
		Teach:   "teach and change devices", Keep: "look after stations, people, tokens and settings"}[r]
}

// Where is which part of the house a right is for. The zero value is nowhere.
type Where struct {
	House        bool     `json:"house,omitempty"` // everywhere
	Rooms        []string `json:"rooms,omitempty"` // ids
	Devices      []string `json:"devices,omitempty"`
	Measurements []string `json:"measurements,omitempty"` // names
	Boards       []string `json:"boards,omitempty"`       // ids; of a guest, who has nothing else
}

// Everywhere is the whole house.
var Everywhere = Where{House: true}

// Target is what something is done to. The zero value is the whole house: what has no room of its own.
type Target struct {
	Device      string // id
	Room        string // id; of the device, where that is given
	Measurement string // name
}

// Covers says whether a target lies within. What is in no room is within the whole house only, or where it is named
// itself.
func (w Where) Covers(t Target) bool {
	switch {
	case w.House:
		return true
	case t.Measurement != "" && slices.Contains(w.Measurements, t.Measurement):
		return true
	case t.Device != "" && slices.Contains(w.Devices, t.Device):
		return true
	}
	return t.Room != "" && slices.Contains(w.Rooms, t.Room)
}

// Empty says whether it is nowhere.
func (w Where) Empty() bool {
	return !w.House && len(w.Rooms) == 0 && len(w.Devices) == 0 && len(w.Measurements) == 0 && len(w.Boards) == 0
}

// Grant is what an actor may do, and where.
type Grant struct {
	Rights []Right
	Where  Where
}

// All is the grant of an owner.
var All = Grant{Rights: Rights, Where: Everywhere}

// Has says whether it has a right anywhere.
func (g Grant) Has(r Right) bool { return slices.Contains(g.Rights, r) && !g.Where.Empty() }

// May says whether it covers doing something to all targets; without any, to the whole house. The error wraps
// ErrRefused and is the same whether a target is there or not.
func (g Grant) May(r Right, targets ...Target) error {
	if !g.Has(r) {
		return fmt.Errorf("%w: this needs the right to %s (%s)", ErrRefused, r, r.Means())
	}
	if len(targets) == 0 {
		targets = []Target{{}}
	}
	for _, t := range targets {
		if !g.Where.Covers(t) {
			return fmt.Errorf("%w: it is not in what you may %s", ErrRefused, r)
		}
	}
	return nil
}

// Role is a named set of rights.
type Role string

// The roles.
const (
	Owner    Role = "owner"
	Resident Role = "resident"
	Visitor  Role = "visitor"
	Guest    Role = "guest" // sees and uses the tiles of some boards, until a date
)

// Roles are all of them, from the most to the least.
var Roles = []Role{Owner, Resident, Visitor, Guest}

// rights of each role.
var rights = map[Role][]Right{
	Owner:    Rights,
	Resident: {See, Use, Tell, Arrange},
	Visitor:  {See, Use},
	Guest:    {See, Use},
}

// CheckRole says what is wrong with a role for a part of the house. The error wraps ErrRole.
func CheckRole(r Role, w Where) error {
	switch {
	case rights[r] == nil:
		return fmt.Errorf("%w %.20q: owner, resident, visitor or guest", ErrRole, string(r))
	case r == Owner && !w.House:
		return fmt.Errorf("%w: an owner has the whole house: leave the rooms out", ErrRole)
	case r == Visitor && w.House:
		return fmt.Errorf("%w: say which rooms a visitor may use", ErrRole)
	case r == Guest && (w.House || len(w.Rooms)+len(w.Devices)+len(w.Measurements) > 0 || len(w.Boards) == 0):
		return fmt.Errorf("%w: a guest has boards, and nothing else: say which", ErrRole)
	case r != Guest && len(w.Boards) > 0:
		return fmt.Errorf("%w: boards are for guests: say which rooms it is for", ErrRole)
	case w.Empty():
		return fmt.Errorf("%w: say which rooms it is for, or the whole house", ErrRole)
	}
	return nil
}

// Of is the grant of a role. One that this version does not know may do nothing.
func Of(r Role, w Where) Grant { return Grant{Rights: rights[r], Where: w} }

// scopes are the words that tokens had before they had rights.
var scopes = map[string][]Right{"owner": Rights, "press": {See, Use, Tell}, "watch": {See}}

// ParseRights reads the rights of a token: their names, or one of owner, press and watch. The error wraps ErrRole.
func ParseRights(words []string) ([]Right, error) {
	var out []Right
	for _, w := range words {
		switch r := Right(w); {
		case slices.Contains(Rights, r):
			out = append(out, r)
		case scopes[w] != nil:
			out = append(out, scopes[w]...)
		default:
			return nil, fmt.Errorf(
				"%w: right %.20q: there are see, use, tell, arrange, teach and keep, and owner, press "+
					"(see, use, tell) and watch (see)", ErrRole, w)
		}
	}
	if len(out) > 0 && !slices.Contains(out, See) {
		out = append(out, See) // nothing can be done that cannot be seen
	}
	slices.SortFunc(out, func(a, b Right) int { return slices.Index(Rights, a) - slices.Index(Rights, b) })
	return slices.Compact(out), nil
}

// RightsText is rights in a few words: owner, press or watch where they are those, or their names.
func RightsText(rs []Right) string {
	for _, word := range []string{"owner", "press", "watch"} {
		if slices.Equal(rs, scopes[word]) {
			return word
		}
	}
	words := make([]string, len(rs))
	for i, r := range rs {
		words[i] = string(r)
	}
	return strings.Join(words, " ")
}

// Who is somebody who asks for something, with what they may do.
type Who struct {
	By    By
	Grant Grant
}

package wire

import (
	"strconv"
	"time"

	"urbo/core/control"
)

// Thing is a W3C Web of Things Thing Description 1.1 of a device, or of the directory of all.
type Thing struct {
	Context             []any                    `json:"@context" doc:"What its words mean"`
	Type                string                   `json:"@type,omitempty"`
	ID                  string                   `json:"id"`
	Title               string                   `json:"title"`
	Description         string                   `json:"description,omitempty"`
	Base                string                   `json:"base" doc:"What the addresses of its forms are relative to"`
	SecurityDefinitions map[string]ThingSecurity `json:"securityDefinitions"`
	Security            []string                 `json:"security"`
	Properties          map[string]ThingProperty `json:"properties,omitempty"`
	Actions             map[string]ThingAction   `json:"actions,omitempty"`
}

// ContentType is that of a Thing Description.
func (Thing) ContentType(string) string { return "application/td+json" }

// Things are Thing Descriptions.
type Things []Thing

// ContentType is that of a list of Thing Descriptions.
func (Things) ContentType(string) string { return "application/ld+json" }

// ThingSecurity is a way to say who asks.
type ThingSecurity struct {
	Scheme      string `json:"scheme"`
	In          string `json:"in,omitempty"`
	Description string `json:"description,omitempty"`
}

// ThingSchema is what a value can be.
type ThingSchema struct {
	Type       string                 `json:"type,omitempty" enum:"string,number,integer,boolean,object,array,null"`
	Title      string                 `json:"title,omitempty"`
	Enum       []string               `json:"enum,omitempty"`
	Minimum    *float64               `json:"minimum,omitempty"`
	Maximum    *float64               `json:"maximum,omitempty"`
	MultipleOf float64                `json:"multipleOf,omitempty"`
	Unit       string                 `json:"unit,omitempty"`
	OneOf      []ThingSchema          `json:"oneOf,omitempty"`
	Items      *ThingSchema           `json:"items,omitempty"`
	Properties map[string]ThingSchema `json:"properties,omitempty"`
	Required   []string               `json:"required,omitempty"`
}

// ThingProperty is what a control is set to, or what is believed of it.
type ThingProperty struct {
	ThingSchema
	Description string      `json:"description,omitempty"`
	ReadOnly    bool        `json:"readOnly"`
	Observable  bool        `json:"observable"`
	Forms       []ThingForm `json:"forms"`
}

// ThingAction is something that takes time.
type ThingAction struct {
	Title       string       `json:"title,omitempty"`
	Description string       `json:"description,omitempty"`
	Input       *ThingSchema `json:"input,omitempty"`
	Output      *ThingSchema `json:"output,omitempty"`
	Safe        bool         `json:"safe"`
	Idempotent  bool         `json:"idempotent"`
	Synchronous bool         `json:"synchronous"`
	Forms       []ThingForm  `json:"forms"`
}

// ThingForm is one way to do something with a thing.
type ThingForm struct {
	Href        string   `json:"href"`
	Op          []string `json:"op"`
	ContentType string   `json:"contentType,omitempty"`
	Subprotocol string   `json:"subprotocol,omitempty"`
	Method      string   `json:"htv:methodName,omitempty"`
	Packet      string   `json:"mqv:controlPacket,omitempty"`
	Retain      bool     `json:"mqv:retain,omitempty"`
	QoS         string   `json:"mqv:qos,omitempty"`
	Security    []string `json:"security,omitempty"`
}

// Belief is what is believed of a control.
type Belief struct {
	Value    any            `json:"value" doc:"A word, or a number; null where it may be at several"`
	Possible []string       `json:"possible" doc:"All that it may be at"`
	Trust    control.Word   `json:"trust" enum:"certain,believed,doubtful"`
	Source   control.Source `json:"source,omitempty"`
	At       *time.Time     `json:"at,omitempty"`
}

// BeliefOf translates what is believed of a control.
func BeliefOf(s control.State) Belief {
	b := Belief{Possible: append([]string{}, s.May...), Trust: s.Word, Source: s.Source, At: Time(s.At)}
	if s.Value != "" {
		b.Value = s.Value
		if n, err := strconv.ParseFloat(s.Value, 64); err == nil && (s.Kind == control.Dial ||
			s.Kind == control.Digits) {
			b.Value = n
		}
	}
	return b
}

// ThingPress asks for a press.
type ThingPress struct {
	Key    string `json:"key" minLength:"1" maxLength:"40"`
	Times  int    `json:"times,omitempty" minimum:"1" maximum:"20"`
	HoldMS int    `json:"hold_ms,omitempty" minimum:"0" maximum:"60000"`
}

// ThingSet asks for a control to be set, and does not wait for it.
type ThingSet struct {
	Control string `json:"control" minLength:"1" maxLength:"40"`
	Value   any    `json:"value" doc:"A word or a number"`
}

// ThingStatus is what became of an action.
type ThingStatus struct {
	Status string        `json:"status" enum:"pending,running,completed,failed"`
	Href   string        `json:"href" doc:"Where to ask again"`
	Asked  time.Time     `json:"timeRequested"`
	Error  *ThingTrouble `json:"error,omitempty"`
}

// ThingTrouble is why an action failed.
type ThingTrouble struct {
	Detail string `json:"detail"`
}

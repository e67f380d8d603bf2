package wire

import "time"

// Request is where something is sent out of the house, by its name.
type Request struct {
	Name     string     `json:"name" minLength:"1" maxLength:"40" doc:"a-z, 0-9 and -; errands say: send NAME"`
	URL      string     `json:"url" minLength:"1" maxLength:"2000"`
	Method   string     `json:"method,omitempty" enum:"POST,PUT,GET" doc:"Left out is POST"`
	Token    string     `json:"token,omitempty" maxLength:"500" doc:"Sent as a bearer token; never shown"`
	HasToken bool       `json:"has_token,omitempty" readOnly:"true"`
	Last     *time.Time `json:"last,omitempty" readOnly:"true" doc:"When it was sent last, since the service is there"`
	Error    string     `json:"error,omitempty" readOnly:"true" doc:"Why that failed"`
}

// RequestText is the text that a request is sent with.
type RequestText struct {
	Text string `json:"text,omitempty" maxLength:"2000"`
}

// Agenda is a calendar that errands come with, by its name.
type Agenda struct {
	Name   string        `json:"name" minLength:"1" maxLength:"40" doc:"a-z, 0-9 and -; errands say: when calendar NAME starts"`
	URL    string        `json:"url,omitempty" maxLength:"2000" doc:"Of the iCalendar file; it is secret with many, and never shown"`
	Host   string        `json:"host,omitempty" readOnly:"true" doc:"Where it comes from"`
	Events int           `json:"events" readOnly:"true" doc:"That are written in it"`
	At     *time.Time    `json:"at,omitempty" readOnly:"true" doc:"When it was fetched last"`
	Error  string        `json:"error,omitempty" readOnly:"true" doc:"Why it cannot be fetched now, or what of it is not understood"`
	Coming []AgendaEvent `json:"coming" readOnly:"true" doc:"Its next events, at most 50"`
}

// AgendaEvent is an event of a calendar, once.
type AgendaEvent struct {
	Title  string    `json:"title"`
	Begins time.Time `json:"begins"`
	Ends   time.Time `json:"ends"`
	Moved  bool      `json:"moved,omitempty" doc:"It was to be at another time"`
	AllDay bool      `json:"all_day,omitempty"`
}

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

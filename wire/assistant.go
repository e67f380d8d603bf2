package wire

import "time"

// Assistant is one from outside that may be linked (an OAuth 2.0 client).
type Assistant struct {
	Name      string          `json:"name" minLength:"1" maxLength:"60"`
	ID        string          `json:"id,omitempty" readOnly:"true" doc:"client_id"`
	Secret    string          `json:"secret,omitempty" readOnly:"true" doc:"client_secret, shown once"`
	Redirects []string        `json:"redirects" minItems:"1" maxItems:"5" doc:"Addresses that it sends people back to, compared exactly: https, or on 127.0.0.1"`
	Made      time.Time       `json:"made" readOnly:"true"`
	Links     []AssistantLink `json:"links" readOnly:"true"`
}

// NewAssistant registers one.
type NewAssistant struct {
	Name      string   `json:"name" minLength:"1" maxLength:"60"`
	Redirects []string `json:"redirects" minItems:"1" maxItems:"5" doc:"Addresses that it sends people back to, compared exactly: https, or on 127.0.0.1"`
}

// AssistantLink is what an assistant may do, since somebody said so.
type AssistantLink struct {
	ID     string     `json:"id"`
	By     string     `json:"by" doc:"Who said so"`
	Rights []string   `json:"rights"`
	Where  Where      `json:"where"`
	Made   time.Time  `json:"made"`
	Used   *time.Time `json:"used,omitempty"`
	From   string     `json:"from,omitempty"`
}

// LinkAsked is what an assistant asks for.
type LinkAsked struct {
	Assistant string   `json:"assistant"`
	Host      string   `json:"host" doc:"Where the answer goes"`
	Rights    []string `json:"rights"`
	Rooms     []string `json:"rooms" doc:"Names; none is the whole house"`
	Stays     bool     `json:"stays" doc:"Until the link is ended; else for an hour"`
}

// LinkAnswer says yes or no to an assistant.
type LinkAnswer struct {
	Yes    bool     `json:"yes"`
	Rights []string `json:"rights,omitempty" maxItems:"2" doc:"What of it: see, use"`
	Where  Where    `json:"where,omitempty" doc:"In which part of the house"`
}

// LinkTo is where the browser goes with the answer.
type LinkTo struct {
	To string `json:"to"`
}

// Faces is how the house is reached from the network.
type Faces struct {
	URL       string      `json:"url" doc:"Of the console and the API"`
	Last      *FaceCaller `json:"last,omitempty" doc:"Who came there last"`
	Discovery bool        `json:"discovery" doc:"Programs on the same network can find it"`
	Found     []FoundAt   `json:"found" doc:"Where"`
	Error     string      `json:"error,omitempty" doc:"Why it cannot be found"`
}

// FaceCaller is who came last.
type FaceCaller struct {
	Name string    `json:"name"`
	From string    `json:"from"`
	At   time.Time `json:"at"`
}

// FoundAt is a network on which the house can be found.
type FoundAt struct {
	Interface string   `json:"interface"`
	Addresses []string `json:"addresses"`
}

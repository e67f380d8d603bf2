package wire

import "time"

// MQTT is the MQTT face: how it is set, and how it is.
type MQTT struct {
	On      bool       `json:"on"`
	Broker  string     `json:"broker,omitempty" doc:"Of somebody else's: mqtt://HOST:PORT, or mqtts:// for TLS; left out is the broker that the service was started with"`
	User    string     `json:"user,omitempty"`
	Secret  bool       `json:"has_password" doc:"There is a password, which is never shown"`
	CA      string     `json:"ca,omitempty" doc:"Certificates in PEM, that the broker's is checked against; left out is the system's"`
	Base    string     `json:"base" doc:"Begins all topics"`
	Rights  []string   `json:"rights" doc:"Of whoever speaks at a broker of somebody else's, which is one program"`
	Where   Where      `json:"where" doc:"And in which part of the house"`
	Words   []MQTTWord `json:"words" doc:"Words of one's own for values"`
	At      string     `json:"at,omitempty" doc:"Its broker: own, or an address; left out where there is none"`
	Listens string     `json:"listens,omitempty" doc:"Where the house's own broker listens"`
	Here    bool       `json:"here" doc:"It is connected"`
	Version int        `json:"version,omitempty" doc:"Of MQTT: 5, or 3 for 3.1.1"`
	Since   *time.Time `json:"since,omitempty"`
	Error   string     `json:"error,omitempty" doc:"Why it is not connected"`
	Topics  int        `json:"topics" doc:"That are published"`
	Took    int        `json:"took" doc:"What it was asked for since the service is there"`
	Last    *MQTTAsker `json:"last,omitempty" doc:"Who asked for something last"`
}

// MQTTWord is a word of one's own for a value of a control.
type MQTTWord struct {
	Control string `json:"control" maxLength:"90" doc:"DEVICE/CONTROL"`
	Says    string `json:"says" minLength:"1" maxLength:"40" doc:"The message"`
	Means   string `json:"means" minLength:"1" maxLength:"40" doc:"The value"`
}

// MQTTAsker is who asked for something.
type MQTTAsker struct {
	Name string    `json:"name"`
	What string    `json:"what" doc:"The topic behind the base"`
	At   time.Time `json:"at"`
}

// MQTTChange changes what is given of the MQTT face.
type MQTTChange struct {
	On       *bool       `json:"on,omitempty"`
	Broker   *string     `json:"broker,omitempty" maxLength:"300" doc:"Empty is the broker that the service was started with, without user, password and CA"`
	User     *string     `json:"user,omitempty" maxLength:"200"`
	Password *string     `json:"password,omitempty" maxLength:"500"`
	CA       *string     `json:"ca,omitempty" maxLength:"65536"`
	Base     *string     `json:"base,omitempty" maxLength:"100" doc:"Empty is urbo/ and the name of the house"`
	Rights   *[]string   `json:"rights,omitempty" maxItems:"6"`
	Where    *Where      `json:"where,omitempty"`
	Words    *[]MQTTWord `json:"words,omitempty" maxItems:"500"`
}

// MQTTTest is what came of trying a broker.
type MQTTTest struct {
	Version int   `json:"version" doc:"Of MQTT that it speaks: 5, or 3 for 3.1.1"`
	TookMS  int64 `json:"took_ms" doc:"To connect and to subscribe"`
}

package store

import (
	"gorm.io/gorm"

	"urbo/core/device"
)

// sending is migration 0012: how presses for a device are sent in this house, beside its transmitter.
func sending(tx *gorm.DB) error { return execute(tx, sendingColumns) }

var sendingColumns = []string{`ALTER TABLE devices ADD COLUMN sending TEXT NOT NULL DEFAULT ''`}

const sendingVersion = 1

type sendingDocument struct {
	Also   []string `json:"also,omitempty"`
	Verify bool     `json:"verify,omitempty"`
	// Keys are the transmitters of keys that have one of their own, by the id of the key.
	Keys map[string]string `json:"keys,omitempty"`

	Sensors []device.Sensor `json:"sensors,omitempty"`
}

func readSending(text string, d *device.Device) error {
	var doc sendingDocument
	if err := ReadDocument(text, sendingVersion, &doc); err != nil {
		return err
	}
	for _, place := range doc.Also {
		d.Also = append(d.Also, device.ParsePlace(place))
	}
	d.Verify, d.Sensors = doc.Verify, doc.Sensors
	return nil
}

// readKeySending gives keys the transmitters that they have of their own. What cannot be read was said before.
func readKeySending(text string, keys []device.Key) {
	var doc sendingDocument
	if ReadDocument(text, sendingVersion, &doc) != nil {
		return
	}
	for i, k := range keys {
		keys[i].Transmitter = device.ParsePlace(doc.Keys[k.ID])
	}
}

// keySending are the transmitters that keys have of their own.
func keySending(d *device.Device) map[string]string {
	out := map[string]string{}
	for _, k := range d.Keys {
		if !k.Transmitter.IsZero() {
			out[k.ID] = k.Transmitter.String()
		}
	}
	return out
}

func writeSending(d *device.Device) (string, error) {
	keys := keySending(d)
	if len(d.Also) == 0 && !d.Verify && len(d.Sensors) == 0 && len(keys) == 0 {
		return "", nil
	}
	doc := sendingDocument{Verify: d.Verify, Sensors: d.Sensors, Keys: keys}
	for _, place := range d.Also {
		doc.Also = append(doc.Also, place.String())
	}
	return WriteDocument(sendingVersion, doc)
}

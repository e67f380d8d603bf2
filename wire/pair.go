package wire

// PairRequest asks for a handset of Urbo's own.
type PairRequest struct {
	Way string `json:"way" maxLength:"40" doc:"Line code that the device obeys: roll56, sl32, ev1527 or ht6p20"`
}

// Pairing is a handset of Urbo's own, and how the device comes to obey it.
type Pairing struct {
	Way   string   `json:"way"`
	Keys  []string `json:"keys" doc:"Of the device, that belong to the handset once it is confirmed"`
	First string   `json:"first" doc:"What to do before it asks to be paired"`
	Key   string   `json:"key" doc:"Its key that asks to be paired"`
	Shows string   `json:"shows" doc:"How the device says that it took the handset"`
}

// PairingWay is a kind of device that obeys paired handsets only.
type PairingWay struct {
	Way string `json:"way"`
	For string `json:"for" doc:"What it is for, in words"`
}

// Package wifi has the files of a station for Wi-Fi boards that run MicroPython, and fills in what a board is.
package wifi

import (
	"embed"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"
)

//go:embed *.py
var files embed.FS

// Board is a family of boards: which file drives its ports, and the pins that are proposed.
type Board struct {
	Name     string // rp2040, esp32 or other
	About    string
	Kind     string // the file of its ports, without .py
	LED      string // pin of its status LED, in Python
	Transmit int    // pin of the infrared LED
	Receive  int    // of the infrared receiver
	Radio    int    // of the radio transmitter
}

// Boards lists the families.
func Boards() []Board {
	return []Board{
		{"rp2040", "RP2040 or RP2350: state machines send and hear by themselves", "pio", `"LED"`, 15, 16, 17},
		{"esp32", "ESP32 of any kind: the pulse peripheral sends by itself", "rmt", "None", 4, 5, 18},
		{"other", "any other board with MicroPython and Wi-Fi: the program times the pulses", "software", "None",
			4, 5, 14},
	}
}

// Find is a family by its name.
func Find(name string) (Board, error) {
	var names []string
	for _, b := range Boards() {
		if b.Name == name {
			return b, nil
		}
		names = append(names, b.Name)
	}
	return Board{}, fmt.Errorf("board %.20q: there are %s", name, strings.Join(names, ", "))
}

// Pins says in words what is expected at which pin.
func (b Board) Pins() string {
	return fmt.Sprintf("GPIO %d: the infrared LED, by a transistor. GPIO %d: the infrared receiver's output. GPIO %d: "+
		"a radio transmitter, where there is one.", b.Transmit, b.Receive, b.Radio)
}

// Config is what one board is.
type Config struct {
	Board string
	Name  string // of the station
	House string // http://HOST:PORT or https://…
	Token string
	// Authority is for https://: what the house's certificate is checked against, in PEM; empty where the board's owner
	// brings it. Certified is a name that the certificate is for.
	Authority, Certified string
}

// authorityFile is the file on the board with the authority of a house.
const authorityFile = "authority.pem"

// File is one file of a board.
type File struct {
	Name string
	Text string
}

// Files are those to be copied onto a board, main.py first. Errors say what is wrong with the configuration.
func Files(c Config) ([]File, error) {
	b, err := Find(c.Board)
	if err != nil {
		return nil, err
	}
	at, err := url.Parse(c.House)
	if err != nil || at.Host == "" || !slices.Contains([]string{"http", "https"}, at.Scheme) {
		return nil, errors.New("the house's address is http://HOST:PORT, as the board reaches it")
	}
	house := map[string]string{"http": "ws", "https": "wss"}[at.Scheme] + "://" + at.Host
	authority, certified := "None", "None"
	if at.Scheme == "https" && c.Authority != "" {
		authority, certified = strconv.Quote(authorityFile), strconv.Quote(c.Certified)
	}
	fill := strings.NewReplacer(`"@HOUSE@"`, strconv.Quote(house), `"@TOKEN@"`, strconv.Quote(c.Token), `"@NAME@"`,
		strconv.Quote(c.Name), "@LED@", b.LED, "@IR_OUT@", strconv.Itoa(b.Transmit), "@IR_IN@", strconv.Itoa(b.Receive),
		"@RADIO_OUT@", strconv.Itoa(b.Radio), "@KIND@", b.Kind, "@AUTHORITY@", authority, "@CERTIFIED@", certified)
	names := []string{"main.py", "station.py", "ports.py", "websocket.py", b.Kind + ".py"}
	if at.Scheme == "https" {
		names = append(names, "secure.py")
	}
	var out []File
	for _, name := range names {
		text, err := files.ReadFile(name)
		if err != nil {
			return nil, err
		}
		if name == "main.py" {
			text = []byte(fill.Replace(string(text)))
		}
		out = append(out, File{name, string(text)})
	}
	if authority != "None" {
		out = append(out, File{authorityFile, c.Authority})
	}
	return out, nil
}

package cli

import (
	"regexp"
	"slices"
	"strings"
)

// unknownCommand is how Cobra says that there is no such command.
var unknownCommand = regexp.MustCompile(`^unknown command "([^"]+)" for "urbo"`)

// guesses are words that people try first, and what does it here.
var guesses = []struct{ words, does string }{
	{"undo back revert", "urbo set DEVICE --undo takes back what was set, urbo device undo DEVICE/KEY what a key " +
		"sends"},
	{"send emit transmit fire trigger", "urbo press DEVICE/KEY presses a key, urbo set DEVICE CONTROL VALUE sets " +
		"something"},
	{"on off turn switch", "urbo set DEVICE power on"},
	{"record receive capture scan sniff", "urbo listen shows what is heard, urbo learn DEVICE learns it"},
	{"decode convert analyse analyze", "urbo bench decode FILE or CODE"},
	{"add new remote remotes devices", "urbo device add NAME, urbo device list"},
	{"schedule timer at cron rule automation alarm", "the house does things by itself: urbo errand add TEXT"},
	{"scene mode activity", "urbo occasion makes rooms ready for something, urbo sequence names steps"},
	{"macro script", "urbo sequence add NAME STEPS"},
	{"log logs who events", "urbo journal says what happened and who asked, urbo history DEVICE/CONTROL what " +
		"something was at"},
	{"import export share", "urbo pack export and urbo pack import; signals: urbo bench import and export"},
	{"start server service daemon web ui", "urbo serve runs the service, urbo demo one with made-up devices"},
	{"status check diagnose why", "urbo doctor looks for what is wrong, urbo state says what devices are at, " +
		"urbo press DEVICE/KEY --explain why nothing happens"},
	{"update upgrade install", "see docs/run-it-for-good.md; urbo version says which one this is"},
	{"user users login signin sign-in account", "urbo person lets people in, urbo person link makes a sign-in link"},
	{"hardware board transmitter receiver adapter", "urbo station add attaches hardware, urbo station list shows it"},
	{"sensor temperature humidity", "urbo measurement list"},
	{"page dashboard", "urbo board add NAME"},
	{"config-file settings", "urbo config"},
	{"device/share", "urbo pack export DEVICE"},
	{"device/rename", "urbo device set DEVICE --name NAME, and --short-name for its short name"},
	{"device/key device/add-key", "urbo learn DEVICE KEY learns one, urbo device code DEVICE/KEY CODE writes one, " +
		"urbo device set-key DEVICE/KEY changes one"},
	{"device/remove-key device/delete-key", "urbo device remove DEVICE/KEY"},
	{"device/delete device/rm", "urbo device remove DEVICE"},
	{"device/learn device/teach", "urbo learn DEVICE"},
	{"device/test", "urbo press DEVICE/KEY --explain"},
}

// guessed says what does what a word stands for, "" where nobody knows. Below a command it is COMMAND/WORD.
func guessed(word string) string {
	for _, g := range guesses {
		if slices.Contains(strings.Fields(g.words), strings.ToLower(word)) {
			return g.does
		}
	}
	return ""
}

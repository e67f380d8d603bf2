package errand

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestComplete_OffersWhatMayStandNext(t *testing.T) {
	for text, want := range map[string][]string{
		"":           {"errand"},
		"errand a ":  {"when", "while"},
		"errand a w": {"when", "while"},
		"errand a when ": {"at", "sunset", "occasion", "every", "<control>", "house",
			"<span>"},
		"errand a when sun":                          {"sunrise", "sunset"},
		"errand a when nautical ":                    {"dawn", "dusk"},
		"errand a when at 7:00 ":                     {"only", "do", "on", "not", "give", "or"},
		"errand a when at 7:00 only ":                {"if"},
		"errand a when x/power ":                     {"becomes", "pressed", "silent", "rises", "above"},
		"errand a when x/power becomes ":             {"<value x/power>"},
		"errand a when at 7:00 only if ":             {"between", "occasion", "sun", "not", "<control>", "marker"},
		"errand a when at 7:00 do ":                  {"set", "press", "start", "notify", "turn"},
		"errand a when at 7:00 do set ":              {"<control>", "("},
		"errand a when at 7:00 do set x/power ":      {"to", "and", "by"},
		"errand a when at 7:00 do set x/power to ":   {"<value x/power>"},
		"errand a when at 7:00 do press ":            {"<key>"},
		"errand a when at 7:00 do start ":            {"<occasion>"},
		"errand a when at 7:00 do start talk ":       {"over", "then", "if"},
		"errand a when at 7:00 do start talk if ":    {"missed", "unknown", "doubtful", "busy"},
		"errand a while m-a/b ":                      {"above", "is", "changed", "unchanged"},
		"errand a while sun down do press x/y after": {"afterwards"},
	} {
		got := Complete(text, names{})
		var offered []string
		for _, o := range got.All {
			switch {
			case o.Of != "":
				offered = append(offered, "<"+o.Kind+" "+o.Of+">")
			case o.Kind != "":
				offered = append(offered, "<"+o.Kind+">")
			default:
				offered = append(offered, o.Word)
			}
		}
		for _, w := range want {
			assert.Contains(t, offered, w, text)
		}
	}
	assert.Empty(t, Complete("errand a when nonsense do press ", names{}).All, "something before is wrong")
}

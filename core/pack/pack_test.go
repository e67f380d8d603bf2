package pack_test

import (
	"encoding/json"
	"os"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/pack"
)

const good = `{"format":"urbo pack","version":"1.7","devices":[{"slug":"boardwalk","name":"Boardwalk lights","kind":"light","keys":[` +
	`{"name":"power","codes":[{"sheet":"nec","fields":{"address":57,"command":2},"holds":"no"}],"picture":{"of":"a key"}},` +
	`{"name":"odd","codes":[{"train":[2000,1000,350],"carrier_hz":38000}]},{"name":"later","codes":[]}],"solar":true}],"signed_by":["somebody"]}`

func TestRead_KeepsWhatANewerVersionAdds(t *testing.T) {
	p, err := pack.Read(strings.NewReader(good), line.Builtin())
	require.NoError(t, err)
	assert.Equal(t, "power", p.Devices[0].Keys[0].Name)
	again, err := json.Marshal(p)
	require.NoError(t, err)
	assert.JSONEq(t, good, string(again))
}

func TestRead_NamesThePlaceOfAMistake(t *testing.T) {
	for _, c := range []struct{ from, to, want string }{
		{`"urbo pack"`, `"other"`, `format is "other"`},
		{`"1.7"`, `"2.0"`, "reads version 1.x"},
		{`"1.7"`, `1.7`, "version should be a text"},
		{`{"format"`, `{"format`, "byte"},
		{`"boardwalk"`, `"Board walk"`, "devices[0]: name: slug"},
		{`"Boardwalk lights"`, `"  "`, "devices[0] (boardwalk): name: name is empty"},
		{`"name":"odd"`, `"name":"power"`, `devices[0] (boardwalk): name is taken: key "power" is there twice`},
		{`"name":"odd"`, `"name":"a\u0000b"`, `devices[0] (boardwalk): name: key`},
		{`"nec"`, `"nek"`, ".keys[0].codes[0]: code: line sheet: unknown line code"},
		{`"command":2`, `"command":2000`, "command is 2000: it is 0 to 255"},
		{`[2000,1000,350]`, `[2000]`, ".keys[1].codes[0]: code: malformed train: a train of 1 durations is no signal"},
		{`[2000,1000,350]`, `[2000,1000]`, ".keys[1].codes[0]: code: malformed train: it ends with a space"},
		{`[2000,1000,350]`, `[2000,-1,350]`, "number 2 is -1"},
		{`"keys":[`, `"keys":"none","x":[`, "keys is a string"},
		{`"carrier_hz":38000`, `"carrier_hz":38000,"frequency_hz":433920000`, "leave one out"},
		{`"carrier_hz":38000`, `"carrier_hz":38000,"repeats":2000000000`, "2000000000 repeats: 0 to 50"},
		{`"carrier_hz":38000`, `"carrier_hz":38000,"gap_us":2000000000`, "a gap of 2000000000 µs"},
		{`"carrier_hz":38000`, `"carrier_hz":-5`, "a carrier of -5 Hz"},
	} {
		text := strings.Replace(good, c.from, c.to, 1)
		require.NotEqual(t, good, text)
		_, err := pack.Read(strings.NewReader(text), line.Builtin())
		require.ErrorIs(t, err, pack.ErrPack, c.to)
		assert.ErrorContains(t, err, c.want)
	}
	_, err := pack.Read(strings.NewReader(`{"format":"urbo pack","version":"1.1","devices":[]}`), line.Builtin())
	assert.ErrorContains(t, err, "0 devices")
}

func FuzzRead(f *testing.F) {
	f.Add(good)
	f.Add(`{"format":"urbo pack","version":"1.1","devices":[{"slug":"a","name":"A","keys":[{"name":"b","codes":[{"inline":"sheet: x","fields":{"bits":"01"}}]}]}]}`)
	f.Fuzz(func(t *testing.T, text string) {
		p, err := pack.Read(strings.NewReader(text), line.Builtin())
		if err != nil {
			require.ErrorIs(t, err, pack.ErrPack)
			return
		}
		_, err = json.Marshal(p)
		require.NoError(t, err)
	})
}

// TestPack_IsTheSchema holds the published schema against the code: the same members everywhere.
func TestPack_IsTheSchema(t *testing.T) {
	data, err := os.ReadFile("../../docs/pack.schema.json")
	require.NoError(t, err)
	type object struct {
		Properties map[string]any `json:"properties"`
	}
	var schema struct {
		object
		Defs map[string]object `json:"$defs"`
	}
	require.NoError(t, json.Unmarshal(data, &schema))
	for name, c := range map[string]struct {
		of     reflect.Type
		schema object
	}{
		"pack":   {reflect.TypeFor[pack.Pack](), schema.object},
		"device": {reflect.TypeFor[device.Device](), schema.Defs["device"]},
		"key":    {reflect.TypeFor[device.Key](), schema.Defs["key"]},
		"code":   {reflect.TypeFor[device.CodeDocument](), schema.Defs["code"]},

		"group":    {reflect.TypeFor[pack.Group](), schema.Defs["group"]},
		"sequence": {reflect.TypeFor[pack.Sequence](), schema.Defs["sequence"]},
		"occasion": {reflect.TypeFor[pack.Occasion](), schema.Defs["occasion"]},
		"board":    {reflect.TypeFor[pack.Board](), schema.Defs["board"]},
		"section":  {reflect.TypeFor[pack.Section](), schema.Defs["section"]},
		"tile":     {reflect.TypeFor[pack.Tile](), schema.Defs["tile"]},

		"control": {reflect.TypeFor[control.Control](), schema.Defs["control"]},
		"effect":  {reflect.TypeFor[control.Effect](), schema.Defs["effect"]},
	} {
		fields := map[string]bool{}
		ofHouse := []string{"links", "fed"} // of its other devices: no pack has them
		for _, f := range reflect.VisibleFields(c.of) {
			if tag, _, _ := strings.Cut(f.Tag.Get("json"), ","); tag != "-" && !f.Anonymous && f.IsExported() &&
				!slices.Contains(ofHouse, tag) {
				fields[tag] = true
				assert.Contains(t, c.schema.Properties, tag, name)
			}
		}
		assert.Len(t, c.schema.Properties, len(fields), name)
	}
}

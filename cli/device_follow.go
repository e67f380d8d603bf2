package cli

import (
	"errors"
	"net/http"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) deviceFollow() *cobra.Command {
	var capture string
	var none bool
	var heard wire.HeardCode
	c := &cobra.Command{
		Use: "follow DEVICE/KEY [CODE …]", Short: "Let another handset's code count as a press of a key",
		Args: args(1, -1, "DEVICE/KEY and a CODE"),
		Long: `Let another handset's code count as a press of a key when it is heard: a second handset for the device, or one with
rolling codes. Urbo then knows what somebody did with it. What is followed is never sent. A lesson follows handsets with
rolling codes by itself. A CODE is written as for "urbo device code".`,
		Example: "  urbo device follow screen/up ev1527 id=0x1b204 key=1\n  urbo device follow screen/up --none",
	}
	f := c.Flags()
	f.StringVar(&capture, "capture", "", "id of a capture, instead of a CODE: what was heard (urbo listen names it)")
	f.IntVar(&heard.Hz, "hz", 0, "of durations: carrier (38000) or channel (433920000)")
	f.BoolVar(&none, "none", false, "follow no other handset any more")
	c.RunE = func(c *cobra.Command, argv []string) error {
		ref, err := parseKey(argv[0])
		if err != nil {
			return err
		}
		given := 0
		for _, is := range []bool{capture != "", none, len(argv) > 1} {
			if is {
				given++
			}
		}
		var d wire.Device
		switch {
		case given != 1:
			return usageError{errors.New("give a CODE, or name a capture with --capture, or say --none")}
		case none:
			err = a.call(c.Context(), http.MethodDelete, keyPath(ref)+"/heard", nil, &d)
		case capture != "":
			err = a.call(c.Context(), http.MethodPost, "/captures/"+url.PathEscape(capture)+"/follow", ref, &d)
		default:
			heard.Text = strings.Join(argv[1:], " ")
			err = a.call(c.Context(), http.MethodPost, keyPath(ref)+"/heard", heard, &d)
		}
		if err != nil {
			return err
		}
		return a.printKey(d, ref.Key)
	}
	return c
}

package cli

import (
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"urbo/station/mqtt"
)

// brokerOptions are the flags for an MQTT broker.
type brokerOptions struct {
	url, user, passwordFile, ca string
	listen                      string // of the house's own
}

// own is the "address" of the broker that the house runs itself.
const own = "own"

func (o *brokerOptions) flags(c *cobra.Command) {
	c.Flags().StringVar(&o.user, "broker-user", os.Getenv("URBO_BROKER_USER"),
		"account at the broker (URBO_BROKER_USER)")
	c.Flags().StringVar(&o.passwordFile, "broker-password-file", "",
		"file with its password; or set URBO_BROKER_PASSWORD")
	c.Flags().StringVar(&o.ca, "broker-ca", "", "file with the certificate that the broker's is checked against")
}

// options reads what the flags name.
func (o *brokerOptions) options() (mqtt.Options, error) {
	out := mqtt.Options{URL: o.url, User: o.user, Password: os.Getenv("URBO_BROKER_PASSWORD"), CA: o.ca}
	if o.passwordFile != "" {
		data, err := os.ReadFile(o.passwordFile)
		if err != nil {
			return out, fmt.Errorf("read the broker's password: %w", err)
		}
		out.Password = strings.TrimSpace(string(data))
	}
	if err := out.Check(); err != nil {
		return out, usageError{err}
	}
	return out, nil
}

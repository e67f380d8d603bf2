package cli

import (
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"urbo/service/certs"
)

// tlsOptions are the flags of serve for TLS.
type tlsOptions struct {
	local     bool
	cert, key string
}

func (o *tlsOptions) flags(c *cobra.Command) {
	c.Flags().BoolVar(&o.local, "tls", false, "speak TLS with the certificate that urbo tls new made")
	c.Flags().StringVar(&o.cert, "tls-cert", "",
		"speak TLS with this certificate (PEM); it is read anew when it changes")
	c.Flags().StringVar(&o.key, "tls-key", "", "its key (PEM)")
}

func (o *tlsOptions) is() bool { return o.local || o.cert != "" }

// keep reads the certificate that the flags name; nil where they name none. authority is the local one, or nil.
func (o *tlsOptions) keep(data string) (*certs.Keeper, *certs.Authority, error) {
	switch {
	case o.local && (o.cert != "" || o.key != ""):
		return nil, nil, usageError{errors.New("--tls is for the certificate of urbo tls new: leave --tls-cert " +
			"and --tls-key out")}
	case (o.cert == "") != (o.key == ""):
		return nil, nil, usageError{errors.New("give both --tls-cert and --tls-key")}
	case o.cert != "":
		k, err := certs.Keep(o.cert, o.key, time.Now)
		return k, nil, err
	case !o.local:
		return nil, nil, nil
	}
	dir := filepath.Join(data, certs.Dir)
	k, err := certs.KeepLocal(dir, time.Now)
	if err != nil {
		return nil, nil, err
	}
	a, err := certs.Show(dir)
	return k, &a, err
}

func (a *app) tls() *cobra.Command {
	return group("tls", "Make certificates for this house", `Make certificates for this house. A local authority signs them: a phone that trusts it trusts the house, and nobody
outside is asked. Then: urbo serve --tls.`, a.tlsNew(), a.tlsShow())
}

func (a *app) tlsNew() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "new HOST …", Short: "Make a local authority, and a certificate for some hosts",
		Long: `Make a local authority, if there is none yet, and a certificate for the names and addresses that browsers reach this
machine by. The service makes the certificate anew before it ends, and reads it without a restart.`,
		Args: args(1, 50, "a HOST or more"), Example: "  urbo tls new urbo.test 192.0.2.10 --data ./tls-house",
		RunE: func(_ *cobra.Command, hosts []string) error {
			dir, err := tlsDir(data)
			if err != nil {
				return err
			}
			for _, h := range hosts {
				if err := certs.CheckHost(h); err != nil {
					return usageError{err}
				}
			}
			for _, own := range []string{"localhost", "127.0.0.1", "::1"} { // for programs on this machine
				if !slices.Contains(hosts, own) {
					hosts = append(hosts, own)
				}
			}
			made, err := certs.Make(dir, hosts, time.Now())
			if err != nil {
				return err
			}
			return a.showAuthority(made, dir)
		}}
	c.Flags().StringVar(&data, "data", "", "data directory (URBO_DATA); without it the user's own")
	return c
}

func (a *app) tlsShow() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "show", Short: "Show the local authority, with its fingerprint", Args: args(0, 0, "none"),
		Example: "  urbo tls show --data ./tls-house",
		RunE: func(*cobra.Command, []string) error {
			dir, err := tlsDir(data)
			if err != nil {
				return err
			}
			made, err := certs.Show(dir)
			if errors.Is(err, fs.ErrNotExist) {
				return errors.New("there is no local authority yet: make one with urbo tls new HOST")
			}
			if err != nil {
				return err
			}
			return a.showAuthority(made, dir)
		}}
	c.Flags().StringVar(&data, "data", "", "data directory (URBO_DATA); without it the user's own")
	return c
}

func tlsDir(data string) (string, error) {
	if data == "" {
		var err error
		if data, err = dataDir(); err != nil {
			return "", err
		}
	}
	return filepath.Join(data, certs.Dir), nil
}

func (a *app) showAuthority(made certs.Authority, dir string) error {
	if a.output == "json" {
		return a.json(map[string]any{"fingerprint": made.Fingerprint, "expires": made.Expires, "hosts": made.Hosts,
			"authority": filepath.Join(dir, "authority.pem")})
	}
	fmt.Fprintf(a.Out, "authority    %s\nuntil        %s\nhosts        %s\nfingerprint  %s\n",
		filepath.Join(dir, "authority.pem"), made.Expires.Format(time.DateOnly), strings.Join(made.Hosts, ", "),
		made.Fingerprint)
	fmt.Fprintf(a.Err, "Serve it: urbo serve --tls --host %s. Phones find it at https://%s:8433/trust\n", made.Hosts[0],
		made.Hosts[0])
	return nil
}

// roots is an HTTP transport that trusts the authority of --ca, beside those of the system; nil where none was named.
func (a *app) roots() (*http.Transport, error) { return rootsOf(a.ca) }

// rootsOf is a transport that checks services against the authority in a file; nil where none is named.
func rootsOf(ca string) (*http.Transport, error) {
	if ca == "" {
		return nil, nil
	}
	text, err := os.ReadFile(ca)
	if err != nil {
		return nil, fmt.Errorf("read the authority: %w", err)
	}
	pool, err := x509.SystemCertPool()
	if err != nil {
		pool = x509.NewCertPool()
	}
	if !pool.AppendCertsFromPEM(text) {
		return nil, fmt.Errorf("there is no certificate in %s", ca)
	}
	t := http.DefaultTransport.(*http.Transport).Clone()
	t.TLSClientConfig = &tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS12}
	return t, nil
}

package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"urbo/assistant/standin"
)

func (a *app) standin() *cobra.Command {
	return group("standin", "Run a stand-in for something outside, to try the house with",
		`Run a stand-in for something outside, to try the house with.`, a.standinAssistant())
}

func (a *app) standinAssistant() *cobra.Command {
	var c standin.Config
	var listen, secretFile string
	cmd := &cobra.Command{Use: "assistant", Short: "Run a small assistant that can be linked to a house",
		Args: args(0, 0, "none"),
		Long: `Run a small assistant that can be linked to a house, as those from outside are. It serves a page: link it there, and
write what is to be done. Register it first, with the address that it listens on:
urbo assistant add Standin --redirect http://127.0.0.1:8700/linked`,
		Example: "  urbo standin assistant --house http://127.0.0.1:8433 --id ID --secret-file secret.txt",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c.House = strings.TrimSuffix(c.House, "/")
			secret := os.Getenv("URBO_ASSISTANT_SECRET")
			if secretFile != "" {
				text, err := readSmall(secretFile, cmd.InOrStdin())
				if err != nil {
					return fmt.Errorf("read the secret: %w", err)
				}
				secret = text
			}
			if c.Client == "" || strings.TrimSpace(secret) == "" || c.House == "" {
				return usageError{errors.New("give the house, and the id and secret that urbo assistant add printed: " +
					"--house, " +
					"--id, and --secret-file or URBO_ASSISTANT_SECRET")}
			}
			c.Secret = strings.TrimSpace(secret)
			l, err := net.Listen("tcp", listen)
			if err != nil {
				return listenError(listen, err)
			}
			c.Address = "http://" + l.Addr().String()
			fmt.Fprintln(a.Out, c.Address)
			return serveStandin(cmd.Context(), l, c)
		}}
	cmd.Flags().StringVar(&c.House, "house", "", "address of the house, http://HOST:PORT")
	cmd.Flags().StringVar(&c.Client, "id", "", "the id that urbo assistant add printed")
	cmd.Flags().StringVar(&secretFile, "secret-file", "", "file with the secret that it printed; - is standard input "+
		"(URBO_ASSISTANT_SECRET)")
	cmd.Flags().StringSliceVar(&c.Rooms, "room", nil, "slug of a room that it asks for; without one it asks for the "+
		"whole house")
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:8700", "address and port of its page; port 0 picks a free one")
	return cmd
}

// serveStandin serves the stand-in until ctx ends.
func serveStandin(ctx context.Context, l net.Listener, c standin.Config) error {
	s := &http.Server{Handler: standin.New(c).Handler(), ReadHeaderTimeout: 5 * time.Second}
	go func() {
		<-ctx.Done()
		_ = s.Close()
	}()
	if err := s.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"urbo/service"
	"urbo/wire"
)

func (a *app) backup() *cobra.Command {
	return &cobra.Command{Use: "backup FILE", Short: "Copy the whole house into one file, while it runs",
		Args: args(1, 1, "a FILE to write, or - for standard output"),
		Long: `Copy the whole house into one file while it runs: devices, code sets, pictures, lessons, tokens and sessions, the
journal, and line sheets of your own. Keep the file safe: whoever has it has the house.`,
		Example: "  urbo backup saltmarsh.backup",
		RunE: func(c *cobra.Command, argv []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			resp, err := cl.send(c.Context(), http.MethodGet, "/backup", nil)
			if err != nil {
				return err
			}
			defer resp.Body.Close()
			size := int64(0)
			copied := func(w io.Writer) error {
				size, err = io.Copy(w, resp.Body)
				return err
			}
			if argv[0] == "-" {
				return a.raw(copied)
			}
			if err := writePrivate(argv[0], copied); err != nil {
				return err
			}
			return a.done(map[string]any{"file": argv[0], "bytes": size}, "Wrote %s, %.0f kB.", argv[0],
				float64(size)/1e3)
		}}
}

func (a *app) restore() *cobra.Command {
	var yes, guests bool
	var data string
	c := &cobra.Command{Use: "restore FILE", Short: "Put a backup in the place of the house",
		Args: args(1, 1, "a FILE of urbo backup, or - for standard input"),
		Long: `Put a backup in the place of all that the house knows. It is checked first; a damaged one, or one of
a newer version, changes nothing. A running service starts anew with it; where none runs, the data directory is
restored. What was there is kept beside it, as urbo.db.before-restore. Counters of rolling codes move on, so that
none comes twice. Sign-in links and the links of guests end.`,
		Example: "  urbo restore saltmarsh.backup --yes\n  urbo restore saltmarsh.backup --keep-guests --yes",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.sure("Everything that the house knows is replaced. Go on?", yes); err != nil {
				return err
			}
			in, err := a.openFile(argv[0])
			if err != nil {
				return err
			}
			defer in.Close()
			made, err := a.restoreFrom(c.Context(), in, guests, data, c.Flags().Changed("data"))
			if err != nil {
				return fmt.Errorf("%s: %w", argv[0], err)
			}
			return a.done(map[string]any{"created": made.Created, "by": made.By},
				"Restored the backup of %s. What was there is kept as urbo.db.before-restore.", clock(made.Created))
		}}
	c.Flags().BoolVar(&yes, "yes", false, "do not ask")
	c.Flags().BoolVar(&guests, "keep-guests", false, "let the links and pages of guests go on")
	c.Flags().StringVar(&data, "data", "", "data directory of a service that does not run")
	return c
}

// restoreFrom hands a backup to the service, or puts it into the data directory where none runs.
func (a *app) restoreFrom(ctx context.Context, in io.Reader, guests bool, data string, named bool) (wire.Restored,
	error) {
	var made wire.Restored
	if !named {
		cl, err := a.client()
		if err != nil {
			return made, err
		}
		var before wire.About
		_ = cl.do(ctx, http.MethodGet, "/about", nil, &before) // where nobody answers that is said below
		if err = cl.stream(ctx, http.MethodPost, "/restore?keep_guests="+strconv.FormatBool(guests), in,
			&made); err == nil {
			return made, a.backAgain(ctx, cl, before.Started)
		}
		if a.server != "" || !errors.Is(err, errNobodyAnswers) {
			return made, err
		}
		if data, err = dataDir(); err != nil {
			return made, err
		}
	}
	data, err := filepath.Abs(data)
	if err != nil {
		return made, err
	}
	if err := os.MkdirAll(data, 0o700); err != nil {
		return made, fmt.Errorf("make data directory: %w", err)
	}
	s, err := service.Stage(ctx, in, data)
	if err != nil {
		return made, err
	}
	s.Guests = guests
	return wire.Restored{Created: s.Made, By: s.By}, service.Restore(ctx, data, s)
}

// opening is how long a service may take to open the house that was restored.
const opening = time.Minute

// backAgain waits until the service answers with another house than the one that began at a time.
func (a *app) backAgain(ctx context.Context, cl *client, began time.Time) error {
	ctx, cancel := context.WithTimeout(ctx, opening)
	defer cancel()
	for {
		var now wire.About
		err := cl.do(ctx, http.MethodGet, "/about", nil, &now)
		var refused *refusalError // whoever was let in before may not be any more
		if err == nil && !now.Started.Equal(began) || errors.As(err, &refused) &&
			refused.status == http.StatusUnauthorized {
			return nil
		}
		select {
		case <-time.After(50 * time.Millisecond):
		case <-ctx.Done():
			return errors.New("the backup was taken, and the service is not back yet: look at its log")
		}
	}
}

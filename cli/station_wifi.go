package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"urbo/wire"
)

// addBoard adds a Wi-Fi board and writes its files.
func (a *app) addBoard(ctx context.Context, n wire.NewStation, ways int, folder string) error {
	if ways > 0 {
		return usageError{errors.New("a station is reached in one way: a Wi-Fi board dials in")}
	}
	if n.House == "" && strings.HasPrefix(a.server, "http") {
		n.House = a.server
	}
	if n.House == "" {
		return usageError{errors.New("say where the board finds this house: --house http://ADDRESS:PORT, with this " +
			"machine's address in your network")}
	}
	if folder == "" {
		folder = n.Name
	}
	if _, err := os.Stat(filepath.Join(folder, "main.py")); err == nil {
		return usageError{fmt.Errorf("there is a main.py in %s already: choose another folder with --out", folder)}
	}
	var s wire.Station
	if err := a.call(ctx, http.MethodPost, "/stations", n, &s); err != nil {
		return err
	}
	if err := write(folder, s.Files); err != nil {
		return fmt.Errorf("%s was added, and its files cannot be written; remove it (urbo station remove %s) and add "+
			"it again: %w", s.Name, s.Name, err)
	}
	if a.output == "json" {
		return a.json(s)
	}
	fmt.Fprintf(a.Out, "Added %s. Its files are in %s; main.py has its token in it.\n", s.Name, folder)
	fmt.Fprintf(a.Out, "1. Write the name and password of your Wi-Fi into %s, and look over its PORTS.\n",
		filepath.Join(folder, "main.py"))
	fmt.Fprintf(a.Out, "2. Wire it. %s\n", s.Pins)
	fmt.Fprintf(a.Out, "3. Copy all %d files onto the board, and reset it: mpremote cp %s : + reset\n", len(s.Files),
		filepath.Join(folder, "*"))
	fmt.Fprintf(a.Out, "4. It dials in: urbo station show %s. If it does not, its serial console says why.\n", s.Name)
	if strings.HasPrefix(n.House, "https:") && !slices.ContainsFunc(s.Files, isAuthority) {
		fmt.Fprintf(a.Err, "This house does not serve with an authority of its own (urbo tls new): copy the "+
			"certificate of the one that signs for %s onto the board, in PEM, and write the file's name into "+
			"AUTHORITY in main.py.\n", n.House)
	}
	if u, err := url.Parse(n.House); err == nil && onlyHere(u.Hostname()) {
		fmt.Fprintf(a.Err, "%s is this machine itself: no board reaches that. Let Urbo listen on the network (urbo "+
			"serve --listen), and give its address there.\n", n.House)
	}
	return nil
}

// isAuthority says whether a file of a board is what it checks the house's certificate against.
func isAuthority(f wire.BoardFile) bool { return filepath.Ext(f.Name) == ".pem" }

// onlyHere says whether a host is this machine, for itself alone.
func onlyHere(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// write puts the files of a board into a folder, for its owner alone: one of them has a token in it.
func write(folder string, files []wire.BoardFile) error {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return err
	}
	for _, f := range files {
		if err := os.WriteFile(filepath.Join(folder, filepath.Base(f.Name)), []byte(f.Text), 0o600); err != nil {
			return err
		}
	}
	return nil
}

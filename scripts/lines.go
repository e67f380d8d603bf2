//go:build ignore

// Command lines says which lines of Go files are longer than 120 columns, a tab as four. Raw strings and struct tags
// cannot be broken and do not count.
// usage: git ls-files '*.go' | go run scripts/lines.go
package main

import (
	"bufio"
	"fmt"
	"os"
	"strings"
	"unicode/utf8"
)

const most = 120

func main() {
	status := 0
	files := bufio.NewScanner(os.Stdin)
	for files.Scan() {
		file := files.Text()
		data, err := os.ReadFile(file)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(2)
		}
		raw := false
		for i, line := range strings.Split(string(data), "\n") {
			ticks := strings.Count(line, "`")
			columns := utf8.RuneCountInString(strings.ReplaceAll(line, "\t", "    "))
			if columns > most && !raw && ticks == 0 {
				fmt.Printf("%s:%d: %d columns, the most is %d\n", file, i+1, columns, most)
				status = 1
			}
			raw = raw != (ticks%2 == 1)
		}
	}
	os.Exit(status)
}

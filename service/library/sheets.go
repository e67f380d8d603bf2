package library

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"urbo/core/line"
)

// SheetDir is the folder of a data directory that holds line sheets of the user's own.
const SheetDir = "sheets"

// ReadBook is the book that ships with Urbo and the sheets (*.yaml) of a folder, which need not be there. A sheet
// with a mistake, or with a name that is taken, is left out: its error says which and why, and the book is good.
func ReadBook(dir string) (*line.Book, error) {
	book := line.Builtin()
	files, err := filepath.Glob(filepath.Join(dir, "*.yaml"))
	if err != nil {
		return book, fmt.Errorf("read line sheets: %w", err)
	}
	var troubles []error
	for _, file := range files {
		with, err := readSheet(book, file)
		if err != nil {
			troubles = append(troubles, err)
			continue
		}
		book = with
	}
	return book, errors.Join(troubles...)
}

func readSheet(book *line.Book, file string) (*line.Book, error) {
	info, err := os.Stat(file)
	if err != nil {
		return nil, fmt.Errorf("read line sheets: %w", err)
	}
	if info.Size() > line.MaxSheet || info.Mode()&fs.ModeType != 0 {
		return nil, fmt.Errorf("%w %s: it is no file of at most %d bytes", line.ErrSheet, file, line.MaxSheet)
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("read line sheets: %w", err)
	}
	sheet, err := line.ParseSheet(file, data)
	if err != nil {
		return nil, err
	}
	return book.With(sheet)
}

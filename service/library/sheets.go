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

// CheckSheet says whether the house would take a sheet that lies in its folder under a name: it compiles, and its name
// is free there. Errors wrap line.ErrSheet.
func CheckSheet(dir, file string, data []byte) (*line.Sheet, error) {
	sheet, err := parseSheet(file, data)
	if err != nil {
		return nil, err
	}
	book := line.Builtin()
	files, err := filepath.Glob(filepath.Join(dir, "*.yaml"))
	if err != nil {
		return nil, fmt.Errorf("read line sheets: %w", err)
	}
	for _, other := range files {
		if filepath.Base(other) == filepath.Base(file) {
			continue // it will be replaced, or is this one
		}
		if with, err := readSheet(book, other); err == nil {
			book = with
		}
	}
	_, err = with(book, file, sheet)
	return sheet, err
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
	sheet, err := parseSheet(file, data)
	if err != nil {
		return nil, err
	}
	return with(book, file, sheet)
}

// parseSheet compiles a sheet. The house must open whatever lies in its folder: even a mistake of the compiler's own
// sets aside one file only.
func parseSheet(file string, data []byte) (sheet *line.Sheet, err error) {
	defer func() {
		if p := recover(); p != nil {
			sheet, err = nil, fmt.Errorf("%w %s: it cannot be compiled: %v", line.ErrSheet, file, p)
		}
	}()
	return line.ParseSheet(file, data)
}

// with adds a sheet to a book; the error names its file.
func with(book *line.Book, file string, sheet *line.Sheet) (*line.Book, error) {
	out, err := book.With(sheet)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return out, nil
}

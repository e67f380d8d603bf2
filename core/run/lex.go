package run

import (
	"encoding/json"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// token is one word, text in quotation marks, or sign of a text.
type token struct {
	text   string // lower case, but of a quoted text
	quoted bool
	line   int
	column int
}

// Remark is what stands behind # until the end of its line: it is no part of what is written.
type Remark struct {
	Text  string
	Next  int  // which token stands behind it
	Alone bool // nothing stands before it in its line
}

// lex parts a text into tokens.
func lex(text string) ([]token, error) {
	tokens, _, err := lexAll(text)
	return tokens, err
}

// lexAll parts a text into tokens and remarks.
func lexAll(text string) (out []token, remarks []Remark, err error) {
	if len(text) > MaxText {
		return nil, nil, fmt.Errorf("%w: the text has %d bytes: at most %d", ErrSteps, len(text), MaxText)
	}
	if !utf8.ValidString(text) {
		return nil, nil, fmt.Errorf("%w: the text is no UTF-8: save it as plain text", ErrSteps)
	}
	line, column := 1, 1
	for text != "" {
		r, size := utf8.DecodeRuneInString(text)
		n, word := size, ""
		switch {
		case r == '\n':
			line, column, text = line+1, 1, text[size:]
			continue
		case unicode.IsSpace(r):
			column, text = column+1, text[size:]
			continue
		case r == '#':
			if n = strings.IndexByte(text, '\n'); n < 0 {
				n = len(text)
			}
			remarks = append(remarks, Remark{Text: strings.TrimSpace(text[1:n]), Next: len(out),
				Alone: len(out) == 0 || out[len(out)-1].line != line})
			text = text[n:]
			continue
		case r == '"':
			var err error
			if n, err = quotedEnd(text); err != nil {
				return nil, nil, at(token{line: line, column: column}, "%v", err)
			}
			if err := json.Unmarshal([]byte(text[:n]), &word); err != nil {
				return nil, nil, at(token{line: line, column: column}, "this text is not written as it should be: "+
					"a quotation mark in it is \\\", and a line break \\n")
			}
			out = append(out, token{word, true, line, column})
		case strings.ContainsRune("(),;", r):
			out = append(out, token{text[:size], false, line, column})
		default:
			if n = strings.IndexFunc(text, ends); n < 0 {
				n = len(text)
			}
			if n == 0 {
				n = size
			}
			out = append(out, token{strings.ToLower(text[:n]), false, line, column})
		}
		column, text = column+utf8.RuneCountInString(text[:n]), text[n:]
	}
	return out, remarks, nil
}

// ends says whether a word ends before a character.
func ends(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune(`(),;"#`, r) }

// quotedEnd is where a text in quotation marks ends.
func quotedEnd(text string) (int, error) {
	for i := 1; i < len(text); i++ {
		switch text[i] {
		case '\\':
			i++
		case '"':
			return i + 1, nil
		case '\n':
			return 0, fmt.Errorf("the quotation mark that ends this text is missing")
		}
	}
	return 0, fmt.Errorf("the quotation mark that ends this text is missing")
}

// at is an error with its place.
func at(t token, format string, args ...any) error {
	return fmt.Errorf("%w: line %d, column %d: "+format, append([]any{ErrSteps, t.line, t.column}, args...)...)
}

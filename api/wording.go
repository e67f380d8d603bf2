package api

import (
	"strings"
	"sync"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/validation"
)

// plainWords makes what is said of a request that does not fit its description readable for whoever typed it. The
// package that checks requests keeps its texts in variables of its own, so this is done once.
var plainWords = sync.OnceFunc(func() {
	for text, to := range map[string]*string{
		"is not known here":                      &validation.MsgUnexpectedProperty,
		"write a time like 2026-03-01T21:00:00Z": &validation.MsgExpectedRFC3339DateTime,
		"write true or false":                    &validation.MsgExpectedBoolean,
		"write a number":                         &validation.MsgExpectedNumber,
		"write a whole number":                   &validation.MsgExpectedInteger,
		"write a text":                           &validation.MsgExpectedString,
		"write a list":                           &validation.MsgExpectedArray,
		"write an object":                        &validation.MsgExpectedObject,
		"write each one once":                    &validation.MsgExpectedArrayItemsUnique,
		"is one of %s":                           &validation.MsgExpectedOneOf,
		"is %v or more":                          &validation.MsgExpectedMinimumNumber,
		"is more than %v":                        &validation.MsgExpectedExclusiveMinimumNumber,
		"is at most %v":                          &validation.MsgExpectedMaximumNumber,
		"is less than %v":                        &validation.MsgExpectedExclusiveMaximumNumber,
		"has %d characters or more":              &validation.MsgExpectedMinLength,
		"has at most %d characters":              &validation.MsgExpectedMaxLength,
		"has %d entries or more":                 &validation.MsgExpectedMinItems,
		"has at most %d entries":                 &validation.MsgExpectedMaxItems,
		"%s is missing":                          &validation.MsgExpectedRequiredProperty,
	} {
		*to = text
	}
	made := huma.NewError
	huma.NewError = func(status int, detail string, errs ...error) huma.StatusError {
		p := made(status, detail, errs...)
		if model, ok := p.(*huma.ErrorModel); ok && len(model.Errors) > 0 {
			model.Detail = inWords(model.Errors)
		}
		return p
	}
})

// inWords says what is wrong with a request: which part of it, and what it should be.
func inWords(errs []*huma.ErrorDetail) string {
	var out []string
	for _, e := range errs {
		if e == nil {
			continue
		}
		_, part, _ := strings.Cut(e.Location, ".")
		text := strings.ReplaceAll(e.Message, ", , ", ", ")
		out = append(out, strings.TrimSpace(part+" "+strings.TrimSuffix(strings.Replace(text, "one of , ", "one of ",
			1), ", ")))
	}
	return strings.Join(out, "; ")
}

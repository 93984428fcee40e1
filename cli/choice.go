package cli

import (
	"errors"
	"slices"
	"strings"

	"github.com/spf13/pflag"
)

// A choice is a flag whose value is one of a list, or several of it.
type choice struct {
	known []string
	one   *string
	many  *[]string
}

var errNoChoice = errors.New("none of the known values")

// oneOf declares a flag that takes one of some values.
func oneOf[T ~string](flags *pflag.FlagSet, to *string, name string, known []T, says string) {
	flags.Var(&choice{known: texts(known), one: to}, name, says)
}

// someOf declares a flag that takes some of the values.
func someOf[T ~string](flags *pflag.FlagSet, to *[]string, name string, known []T, says string) {
	flags.Var(&choice{known: texts(known), many: to}, name, says)
}

func texts[T ~string](all []T) (as []string) {
	for _, one := range all {
		as = append(as, string(one))
	}
	return as
}

// Set takes a value of the call.
func (f *choice) Set(value string) error {
	if f.one != nil {
		if !slices.Contains(f.known, value) {
			return errNoChoice
		}
		*f.one = value
		return nil
	}
	for one := range strings.SplitSeq(value, ",") {
		if !slices.Contains(f.known, one) {
			return errNoChoice
		}
		*f.many = append(*f.many, one)
	}
	return nil
}

// String returns the value.
func (f *choice) String() string {
	switch {
	case f.one != nil:
		return *f.one
	case f.many != nil:
		return strings.Join(*f.many, ",")
	}
	return ""
}

// Type is what help calls the value.
func (f *choice) Type() string {
	if f.one != nil {
		return "word"
	}
	return "words"
}

func (f *choice) expected() string {
	if f.many != nil {
		return "some of " + strings.Join(f.known, ", ")
	}
	return inWords(f.known)
}

// inWords lists alternatives.
func inWords(known []string) string {
	last := len(known) - 1
	return strings.Join(known[:last], ", ") + " or " + known[last]
}

package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"molt/ask"
	"molt/core/project"
	"molt/input"
)

// A command is everything about one command of Molt. What package cobra has no place for is told once, here: help,
// completion, the checks of the call and the work over several ecosystems follow from it.
type command struct {
	*cobra.Command // its words, its own flags, and what it does

	takes   common   // the common flags that say something about it
	formats []string // of its result, besides text and JSON
	run     func(c *call, args []string) error
	sides   ask.Finder             // what it is about in a folder with several ecosystems; nil where it opens none of them
	lone    []string               // flags that are about one ecosystem alone
	whole   bool                   // what it changes for several ecosystems comes about for all of them or for none
	builds  func(*flagValues) bool // whether a call may build releases from source; nil for never
	operand operand                // what its arguments are
	values  map[string]completion  // of its flags, by name, besides those that are a choice
	words   []string               // under which people look for it
}

type flagValues = pflag.FlagSet

// common are the flags that several commands take, in groups.
type common int

const (
	inFolder    common = 1 << iota // --dir
	ofEcosystem                    // --ecosystem
	ofRegistry                     // what is asked of a registry, and how
	ofCommands                     // --allow-commands
)

// The usual groups: of commands that read an application, that ask its registry about it, and that may run what it names.
const (
	reads = inFolder | ofEcosystem
	asks  = reads | ofRegistry
	runs  = asks | ofCommands
)

// taken says to which group a common flag belongs; those that are not here belong to every command.
var taken = map[string]common{
	"dir": inFolder, "ecosystem": ofEcosystem, "allow-commands": ofCommands,
	"offline": ofRegistry, "refresh": ofRegistry, "as-of": ofRegistry, "jobs": ofRegistry,
	"allow-registry": ofRegistry, "allow-plain-token": ofRegistry,
}

// add makes a command one of Molt's.
func (c *call) add(root *cobra.Command, group string, cmd command) {
	cmd.GroupID, cmd.Hidden, cmd.SuggestFor = group, group == "", cmd.words
	cmd.Args = usage(cmd.Args)
	cmd.RunE = func(_ *cobra.Command, args []string) error { return c.over(cmd, args) }
	if cmd.operand.complete != nil {
		cmd.ValidArgsFunction = c.completed(cmd.operand.complete, cmd.operand.several)
	}
	cmd.LocalNonPersistentFlags().VisitAll(func(f *pflag.Flag) {
		complete := cmd.values[f.Name]
		if one, is := f.Value.(*choice); is {
			complete = values(one.known...)
		}
		if complete != nil {
			_ = cmd.RegisterFlagCompletionFunc(f.Name, c.completed(complete, true)) // the flag is there
		}
	})
	root.AddCommand(cmd.Command)
	c.commands[cmd.Command] = cmd
}

// fitting hides the common flags that say nothing about a command, in its help and when words are completed.
func (c *call) fitting(cmd *cobra.Command) {
	one, known := c.commands[cmd]
	if !known {
		return
	}
	cmd.Root().PersistentFlags().VisitAll(func(f *pflag.Flag) {
		f.Hidden = one.takes&taken[f.Name] != taken[f.Name]
		if f.Name == "format" {
			known, _ := formatsOf(c, cmd, "")
			f.Usage = inWords(known)
		}
	})
}

// strange refuses a common flag that says nothing about a command.
func (c *call) strange(cmd *cobra.Command) (err error) {
	one, known := c.commands[cmd]
	if !known {
		return nil
	}
	cmd.Flags().Visit(func(f *pflag.Flag) {
		if of := taken[f.Name]; one.takes&of != of && err == nil {
			err = &input.UsageError{Reason: fmt.Sprintf("%s takes no --%s; see %[1]s --help", cmd.CommandPath(), f.Name)}
		}
	})
	return err
}

// wrongFlag is the error of a flag that is not there, or whose value is none.
func wrongFlag(cmd *cobra.Command, err error) error {
	if words := cmd.Flags().Args(); !cmd.HasParent() && len(words) > 0 { // a flag of a command that is not there
		return unknown(cmd, words)
	}
	says := err.Error()
	var unknown *pflag.NotExistError
	if errors.As(err, &unknown) {
		var known []string
		cmd.Flags().VisitAll(func(f *pflag.Flag) { known = append(known, f.Name) })
		if near := project.Nearest(unknown.GetSpecifiedName(), known); near != "" {
			says += "; did you mean --" + near + "?"
		}
	}
	var bad *pflag.InvalidValueError
	if errors.As(err, &bad) {
		if one, is := bad.GetFlag().Value.(*choice); is {
			return &input.UsageError{Reason: fmt.Sprintf("--%s %q: expected %s", bad.GetFlag().Name, bad.GetValue(), one.expected())}
		}
	}
	return &input.UsageError{Reason: fmt.Sprintf("%s; see %s --help", says, cmd.CommandPath())}
}

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

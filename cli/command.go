package cli

import (
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"molt/ask"
)

// A command is everything about one command of Molt. What package cobra has no place for is told once, here: help,
// completion, the checks of the call and the work over several ecosystems follow from it.
type command struct {
	*cobra.Command // its words and its own flags

	takes   common                             // the common flags that say something about it
	formats []string                           // of its result, besides text and JSON
	run     func(c *call, args []string) error // what it does for one part of the application; see call.over
	sides   ask.Finder                         // what it is about in a folder with several ecosystems; nil where it opens none of them
	lone    []string                           // flags that are about one ecosystem only
	whole   bool                               // what it changes for several ecosystems comes about for all of them or for none
	builds  func(*flagValues) bool             // whether a call may build releases from source; nil for never
	operand operand                            // what its arguments are
	values  map[string]completion              // of its flags, by name, besides those that are a choice
	words   []string                           // under which people look for it
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

// An operand says what the arguments of a command are: what completes them, and which spellings are put right.
type operand struct {
	complete  completion
	several   bool   // more than one of them
	goal      bool   // NAME@MAJOR
	versioned bool   // NAME@CONSTRAINT
	bare      bool   // a name without a version
	instead   string // what says a version, or why there is none, where one is written behind a bare name
}

// A completion lists what a word may become, in the order in which it is offered. What is not begun so is left out, and an
// error is an empty list: there is nobody to tell.
type completion func(c *call, cmd *cobra.Command, begun string) ([]string, error)

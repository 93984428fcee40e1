package ecosystem

import (
	"cmp"
	"io/fs"
	"strings"
)

// A Checker is an ecosystem in whose applications files tell which commands judge them.
type Checker interface {
	// Checks lists such commands, of an application in a folder: what to call each, and its line
	// for the shell. Nothing that only builds or starts is among them.
	Checks(dir fs.FS) []Check
	// ScriptFolder is the folder, relative to the application, with what installed packages give people to run.
	ScriptFolder() string
	// Programs lists what is there for people to run, in that folder of an application: of declared
	// packages, and of the runtime itself where it stands there too. Sorted; of packages that are
	// not installed it has nothing.
	Programs(dir string, declared []string) []Program
}

// A Program is the name of something to run, and the package that has it; "" for the runtime.
type Program struct{ Name, Of string }

// Compare orders programs by name, then by package.
func (p Program) Compare(other Program) int {
	return cmp.Or(strings.Compare(p.Name, other.Name), strings.Compare(p.Of, other.Of))
}

// A Check is a command that judges an application.
type Check struct{ Name, Run string }

package ecosystem

import "io/fs"

// A Checker is an ecosystem in whose applications files tell which commands judge them.
type Checker interface {
	// Checks lists such commands, of an application in a folder: what to call each, and its line for the shell. Nothing that only builds or starts is among them.
	Checks(dir fs.FS) []Check
	// ScriptFolder is the folder, relative to the application, with what installed packages give people to run.
	ScriptFolder() string
}

// A Check is a command that judges an application.
type Check struct{ Name, Run string }

// ScriptFolder returns the folder with what installed packages give people to run, relative to the application; "" for none.
func ScriptFolder(e Ecosystem) string {
	if c, ok := e.(Checker); ok {
		return c.ScriptFolder()
	}
	return ""
}

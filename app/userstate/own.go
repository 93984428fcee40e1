package userstate

import (
	"errors"
	"fmt"
	"io/fs"
	"os"

	"molt/input"
)

// Own makes sure that nobody else can put something into a folder that Molt trusts: it belongs to
// the person, who alone may write to it. A folder that is not there yet is fine. The error is an
// *input.UsageError that says how to mend it; variable names another folder.
func Own(dir, variable string) error {
	info, err := os.Stat(dir)
	switch {
	case dir == "" || errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return &input.UsageError{Reason: fmt.Sprintf("%s: %s", dir, input.Cause(err))}
	case !info.IsDir():
		return &input.UsageError{Reason: fmt.Sprintf("%s is no folder; set %s to one", dir, variable)}
	}
	switch owner, known := ownerOf(info); {
	case known && owner != os.Geteuid():
		return &input.UsageError{Reason: fmt.Sprintf(
			"%s belongs to somebody else (user %d), who could change what Molt keeps there: set %s to a folder of your own", dir,
			owner, variable)}
	case known && info.Mode().Perm()&0o022 != 0:
		return &input.UsageError{Reason: fmt.Sprintf(
			"others may write to %s, and so change what Molt keeps there: chmod go-w %s, or set %s to another folder",
			dir, dir, variable)}
	}
	return nil
}

// Own is Own for the folder of the state.
func (u State) Own() error {
	dir, err := u.dir()
	if err != nil {
		return nil // who needs it says so
	}
	return Own(dir, "MOLT_STATE")
}

//go:build !linux

package tree

import (
	"errors"
	"os"
)

// clone does nothing: the system has no such call for open files.
func clone(_, _ *os.File) error { return errors.ErrUnsupported }

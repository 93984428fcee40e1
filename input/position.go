package input

import "fmt"

// A PositionError points at a place in a file that was read.
type PositionError struct {
	File         string
	Line, Column int // from 1
	Reason       string
}

func (e *PositionError) Error() string {
	return fmt.Sprintf("%s:%d:%d: %s", e.File, e.Line, e.Column, e.Reason)
}

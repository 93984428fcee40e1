package input

import (
	"fmt"
	"slices"
)

// A PositionError points at a place in a file that was read.
type PositionError struct {
	File         string
	Line, Column int // from 1
	Reason       string
}

func (e *PositionError) Error() string {
	return fmt.Sprintf("%s:%d:%d: %s", e.File, e.Line, e.Column, e.Reason)
}

// Lines finds the places of offsets in one text. Where lines begin is worked out when it is first asked for.
type Lines struct{ starts []int }

// Place returns the line and the column in bytes of an offset, from 1. An offset behind the text is its end.
func (l *Lines) Place(text []byte, offset int) (line, column int) {
	if l.starts == nil {
		l.starts = []int{0}
		for i, c := range text {
			if c == '\n' {
				l.starts = append(l.starts, i+1)
			}
		}
	}
	offset = min(offset, len(text))
	line, _ = slices.BinarySearch(l.starts, offset+1)
	return line, offset - l.starts[line-1] + 1
}

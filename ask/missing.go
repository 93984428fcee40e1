package ask

import (
	"fmt"
	"strings"
)

// A MissingError reports documents that are not at hand, where Molt was told to stay offline.
type MissingError struct {
	Names []string
	Fetch string // the command that brings them
	Err   error  // the one that was met first
}

func (e *MissingError) Error() string {
	what := "documents are"
	if len(e.Names) == 1 {
		what = "document is"
	}
	lines := []string{fmt.Sprintf("%d %s not in the cache, and Molt was told to stay offline:", len(e.Names), what), " "}
	for i, name := range e.Names {
		if i < len(e.Names)-1 {
			name += ","
		}
		if last := &lines[len(lines)-1]; len(*last)+1+len(name) <= 96 {
			*last += " " + name
		} else {
			lines = append(lines, "  "+name)
		}
	}
	return strings.Join(append(lines, e.Fetch+", without --offline, brings what this application needs"), "\n")
}

// Unwrap returns what was met first.
func (e *MissingError) Unwrap() error { return e.Err }

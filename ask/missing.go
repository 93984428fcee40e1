package ask

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"molt/registry"
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

// Missing makes of an error about a document that is not at hand, while offline, one that names all
// that are missing; other errors stay what they are.
func (s *Session) Missing(ctx context.Context, err error) error {
	if !errors.Is(err, registry.ErrOffline) || ctx.Err() != nil {
		return err
	}
	names := s.App.DeclaredPackages()
	if s.App.Lock != nil {
		for _, p := range s.App.Lock.Packages {
			names = append(names, p.Name)
		}
	}
	for _, name := range names { // so that each was asked for
		_, _ = s.App.Source.Package(ctx, name)
	}
	s.ahead()
	missed := s.App.Missed()
	if len(missed) == 0 { // it is an archive, say
		return err
	}
	goals := s.goals
	if len(goals) == 0 {
		goals = []string{s.App.GoalText()}
	}
	return &MissingError{missed, strings.TrimSpace("molt fetch " + strings.Join(goals, " ")), err}
}

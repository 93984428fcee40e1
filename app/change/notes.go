package change

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"strings"

	"golang.org/x/sync/errgroup"

	"molt/app/open"
	"molt/app/planfile"
	"molt/archive"
	"molt/core/inspect"
	"molt/core/universe"
	"molt/core/version"
	"molt/doc"
	"molt/input"
	"molt/registry"
)

// mostNotes is how many lines of a change log stand with a change; molt dossier has them all.
const mostNotes = 5

// breakingWord is how a line about a breaking change often begins: the mark of a list, and the word.
var breakingWord = regexp.MustCompile(`^[-*+\s]*(?i:breaking( changes?)?:\s*)?`)

// AddNotes adds to every breaking move of a plan what the package's change log calls breaking between the two releases.
// That a log could not be read is a note too.
func AddNotes(ctx context.Context, a *open.Question, file *planfile.Plan) error {
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(max(a.Settings.Jobs, 1))
	for i := range file.Stages {
		for j := range file.Stages[i].Changes {
			c := &file.Stages[i].Changes[j]
			if c.From == nil || c.To == nil || c.Jump != version.Major.String() {
				continue
			}
			g.Go(func() error {
				var err error
				c.Notes, err = Notes(ctx, a, *c)
				return err
			})
		}
	}
	return g.Wait()
}

// Notes returns what the change log of a changed package calls breaking between the two releases,
// or that it could not be read.
func Notes(ctx context.Context, a *open.Question, c doc.PlanChange) ([]string, error) {
	notes, err := breakingNotes(ctx, a, c)
	var unread *unreadLog
	if errors.As(err, &unread) {
		return []string{unread.Error()}, nil
	}
	return notes, err
}

// An unreadLog says that a change log could not be read.
type unreadLog struct{ err error }

func (e *unreadLog) Error() string { return fmt.Sprintf("its change log could not be read: %v", e.err) }

// breakingNotes is Notes for a caller who says nothing of a log that could not be read, which is an *unreadLog.
func breakingNotes(ctx context.Context, a *open.Question, c doc.PlanChange) ([]string, error) {
	if c.From == nil || c.To == nil {
		return nil, nil
	}
	name := c.Name
	for _, e := range a.Manifest.Entries() {
		if e.As == c.Name {
			name = e.Package
		}
	}
	return notesOf(ctx, a, name, c.From.Version, c.To.Version)
}

// ChangeLog reads the change log in a release's archive, whose checksum must be right. It is "" when the archive holds
// none, or lies outside the registry.
func ChangeLog(ctx context.Context, a *open.Question, name string, r *universe.Release) (string, error) {
	if r.File().Address == "" || strings.Contains(r.File().Address, "://") {
		return "", nil
	}
	client, err := a.RegistryOf(name)
	if err != nil || strings.HasPrefix(client.Base(), "file:") {
		return "", err
	}
	text, err := client.Fetch(ctx, registry.Request{Path: r.File().Address, Accept: "*/*", Limit: input.Archive,
		Understand: func(body []byte) ([]byte, error) {
			return body, archive.Check(r.File().Address, body, r.File().Integrity)
		}})
	if err != nil {
		return "", err
	}
	data := []byte(text)
	if err := archive.Check(r.File().Address, data, r.File().Integrity); err != nil {
		// what the cache holds may be of another day
		return "", err
	}
	return archive.ReadLog(ctx, r.File().Address, data)
}

func notesOf(ctx context.Context, a *open.Question, name, from, to string) ([]string, error) {
	p, err := a.Source.Package(ctx, name)
	if err != nil {
		return nil, err
	}
	before, after := p.Release(from), p.Release(to)
	if after == nil {
		return nil, nil
	}
	text, err := ChangeLog(ctx, a, name, after)
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case err != nil:
		return nil, &unreadLog{err}
	}
	var since version.Version
	if before != nil {
		since = before.Version
	}
	var notes []string
	for _, entry := range inspect.ReadLog(p.Scheme, text, since, after.Version) {
		for _, line := range entry.Breaking {
			line = strings.ReplaceAll(strings.TrimSpace(input.Harmless(line)), "**", "")
			if line = breakingWord.ReplaceAllString(line, ""); line != "" && line[0] != '#' {
				notes = append(notes, entry.Release+": "+line)
			}
		}
	}
	if len(notes) > mostNotes {
		notes = append(notes[:mostNotes-1],
			fmt.Sprintf("and %d more: molt dossier %s --to %s", len(notes)-mostNotes+1, name, to))
	}
	return notes, nil
}

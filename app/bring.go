package app

import (
	"context"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"

	"molt/app/planfile"
	"molt/app/run"
	"molt/core/project"
	"molt/core/universe"
	"molt/doc"
	"molt/input"
)

// Bring moves what later stages change of some packages into a pending stage. The plan is solved from there on before it is written. It returns the stage.
// The folder must be in use.
func (a *App) Bring(ctx context.Context, source universe.Source, into string, names []string) (*doc.PlanStage, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	stage := file.Stage(into)
	switch {
	case stage == nil:
		return nil, &input.UsageError{Reason: file.Missing(into)}
	case stage.Status == doc.Done:
		return nil, &input.UsageError{Reason: fmt.Sprintf("stage %s is done; molt back %s comes before changing it", into, into)}
	case len(stage.Raise) > 0:
		return nil, &input.UsageError{Reason: fmt.Sprintf("stage %s is work for people, and changes no packages", into)}
	}
	var later []string
	for _, s := range file.Stages[file.Index(into)+1:] {
		later = append(later, planfile.NamesOf(&s)...)
	}
	for _, name := range names {
		switch {
		case slices.Contains(planfile.NamesOf(stage), name):
			return nil, &input.UsageError{Reason: fmt.Sprintf("stage %s changes %s already", into, name)}
		case !slices.Contains(later, name):
			return nil, &input.UsageError{Reason: project.NotAmong(fmt.Sprintf("no stage after %s changes %q", into, name), name, later)}
		}
		if err := file.Bring(into, name); err != nil {
			return nil, err
		}
	}
	w, err := a.walk()
	if err != nil {
		return nil, err
	}
	for i := range file.Stages {
		s := &file.Stages[i]
		if s.Status != doc.Pending {
			continue
		}
		before := w.locked
		if err := w.stage(ctx, source, s); err != nil {
			return nil, fmt.Errorf("%s does not go into stage %s: %w", strings.Join(names, ", "), into, a.atStage(file, s, err))
		}
		if s.Locked == nil || len(s.Raise) > 0 {
			continue
		}
		m := project.MovesBetween(before, w.locked)
		if err := file.Count(s.ID, doc.PlanLocked{Added: m.Added, Removed: m.Removed, Moved: m.Moved}); err != nil {
			return nil, err
		}
	}
	return file.Stage(into), a.writePlanText("bringing "+strings.Join(names, ", ")+" into stage "+into, file.Text.Bytes(), nil)
}

// A Mention is a package that the output of a failed check names and that a later stage moves.
type Mention struct{ Name, Stage string }

// mostOfLog is how much of the end of a log is searched for names, in bytes.
const mostOfLog = 1 << 20

// named lists the packages that later stages move and the output of failed checks names.
func (a *App) named(file *planfile.Plan, stage *doc.PlanStage, verdicts []run.Verdict) (all []Mention) {
	var said strings.Builder
	for _, v := range verdicts {
		if v.Passed || v.Before || v.Log == "" {
			continue
		}
		at, err := a.files.Find(v.Log)
		if err != nil { // it only helps
			continue
		}
		f, err := at.Root.Open(at.Name)
		if err != nil {
			continue
		}
		if info, err := f.Stat(); err == nil && info.Size() > mostOfLog {
			_, _ = f.Seek(-mostOfLog, io.SeekEnd)
		}
		_, _ = io.Copy(&said, io.LimitReader(f, mostOfLog))
		f.Close()
	}
	if said.Len() == 0 {
		return nil
	}
	here := planfile.NamesOf(stage)
	for i := file.Index(stage.ID) + 1; i < len(file.Stages); i++ {
		s := &file.Stages[i]
		for _, name := range planfile.NamesOf(s) {
			if s.Status == doc.Pending && !slices.Contains(here, name) && names(said.String(), name) && !slices.ContainsFunc(all, func(n Mention) bool { return n.Name == name }) {
				all = append(all, Mention{name, s.ID})
			}
		}
	}
	return all
}

// names reports whether a text has the name of a package as a word, or as what is imported of it. Short names are words of any text.
func names(text, name string) bool {
	if len(name) < 4 {
		return false
	}
	pattern := strings.ReplaceAll(regexp.QuoteMeta(name), "-", "[-_]")
	if !strings.HasPrefix(name, "@") { // and not the one of that name in a scope
		pattern = `(@[\w.-]+/)?` + pattern
	}
	word, err := regexp.Compile(`(?:^|[^\w@-])(` + pattern + `)(?:$|[^\w-])`)
	return err == nil && slices.ContainsFunc(word.FindAllStringSubmatch(text, -1), func(m []string) bool {
		return strings.HasPrefix(m[1], "@") == strings.HasPrefix(name, "@")
	})
}

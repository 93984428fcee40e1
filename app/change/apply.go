package change

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"time"

	"molt/app/config"
	"molt/app/layout"
	"molt/app/ledger"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/planfile"
	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
	"molt/doc"
	"molt/input"
)

// Take carries out a way out: the manifest's lines, the lock, and what molt.yaml has to say,
// together or not at all. The result is verified before it counts. Back takes it back like a stage.
// The folder must be in use.
func Take(ctx context.Context, a *open.Question, way conflict.WayOut) error {
	switch {
	case way.Kind == conflict.WaitWay:
		return &input.UsageError{Reason: "there is nothing to take: " + a.Say(way.Title).Words}
	case way.Raise != nil:
		return &input.UsageError{Reason: fmt.Sprintf(
			"to %s is work for people; do it, say so under \"runtime:\" in %s, and run molt relock", a.Say(way.Title), config.File)}
	case way.Goals != nil:
		return &input.UsageError{Reason: fmt.Sprintf("to %s, run molt plan %s", a.Say(way.Title), project.GoalTexts(way.Goals))}
	}
	files := map[string][]byte{}
	if len(way.Changes) > 0 {
		var err error
		if files, err = locking.Rehearse(
			ctx, a, &doc.PlanStage{ID: "untangle", Changes: changeDocs(a.View, way.Changes)}); err != nil {
			return err
		}
	}
	for _, c := range way.Changes { // nobody holds what is not there
		if _, held := a.Config.Hold[c.Name]; held && c.To == (project.Point{}) && !slices.Contains(way.Unhold, c.Name) {
			way.Unhold = append(slices.Clone(way.Unhold), c.Name)
		}
	}
	if len(way.Preview)+len(way.Unhold)+len(way.Build)+len(way.Waive) > 0 {
		text, err := a.Files.Read(config.File, input.Configuration)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		way.Waive = slices.Clone(way.Waive)
		for i := range way.Waive {
			way.Waive[i].Reason = "a way out of " + a.Now().Format(time.DateOnly) + "; say why it runs all the same"
		}
		edited, err := config.Edit(string(text),
			config.Change{Previews: way.Preview, Build: way.Build, Unhold: a.AsSpelled(way.Unhold...), Waive: way.Waive})
		if err != nil {
			return err
		}
		files[config.File] = []byte(edited)
	}
	return write(ctx, a.View, "untangle", files, func(after *open.View) error {
		if len(way.Changes) == 0 {
			return nil
		}
		return consistent(ctx, after)
	})
}

// consistent is an error when manifest and lock do not agree.
func consistent(ctx context.Context, a *open.View) error {
	found, err := locking.Verify(ctx, a)
	if err != nil {
		return err
	}
	for _, f := range found {
		if f.About == "manifest" || f.About == "lock" {
			return fmt.Errorf("the result does not verify: %s", a.Say(f.Says))
		}
	}
	return nil
}

// changeDocs writes changes of the manifest as it stands. Whether a change adds a line is told by
// the manifest: one with an empty constraint that nothing is locked for has a point like one that
// is not there.
func changeDocs(a *open.View, changes []project.Change) []doc.PlanChange {
	lines := open.TextsByKey(a.Manifest)
	var docs []doc.PlanChange
	for _, c := range changes {
		file := doc.PlanChange{Name: c.Name, Group: c.Group, From: planfile.PointOf(c.From), To: planfile.PointOf(c.To),
			Reason: a.Say(c.Reason)}
		if _, there := lines[open.KeyOf(c.Group, c.Name)]; there && file.From == nil {
			file.From = &doc.PlanPoint{}
		}
		docs = append(docs, file)
	}
	return docs
}

// Place says where the manifest declares a demand, as FILE:LINE.
func Place(a *open.Question, d solve.Demand) string {
	for _, e := range a.Manifest.Entries() {
		if e.As == d.As && e.Group == d.Group {
			return fmt.Sprintf("%s:%d", e.File, e.Line)
		}
	}
	switch d.Group {
	case project.RuntimeGroup:
		return placeOfRuntime(a, d)
	case project.FixedGroup:
		return a.Config.Fixed
	case "": // no line has it: it was asked for in the call
		return "the call"
	}
	return a.Manifest.FileOf(d.Group)
}

// Written returns the constraint of the line that declares what a demand asks for, as it is written
// there; "" where no line does.
func Written(a *open.View, d solve.Demand) string {
	for _, e := range a.Manifest.Entries() {
		if e.As == d.As && e.Group == d.Group {
			return e.Text
		}
	}
	return ""
}

// placeOfRuntime returns the file that says what is deployed of a runtime, or from which that follows.
func placeOfRuntime(a *open.Question, d solve.Demand) string {
	runtime, _ := project.RuntimeOf(d.Package)
	if a.Config.Runtime[runtime] != nil {
		return config.File
	}
	if a.InferredRuntimes[runtime] != nil {
		for _, pin := range a.Pins() {
			if pin.Name == runtime {
				return pin.Where
			}
		}
	}
	for _, q := range a.Manifest.Runtimes() {
		if q.Name == runtime {
			return q.File
		}
	}
	if a.InferredRuntimes[runtime] != nil {
		return "this machine"
	}
	return config.File
}

// write replaces files and notes that in the ledger, all or nothing. The check looks at what came of it.
func write(ctx context.Context, a *open.View, name string, files map[string][]byte,
	check func(after *open.View) error) error {
	names := append(a.Manifest.Files(), a.LockFile(), config.File, planfile.File, ledger.File)
	t, err := a.Files.Begin(name, name, names...)
	if err != nil {
		return err
	}
	err = func() error {
		for _, file := range names {
			if data, ok := files[file]; ok {
				if err := t.Write(file, data); err != nil {
					return err
				}
			}
		}
		after, err := a.Again()
		if err != nil {
			return err
		}
		if err := check(after); err != nil {
			return err
		}
		if lock := files[a.LockFile()]; lock != nil && layout.LaidOut(after) {
			from := after.Archives()
			defer from.Close()
			if err := layout.NewSite(from).LayOut(ctx, a.Dir, lock, t); err != nil {
				return err
			}
		}
		return a.Ledger.Append(t, ledger.Record{Stage: name})
	}()
	if err != nil {
		return errors.Join(err, t.Undo())
	}
	return t.Commit()
}

package stages

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/app/layout"
	"molt/app/ledger"
	"molt/app/open"
	"molt/app/planfile"
	"molt/core/project"
	"molt/doc"
	"molt/input"
	"molt/txn"
)

// A Returned is what was taken back.
type Returned struct {
	Stages []string // latest first
	Files  []string
}

// CarriedOut lists what was carried out here, on all sides, the oldest first.
func CarriedOut(ctx context.Context, a *open.View) ([]ledger.Record, error) {
	return a.Ledger.History(ctx)
}

// Back returns to before a stage: the last one carried out, or the named one and all after it, of whichever sides. It
// refuses when a file is not as the last stage left it, so that no later edit is lost, and shows
// the edits. The folder must be in use.
//
// Anybody can write a commit that calls itself a stage. One that this machine's ledger does not
// know is taken back only when it did what a stage does (doubtful), or when force says so; the
// first commit of a repository never is.
func Back(ctx context.Context, a *open.View, id string, force bool) (*Returned, error) {
	records, err := a.Ledger.History(ctx)
	if err != nil {
		return nil, err
	}
	if len(records) == 0 {
		return nil, &input.UsageError{
			Reason: "no stage has been carried out here; molt step carries out the next one of a plan"}
	}
	first := len(records) - 1
	for id != "" && first >= 0 && records[first].Stage != id {
		first--
	}
	if first < 0 {
		return nil, &input.UsageError{Reason: fmt.Sprintf("stage %q has not been carried out here", id)}
	}
	for _, r := range records[first:] {
		if err := doubtful(ctx, a, r, force); err != nil {
			return nil, err
		}
	}
	files, err := a.Ledger.Untouched(records[first:])
	if err != nil {
		return nil, err
	}
	sides, err := open.EachSide(a)
	if err != nil {
		return nil, err
	}
	var back []string
	for _, r := range slices.Backward(records[first:]) {
		back = append(back, r.Stage)
	}
	names := slices.Sorted(maps.Keys(files))
	t, err := a.Files.Begin("going back to before "+records[first].Stage, "back",
		append(names, planfile.File, ledger.File)...)
	if err != nil {
		return nil, err
	}
	err = func() error {
		for _, name := range names {
			if err := t.Replace(name, files[name]); err != nil {
				return err
			}
		}
		for _, side := range sides {
			lock := files[side.LockFile()]
			if lock != nil && layout.LaidOut(side) {
				from := side.Archives()
				defer from.Close()
				if err := layout.NewSite(from).LayOut(ctx, a.Dir, lock, t); err != nil {
					return err
				}
			}
			if err := unmark(side, t, back, lock); err != nil {
				return err
			}
		}
		return a.Ledger.Keep(t, records[:first])
	}()
	if err != nil {
		return nil, errors.Join(err, t.Undo())
	}
	if err := t.Commit(); err != nil {
		return nil, err
	}
	for _, r := range records[first:] {
		a.Files.DiscardBackup(r.Folder)
	}
	return &Returned{back, names}, nil
}

// mostListed is how many files an error lists.
const mostListed = 20

// doubtful is an error for a record that only a commit tells of, unless the commit did what a stage
// does: a plan of then or now has the stage, and it changed manifests and locks that were there
// before and after, and nothing else.
func doubtful(ctx context.Context, a *open.View, r ledger.Record, force bool) error {
	if !r.Told() {
		return nil
	}
	short := r.Commit[:min(12, len(r.Commit))]
	if a.Repo.IsRoot(ctx, r.Commit) {
		return &input.UsageError{Reason: fmt.Sprintf(
			"commit %s calls itself stage %s, and it is the first of the repository: it is not taken back", short, r.Stage)}
	}
	if force {
		return nil
	}
	sides, err := open.EachSide(a)
	if err != nil {
		return err
	}
	var usual []string
	for _, side := range sides {
		usual = append(append(usual, side.Manifest.Files()...), side.LockFile())
	}
	var others []string
	for _, name := range r.Files() {
		before, left, err := a.Ledger.Contents(r, name)
		if err != nil {
			return err
		}
		if !slices.Contains(usual, name) || before == nil || left == nil {
			others = append(others, name)
		}
	}
	now, err := a.Files.Content(planfile.File)
	if err != nil {
		return err
	}
	planned := planfile.Names(now, r.Stage) || planfile.Names(a.Repo.FileAt(ctx, r.Commit, planfile.File), r.Stage)
	if planned && others == nil {
		return nil
	}
	says := fmt.Sprintf("commit %s calls itself stage %s, which Molt did not carry out here", short, r.Stage)
	if !planned {
		says += ", and no plan has a stage of that name"
	}
	if others != nil {
		more := ""
		if len(others) > mostListed {
			more = fmt.Sprintf(" and %d more", len(others)-mostListed)
		}
		says += "; taking it back changes or removes " + strings.Join(others[:min(mostListed, len(others))], ", ") + more
	}
	return &input.UsageError{Reason: says + ": look at it, then molt back --force does it"}
}

// unmark makes stages of the plan pending again.
func unmark(a *open.View, t *txn.Transaction, stages []string, lock []byte) error {
	file, err := a.ReadPlan()
	var none *input.UsageError
	if errors.As(err, &none) {
		return nil
	}
	if err != nil {
		return err
	}
	found := false
	for _, id := range stages {
		if s := file.Stage(id); s != nil && s.Status == doc.Done {
			found = true
			if err := file.Mark(id, doc.Pending, txn.Sum(lock)); err != nil {
				return err
			}
		}
	}
	// A stage of people's work leaves no record; one that follows what was taken back is to be looked at again.
	for i, s := range file.Stages {
		if s.Status == doc.Done && s.Raise != nil &&
			slices.ContainsFunc(file.Stages[:i], func(x doc.PlanStage) bool { return slices.Contains(stages, x.ID) }) {
			found = true
			if err := file.Mark(s.ID, doc.Pending, ""); err != nil {
				return err
			}
		}
	}
	if !found {
		return nil
	}
	whole, err := open.WholePlan(a, file.Text.Bytes())
	if err != nil {
		return err
	}
	return t.Write(planfile.File, whole)
}

// ChangesBack returns the changes that bring a declared package back to the release that it had before the last record
// that moved it, asked for as it was then.
func ChangesBack(ctx context.Context, a *open.View, name string) ([]project.Change, error) {
	records, err := a.Ledger.History(ctx)
	if err != nil {
		return nil, err
	}
	now := ""
	if a.Lock != nil {
		now = layout.RootVersion(a.Lock, name)
	}
	for _, r := range slices.Backward(records) {
		before, left, err := a.Ledger.Contents(r, a.LockFile())
		if err != nil {
			return nil, err
		}
		was, is := lockedIn(a, before, name), lockedIn(a, left, name)
		if was == "" || was == is || was == now {
			continue
		}
		old := map[open.DeclarationKey]string{}
		for _, f := range a.Manifest.Texts() {
			text, _, err := a.Ledger.Contents(r, f.Name)
			if err != nil {
				return nil, err
			}
			if m, err := a.Eco.ReadManifest(f.Name, text); text != nil && err == nil {
				for _, e := range m.Entries() {
					old[open.KeyOf(project.Group{Member: f.Member, Name: e.Group}.String(), e.As)] = e.Text
				}
			}
		}
		var changes []project.Change
		for _, e := range a.Manifest.Entries() {
			if e.As != name {
				continue
			}
			c := project.Change{Name: name, Group: e.Group, From: project.Point{Constraint: e.Text, Version: now},
				To: project.Point{Constraint: e.Text, Version: was}}
			if text, ok := old[open.KeyOf(e.Group, name)]; ok {
				c.To.Constraint = text
			}
			changes = append(changes, c)
		}
		if changes == nil {
			return nil, &input.UsageError{
				Reason: fmt.Sprintf("%s is not declared any more; molt back %s returns to before it went", name, r.Stage)}
		}
		return changes, nil
	}
	return nil, &input.UsageError{Reason: fmt.Sprintf("nothing that was carried out here moved %s", name)}
}

// lockedIn returns the version that a declared name has in the text of a lock, "" for none.
func lockedIn(a *open.View, data []byte, name string) string {
	if data == nil {
		return ""
	}
	l, err := a.DecodeLock(a.LockFile(), data)
	if err != nil {
		return ""
	}
	return layout.RootVersion(l, name)
}

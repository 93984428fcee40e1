package layout

import (
	"context"
	"fmt"

	"molt/app/config"
	"molt/app/open"
	"molt/app/run"
	"molt/app/tree"
	"molt/core/project"
	"molt/ecosystem"
	"molt/txn"
)

// Ready has the packages of the lock as it stands installed, where Molt lays them out, and else
// says how what is installed differs.
func (a *Site) Ready(ctx context.Context) (string, error) {
	text, err := a.Files.Content(a.LockFile())
	if err != nil || text == nil {
		return "", err
	}
	if a.LaysOut() {
		if commanded(a.View) { // which may take its time, and starts from nothing
			if says, err := InstalledDiffers(a.View, text); err != nil ||
				says == "" && a.Files.Exists(ecosystem.InstallFolder(a.Eco)) {
				return "", err
			}
		}
		return "", a.LayOut(ctx, a.Dir, text, nil)
	}
	return InstalledDiffers(a.View, text)
}

// Ran remembers that the checks passed with the packages of a lock, when all did that there were
// and Molt had laid the packages out.
func (a *Site) Ran(text []byte, verdicts []run.Verdict) error {
	checks := 0
	for _, v := range verdicts {
		if !v.Passed {
			return nil
		}
		if !v.Task {
			checks++
		}
	}
	if checks == 0 || !a.LaysOut() {
		return nil
	}
	lock, err := a.DecodeLock(a.LockFile(), text)
	if err != nil {
		return err
	}
	r := project.Passed{On: a.Now().UTC(), Lock: txn.Sum(text), Versions: map[string]string{}}
	for _, e := range lock.Roots {
		if v := RootVersion(lock, e.Name); v != "" {
			r.Versions[e.Name] = v
		}
	}
	return a.Runner().RememberRan(r)
}

// LayOut lays out the lock of a text: in the application, as part of a change, or in a copy of it.
func (a *Site) LayOut(ctx context.Context, dir string, text []byte, within *txn.Transaction) error {
	lock, err := a.DecodeLock(a.LockFile(), text)
	if err != nil {
		return err
	}
	files := a.Files
	if dir != a.Dir {
		if files, err = txn.OpenWorkspace(dir, a.User); err != nil {
			return err
		}
	}
	if commanded(a.View) {
		return a.installByCommand(ctx, files, lock, within)
	}
	_, err = layOut(ctx, a.archives, files, lock, tree.LayoutOrder{Within: within})
	if err != nil && !LaidOut(a.View) && open.Unobtainable(err) { // nobody asked for it
		a.NotLaidOut = fmt.Sprintf("the packages could not be laid out, so the checks ran without any (%v); \"install: "+
			"none\" "+
			"in %s says that nobody is to try", err, config.File)
		return nil
	}
	return err
}

// LaysOut says whether Molt lays packages out for checks: where they are its own, and where nothing
// is installed and nobody said otherwise, since checks would run on no packages.
func (a *Site) LaysOut() bool {
	return LaidOut(a.View) || installs(a.View) && a.NotLaidOut == "" && len(a.Config.Checks) > 0 &&
		!a.Files.Exists(ecosystem.InstallFolder(a.Eco))
}

// LayOutSides lays out the packages of the other sides, as they are locked, where Molt lays them
// out: in the application, or in a copy of it. The checks are those of all sides.
func (a *Site) LayOutSides(ctx context.Context, dir string) error {
	for _, s := range a.OtherSides() {
		side, err := open.OpenSide(a.View, s.Ecosystem)
		if err != nil {
			return err
		}
		text, err := side.Files.Content(side.LockFile())
		if err != nil {
			return err
		}
		from := side.Archives()
		other := NewSite(from)
		if text != nil && other.LaysOut() {
			err = other.LayOut(ctx, dir, text, nil)
		}
		from.Close()
		if err != nil {
			return err
		}
	}
	return nil
}

// Again is the site of the application as it was read again.
func (a *Site) Again(from *open.Archives) *Site {
	return &Site{View: from.View, NotLaidOut: a.NotLaidOut, archives: from}
}

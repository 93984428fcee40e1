package open

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"molt/app/config"
	"molt/app/ledger"
	"molt/app/planfile"
	"molt/app/userstate"
	"molt/app/vcs"
	"molt/core/project"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/registered"
	"molt/input"
	"molt/txn"
)

// Open reads an application. Nothing is written. A molt.lock of which the form is broken is an error; a missing one is
// not.
func Open(s Settings) (*View, error) {
	a, err := Configured(s)
	if err != nil {
		return nil, err
	}
	if a.Fixed, err = readFixed(a); err != nil {
		return nil, err
	}
	for _, name := range slices.Sorted(maps.Keys(a.Config.Stops)) {
		if elsewhere(a, name) {
			continue
		}
		for i, text := range a.Config.Stops[name] {
			if _, err := a.Eco.Scheme().Goal(text); err != nil {
				return nil, a.Config.Place.At(
					false, fmt.Sprintf("%q: expected a release by which to go, such as 4.2: %v", text, err), "stops", name, i)
			}
		}
	}
	for _, d := range a.Config.Runtime.All() {
		if elsewhere(a, d.Runtime) {
			continue
		}
		if err := knownRuntime(a, d.Runtime, d.Environment); err != nil {
			return nil, err
		}
		if _, err := version.Complete(a.Runtime(d.Runtime).Scheme, d.Version); err != nil {
			path := []any{"runtime", d.Environment, d.Runtime}
			if d.Environment == "" {
				path = []any{"runtime", d.Runtime}
			}
			return nil, a.Config.Place.At(
				false, fmt.Sprintf("%q: the deployed version of %s: expected one such as 20.11.1 or 20", d.Version, d.Runtime),
				path...)
		}
	}
	a.tree = sync.OnceValues(func() (ecosystem.Tree, error) { return ecosystem.Installed(a.Eco, a.Dir) })
	if err := read(a); err != nil {
		return nil, err
	}
	if err := checkProtocol(a); err != nil {
		return nil, err
	}
	if err := checkPlatforms(a); err != nil {
		return nil, err
	}
	return a, checkNames(a)
}

// Configured reads the configuration of an application and what follows from it, which is the
// ecosystem and the name of the lock, and neither manifests nor lock.
func Configured(s Settings) (*View, error) {
	a, err := openFolder(s)
	if err == nil {
		err = configure(a)
	}
	return a, err
}

func configure(a *View) error {
	data, err := a.Files.Read(config.File, input.Configuration)
	switch {
	case err == nil:
		if a.Config, err = config.Read(config.File, data); err != nil {
			return err
		}
	case !errors.Is(err, fs.ErrNotExist):
		return err
	}
	if a.Eco, err = ecosystemOf(a); err != nil {
		return err
	}
	countRaised(a, a.Settings.Env)
	a.planGoal = sync.OnceValue(func() string {
		data, err := a.ReadPlanText()
		if err != nil {
			return ""
		}
		return planfile.Goal(data)
	})
	a.otherSides = findOtherSides(a)
	if a.lockFile, err = findLock(a); err != nil {
		return err
	}
	return canonicalNames(a)
}

// openFolder opens the folder of an application and looks at nothing in it.
func openFolder(s Settings) (*View, error) {
	dir, err := filepath.Abs(s.Dir)
	if err != nil {
		return nil, err
	}
	if err := userstate.Own(cacheDir(s.Env), "MOLT_CACHE"); err != nil {
		return nil, err
	}
	if err := (userstate.State{Env: s.Env}).Own(); err != nil {
		return nil, err
	}
	a := &View{Dir: dir, Settings: s, User: userstate.State{Env: s.Env}, Repo: vcs.At(dir),
		consent: &consent{allowed: map[string]bool{}}}
	if a.Files, err = txn.OpenWorkspace(dir, a.User); err != nil {
		return nil, err
	}
	a.Files.Within = s.Within
	a.Ledger = ledger.Ledger{Files: a.Files, Repo: a.Repo}
	return a, nil
}

// checkNames looks whether the configuration speaks of packages that are there.
func checkNames(a *View) error {
	var declared, locked []string
	for _, e := range a.Manifest.Entries() {
		declared = append(declared, project.OwnName(e.As))
	}
	for _, s := range a.OtherSides() {
		declared = append(declared, s.Names...)
	}
	if a.Lock != nil && len(a.OtherSides()) == 0 {
		locked = []string{}
		for _, p := range a.Lock.Packages {
			locked = append(locked, p.Name)
		}
	}
	return a.Config.CheckNames(a.Config.Place, declared, locked)
}

// readFixed reads the inventory of what is given from outside. It has one version of a package.
func readFixed(a *View) (map[string]string, error) {
	if a.Config.Fixed == "" {
		return nil, nil
	}
	data, err := a.Files.Read(a.Config.Fixed, input.Inventory)
	if err != nil {
		return nil, a.Config.Place.At(false, "the inventory cannot be read: "+input.Cause(err), "fixed")
	}
	s, err := ReadInventory(a.Config.Fixed, data)
	if err != nil {
		return nil, err
	}
	fixed := map[string]string{}
	for name, versions := range s.Packages {
		if len(versions) > 1 {
			return nil, &input.UsageError{Reason: fmt.Sprintf("%s gives %s more than once", a.Config.Fixed, name)}
		}
		fixed[a.Canonical(name)] = versions[0]
	}
	return fixed, nil
}

// read reads the manifest and the lock.
func read(a *View) error {
	locked := readLock(a)
	defer locked.wait()
	texts, err := a.ManifestTexts()
	if err != nil {
		return err
	}
	marked, err := Marked(a, texts)
	if err == nil && marked != "" && !(a.Settings.Rebuild && marked == a.LockFile()) {
		if conflict, err := a.Repo.Unmerged(context.Background(), marked); err == nil && !conflict && marked != a.LockFile() {
			return &input.PositionError{File: marked, Line: 1, Column: 1,
				Reason: "it holds the marks of a conflict, and git is in no merge: take them out"}
		}
		return &input.UsageError{Reason: marked + " holds what git could not merge; molt relock resolves that"}
	}
	if a.Manifest, err = ecosystem.ReadManifests(a.Eco, texts); err != nil {
		return err
	}
	if err := readLimits(a); err != nil {
		return err
	}
	if err := readAlternatives(a); err != nil {
		return err
	}
	a.Lock, a.archived = nil, nil
	locked.wait()
	switch {
	case errors.Is(locked.unread, fs.ErrNotExist):
		return nil
	case locked.unread != nil:
		return locked.unread
	}
	if a.Lock, err = locked.lock, locked.err; err == nil {
		bind(a, a.Lock)
	} else {
		var newer *ecosystem.NewerLockError
		if a.Settings.Rebuild && !errors.As(err, &newer) {
			a.Lock, a.Broken = nil, err.Error()
			return nil
		}
		var place *input.PositionError
		if errors.As(err, &place) && place.File == a.LockFile() && !strings.Contains(place.Reason, "molt relock") {
			place.Reason += "; molt relock writes it anew"
		}
		return err
	}
	a.Forks = ForksOf(a, a.Lock)
	if a.archived, err = archivedIn(a, a.Lock); err != nil {
		return err
	}
	return a.Manifest.SetApart(a.Lock.Roots)
}

func ecosystemOf(a *View) (ecosystem.Ecosystem, error) {
	return EcosystemOf(cmp.Or(a.Settings.Ecosystem, a.Config.Ecosystem), a.Dir)
}

// EcosystemOf returns the ecosystem of a name; without one the first whose packages a folder declares, else the first.
func EcosystemOf(name, dir string) (ecosystem.Ecosystem, error) {
	if name != "" {
		return Named(name)
	}
	if all := sidesIn(dir); len(all) > 0 {
		return all[0].Ecosystem, nil
	}
	return registered.Ecosystems[0], nil
}

// Named returns the ecosystem of a name.
func Named(name string) (ecosystem.Ecosystem, error) {
	var names []string
	for _, e := range registered.Ecosystems {
		if e.Name() == name {
			return e, nil
		}
		names = append(names, e.Name())
	}
	return nil, &input.UsageError{Reason: fmt.Sprintf("unknown ecosystem %q; known: %s", name, strings.Join(names, ", "))}
}

// Warnings says what about the configuration asks for attention.
func Warnings(a *View) []string {
	var all []string
	_, ended := a.Config.Held(a.Now())
	for _, name := range ended {
		all = append(all, fmt.Sprintf("the hold on %s ended on %s and is no longer honoured",
			name, a.Config.Hold[name].Until))
	}
	_, ended = a.Config.Waived(a.Now())
	for _, name := range ended {
		all = append(all, fmt.Sprintf("the waiver of %s ended on %s and is no longer honoured",
			name, a.Config.Waive[name].Until))
	}
	all = append(all, a.Manifest.Notes()...)
	if a.Lock == nil {
		if name := otherLock(a); name != "" {
			all = append(all, fmt.Sprintf(
				"%s looks like the lock of another program; its releases are not read: molt relock starts from what is installed",
				name))
		}
	}
	if outer := outerWorkspace(a); outer != "" {
		all = append(all, fmt.Sprintf(
			"%s is a member of the workspace in %s, which has one lock for all; molt --dir %s works on all of it",
			filepath.Base(a.Dir), outer, outer))
	}
	return all
}

// Again is the application as it is on disk by now. It goes on with what this process has of the folder.
func (a *View) Again() (*View, error) {
	again, err := Open(a.Settings)
	if err != nil {
		return nil, err
	}
	again.Files, again.Ledger, again.consent, again.Repaired, again.absent = a.Files, a.Ledger, a.consent, a.Repaired,
		a.absent
	return again, nil
}

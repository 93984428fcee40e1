package layout

import (
	"context"
	"fmt"
	"maps"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"molt/app/config"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/run"
	"molt/app/tree"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/input"
	"molt/txn"
)

// commanded reports whether a command of the application's people installs its packages.
func commanded(a *open.View) bool {
	return a.Config.Install.By != "" && a.Config.Install.By != "molt" && a.Config.Install.By != "none"
}

// differing says how an installed tree differs from a lock.
func differing(a *open.View, lock *ecosystem.Lock, installed ecosystem.Tree) []open.Finding {
	return locking.CheckInstalled(a.Locked(lock), installed)
}

// An InstallOrder says what of the lock to install, and where.
type InstallOrder struct {
	Groups []string // of the manifest, nil for all
	Into   string   // another folder, which gets manifest, lock and source too; "" for the application's own
	// a link that is to lead to that folder in the end, "" for none; without such a folder, back to where it led before
	Current string
	Dry     bool
	Force   bool
	Watch   func(done, of int)
}

// An Installed is what an installation did, or would do.
type Installed struct {
	*tree.Report
	Copied int    // files of the application that the other folder got
	Former string // where the link led before, "" for nowhere
	Back   string // where it leads again, when it was only switched back
}

// A BuildError says which build step of a package failed.
type BuildError struct{ Release, Step, Says, Log string }

func (e *BuildError) Error() string {
	return fmt.Sprintf("the build step %s of %s failed: %s; whole output: %s", e.Step, e.Release, e.Says, e.Log)
}

// A builder runs build steps in a folder.
type builder struct {
	*open.View
	eco   ecosystem.Installer
	files *txn.Workspace
}

// build runs the build steps of a release that stands in a folder. What they start ends with them,
// and they have ten minutes each.
func (b *builder) build(ctx context.Context, folder string, p *ecosystem.LockedPackage, steps []string) error {
	a, e, files := b.View, b.eco, b.files
	manifest, err := input.ReadFile(filepath.Join(folder, e.Manifest()), input.Manifest)
	if err != nil {
		return err
	}
	rel, err := filepath.Rel(files.Dir, folder)
	if err != nil {
		return err
	}
	for _, step := range steps {
		line, env := e.BuildCommand(files.Dir, folder, manifest, step)
		if line == "" {
			continue
		}
		r := open.BareRunner(a, files)
		r.Permit = func(ctx context.Context, j run.Job) error { // the package decides what its step does
			j.Name, j.Run = p.Name, ""
			return open.Permit(ctx, a, j)
		}
		command := config.Check{Name: p.Name + " " + step, Run: line, Folder: filepath.ToSlash(rel), Env: env}
		v, err := r.One(ctx, run.Job{Check: command, Kind: run.BuildJob, Dir: files.Dir, Stage: "build"}, nil)
		if err != nil {
			return err
		}
		if !v.Passed {
			return &BuildError{p.Name + "@" + p.Version, step, v.Says, v.Log}
		}
	}
	return nil
}

// A Site is where the packages of an application are laid out for its checks, for the time of one call.
type Site struct {
	*open.View
	// NotLaidOut says why packages that nobody asked to have laid out could not be; "" where they
	// could. Then nobody tries again.
	NotLaidOut string
	archives   *open.Archives
}

// NewSite is a site of an application, with where its archives come from.
func NewSite(from *open.Archives) *Site { return &Site{View: from.View, archives: from} }

// layOut lays out a lock in a folder.
func layOut(ctx context.Context, from *open.Archives, files *txn.Workspace, lock *ecosystem.Lock,
	order tree.LayoutOrder) (*tree.Report, error) {
	a := from.View
	lock = lock.Whole().Chosen()
	order.Copies, order.Compile = a.Config.Install.Copies(), a.Config.Install.Compiles()
	if flat, ok := a.Eco.(ecosystem.Flat); ok {
		t, err := from.Environment(flat, files)
		if err != nil {
			return nil, err
		}
		order.Offline = a.Settings.Offline
		return t.Install(ctx, lock, order)
	}
	installer, can := a.Eco.(ecosystem.Installer)
	if !can {
		return nil, &input.UsageError{Reason: fmt.Sprintf("Molt does not install packages of %s", a.Eco.Name())}
	}
	kept, err := a.Store()
	if err != nil {
		return nil, err
	}
	t := &tree.Tree{Files: files, Store: kept, Eco: installer, Overridden: lock.Overrides, Download: from.Download}
	order.Offline = a.Settings.Offline
	if len(a.Config.Build) > 0 {
		order.Builds = func(name string) bool { return slices.Contains(a.Config.Build, name) }
		order.Build = func(ctx context.Context, folder string, p *ecosystem.LockedPackage, steps []string) error {
			return (&builder{a, installer, files}).build(ctx, folder, p, steps)
		}
	}
	return t.Install(ctx, lock, order)
}

// LaidOut says whether the installed packages of this application are Molt's: people say so under
// "install:", or it laid them out.
func LaidOut(a *open.View) bool {
	return installs(a) && (a.Config.Install.By != "" ||
		a.Files.Exists(path.Join(ecosystem.InstallFolder(a.Eco), tree.RecordFile)))
}

func installs(a *open.View) bool {
	_, can := a.Eco.(ecosystem.Installer)
	_, flat := a.Eco.(ecosystem.Flat)
	return (can || flat) && a.Config.Install.By != "none"
}

// InstalledDiffers says how what is installed is not what a lock has, "" where it is, and where nothing is installed.
func InstalledDiffers(a *open.View, text []byte) (string, error) {
	installed, err := ecosystem.Installed(a.Eco, a.Dir)
	if err != nil || installed == nil {
		return "", err
	}
	lock, err := a.DecodeLock(a.LockFile(), text)
	if err != nil {
		return "", err
	}
	found := differing(a, lock, installed)
	if len(found) == 0 {
		return "", nil
	}
	return fmt.Sprintf("what is installed is not what the lock says (%s); install it and check again, or have Molt do "+
		"it: \"install: molt\" in %s", a.Say(found[0].Says), config.File), nil
}

// lockFor returns the lock with the roots of some groups only; it must have been made for the manifest as it stands.
func lockFor(a *open.View, groups []string) (*ecosystem.Lock, error) {
	if a.Lock == nil {
		return nil, &input.UsageError{Reason: fmt.Sprintf("there is no %s; molt relock writes one", a.LockFile())}
	}
	if _, marked := a.Eco.(ecosystem.Flat); a.Lock.Edgeless && (!marked || groups != nil) {
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("%s does not tell what packages need, so it cannot be laid out in part", a.LockFile())}
	}
	if err := locking.StrongEnough(a, a.Lock); err != nil {
		return nil, err
	}
	if drift := locking.Drift(a); len(drift) > 0 {
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("%s was not made for the manifest as it stands: %s; molt relock makes it anew", a.LockFile(),
				a.Say(drift[0].Says))}
	}
	if groups == nil {
		return a.Lock, nil
	}
	known := slices.Collect(maps.Keys(a.Manifest.Included()))
	slices.Sort(known)
	for _, r := range a.Lock.Roots {
		if bare := project.GroupOf(r.Group).Name; !slices.Contains(known, bare) {
			known = append(known, bare)
		}
	}
	for _, g := range groups {
		if !slices.Contains(known, g) {
			return nil, &input.UsageError{
				Reason: fmt.Sprintf("--only %s: the lock has no declarations of that group; it has %s",
					g, strings.Join(known, ", "))}
		}
	}
	included := a.Manifest.Included()
	for _, g := range slices.Clone(groups) {
		groups = append(groups, included[g]...)
	}
	for _, list := range a.Lock.Alternatives {
		both := slices.DeleteFunc(slices.Clone(list), func(g string) bool { return !slices.Contains(groups, g) })
		if len(both) < 2 {
			continue
		}
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("--only %s: %s and %s are alternatives, of which at most one is installed",
				strings.Join(both, ","), both[0], both[1])}
	}
	some := *a.Lock.Whole()
	some.Roots = slices.DeleteFunc(slices.Clone(some.Roots), func(e solve.Edge) bool {
		bare := project.GroupOf(e.Group).Name
		return !slices.Contains(groups, bare)
	})
	return &some, nil
}

func RootVersion(l *ecosystem.Lock, name string) string {
	if n := l.Resolution().Root(name); n != nil {
		return n.Version
	}
	return ""
}

// locked returns the packages of a lock with their files, at whole addresses.
func locked(a *open.View, from *open.Archives, l *ecosystem.Lock) (universe.Table, error) {
	table, err := l.Universe(a.Eco)
	if err != nil {
		return nil, err
	}
	for _, p := range l.Packages {
		if universe.NameOf(p.Name).Extra != "" { // it has no files of its own
			delete(table, p.Name)
			continue
		}
		r := table[p.Name].Release(p.Version)
		if r == nil {
			return nil, fmt.Errorf("%s is not in the lock as it was read", p.ID)
		}
		r.Files = []universe.File{{Address: p.Source, Integrity: p.Integrity, When: p.When}}
		if len(p.Files) > 0 {
			r.Files = slices.Clone(p.Files)
		}
		for i := range r.Files {
			if f := &r.Files[i]; !strings.Contains(f.Address, "://") {
				client, err := from.RegistryOf(p.Name)
				if err != nil {
					return nil, err
				}
				f.Address = client.Base() + "/" + f.Address
			}
		}
	}
	return table, nil
}

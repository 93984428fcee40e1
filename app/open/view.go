// Package open reads an application on disk: its manifests, lock and configuration, where it is
// deployed, and the registry as this application may see it. It decides nothing about releases.
// What changes an application stands on it: locking, layout, change and stages, each on those
// before it. The files of an application are the business of packages of their own: config,
// planfile, ledger, yamlfile; run runs the commands that judge a stage, and txn writes all of a
// change or nothing.
package open

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"molt/app/config"
	"molt/app/ledger"
	"molt/app/planfile"
	"molt/app/userstate"
	"molt/app/vcs"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/registered"
	"molt/input"
	"molt/txn"
)

// A View is an application as it was when it was opened: one ecosystem of a folder, with all that
// its files say. It never changes, and neither does what it points to. Again reads what is on disk
// by now; the other methods that return a View return another one.
type View struct {
	Dir      string // the folder, as an absolute path
	Eco      ecosystem.Ecosystem
	Config   config.Config
	Manifest *ecosystem.Manifests
	Lock     *ecosystem.Lock   // nil where there is none
	Fixed    map[string]string // releases that are given from outside, by package
	Settings Settings
	Broken   string // why the lock cannot be read, where it is to be made again; "" where it can
	Repaired string // what was repaired when the folder was taken into use, "" for nothing

	// Forks are the packages that have a release of their own in some environments, as the lock or Forked has them.
	Forks ecosystem.Forks
	// Alternatives are groups of which people install at most one of each list.
	Alternatives [][]string

	// What reads and writes the folder.
	Files  *txn.Workspace
	Repo   vcs.Repo
	Ledger ledger.Ledger
	User   userstate.State

	lockFile string            // the name of the lock's file
	spelled  map[string]string // names of held packages that the configuration spells otherwise
	limits   []limit           // what files of constraints say
	absent   []string          // optional packages that no registry has; from Question.Without
	// archived is what archives hold that declarations name, by the text of the declaration; from
	// the lock, and from WithArchives.
	archived map[string][]*universe.Package
	consent  *consent // what may run in this call

	// These are looked up when somebody asks, and once.
	tree       func() (ecosystem.Tree, error) // what is installed; nil for nothing
	otherSides func() []Side                  // the other ecosystems of the folder
	planGoal   func() string                  // the goal that the plan names, "" for none
}

// Settings are what one call of Molt says about how to work.
type Settings struct {
	Dir        string
	Ecosystem  string
	Offline    bool
	Since      time.Time // answers of the registry from before are asked for again; zero for none
	AsOf       time.Time // releases published later do not exist; zero for now
	Jobs       int
	Detailed   bool // all that registries say of every package is wanted
	Allow      bool // credentials may go to the registry that the repository names, from now on
	AllowPlain bool // credentials may be sent over plain HTTP
	// AcceptOrigin says that packages may come from another registry than when they were locked.
	AcceptOrigin bool
	// AllowCommands says that what the folder wants run may run, from now on; AskConsent asks the person, and may be nil.
	AllowCommands bool
	AskConsent    func([]Line) bool
	Rebuild       bool      // a lock that cannot be read is taken for none
	Builds        bool      // releases may be built to know what they need; a call that only reads builds nothing
	Within        *txn.Span // what the changes are part of; nil for nothing
	Env           func(string) string
}

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

// Installed returns what is installed, which is read once; nil when nothing is.
func (a *View) Installed() (ecosystem.Tree, error) { return a.tree() }

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

func (a *View) Path(name string) string { return filepath.Join(a.Dir, name) }

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

func (a *View) Now() time.Time {
	if !a.Settings.AsOf.IsZero() {
		return a.Settings.AsOf
	}
	return time.Now()
}

// CacheDir returns the folder of the registry cache: MOLT_CACHE, else the user's cache folder, else none.
func (a *View) CacheDir() string { return cacheDir(a.Settings.Env) }

func cacheDir(env func(string) string) string {
	if env == nil {
		env = os.Getenv
	}
	if dir := env("MOLT_CACHE"); dir != "" {
		return dir
	}
	if dir, err := os.UserCacheDir(); err == nil {
		return filepath.Join(dir, "molt")
	}
	return ""
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

// Offline is the application for looking at what the cache holds, and no further.
func (a *View) Offline() *View {
	b := *a
	b.Settings.Offline = true
	return &b
}

// Declaring is the application with other manifests, without a lock, and with nothing installed.
func (a *View) Declaring(m *ecosystem.Manifests) *View {
	b := *a
	b.Manifest, b.Lock = m, nil
	b.tree = func() (ecosystem.Tree, error) { return nil, nil }
	return &b
}

// Locked is the application with another lock than the one on disk.
func (a *View) Locked(l *ecosystem.Lock) *View {
	b := *a
	b.Lock = l
	return &b
}

// Package open reads an application on disk: its manifests, lock and configuration, where it is deployed, and the registry as
// this application may see it. It decides nothing about releases. What changes an application stands on it: locking, layout,
// change and stages, each on those before it. The files of an application are the business of packages of their own: config,
// planfile, ledger, yamlfile; run runs the commands that judge a stage, and txn writes all of a change or nothing.
package open

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
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
	"molt/ecosystem"
	"molt/ecosystem/js"
	"molt/ecosystem/python"
	"molt/input"
	"molt/registry"
	"molt/txn"
)

// Ecosystems lists what Molt knows; a new one is one more line.
var Ecosystems = []ecosystem.Ecosystem{
	js.JS{},
	python.Python{},
}

// An App is an application on disk.
type App struct {
	Dir        string
	Eco        ecosystem.Ecosystem
	Config     config.Config
	Manifest   *ecosystem.Manifests
	Lock       *ecosystem.Lock   // nil when there is none
	Fixed      map[string]string // releases given from outside, by package
	Settings   Settings
	Registries *registry.Registries // while a source is open
	Opened     ecosystem.Source     // the same
	Files      *txn.Workspace
	Repo       vcs.Repo
	Ledger     ledger.Ledger
	User       userstate.State
	Unlaid     string          // why packages that nobody asked for could not be laid out, "" where they could
	UnlaidTold bool            // that was said
	HidingTold bool            // so was what programs of packages hide
	Guides     []project.Guide // from LoadAdvice
	// unsettled is the source with releases that have not settled yet, while one is open that hides them; else nil.
	Unsettled    universe.Source
	Tree         func() (ecosystem.Tree, error)
	goal         planGoal                                      // as the plan named it when it was read last
	spelled      map[string]string                             // names of held packages that the configuration spells otherwise
	withheld     []string                                      // the registries that get no credentials
	Presumed     project.Runtimes                              // from Presume
	Grounds      map[string]string                             // why
	limits       []limit                                       // what files of constraints say
	lockFile     string                                        // its name
	besides      func() []Side                                 // see beside
	seen         func(project.Runtimes) universe.Source        // see project.Application.Seen; while a source is open
	Wide         func([]ecosystem.Environment) universe.Source // what a source has for other environments; while it is open
	archived     map[string][]*universe.Package                // what archives hold that declarations name, by the text of the declaration; from the lock, and from Archived
	Absent       []string                                      // optional packages that the registry lacks; from CheckDeclared
	Forks        ecosystem.Forks                               // packages that are resolved apart in some environments
	Alternatives [][]string                                    // groups of which people install at most one of each list
	consent      *consent
	Broken       string // why the lock cannot be read, where it is to be made anew; "" where it can
	Repaired     string // what was repaired when the folder was taken into use, "" for nothing
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
func Open(s Settings) (*App, error) {
	a, err := OpenFolder(s)
	if err != nil {
		return nil, err
	}
	if err := a.Configure(); err != nil {
		return nil, err
	}
	if a.Fixed, err = a.readFixed(); err != nil {
		return nil, err
	}
	for _, name := range slices.Sorted(maps.Keys(a.Config.Stops)) {
		if a.elsewhere(name) {
			continue
		}
		for i, text := range a.Config.Stops[name] {
			if _, err := a.Eco.Scheme().Goal(text); err != nil {
				return nil, a.Config.Place.At(false, fmt.Sprintf("%q: expected a release by which to go, such as 4.2: %v", text, err), "stops", name, i)
			}
		}
	}
	for _, d := range a.Config.Runtime.All() {
		if a.elsewhere(d.Runtime) {
			continue
		}
		if err := a.knownRuntime(d.Runtime, d.Environment); err != nil {
			return nil, err
		}
		if _, err := a.Runtime(d.Runtime).Scheme.Complete(d.Version); err != nil {
			path := []any{"runtime", d.Environment, d.Runtime}
			if d.Environment == "" {
				path = []any{"runtime", d.Runtime}
			}
			return nil, a.Config.Place.At(false, fmt.Sprintf("%q: the deployed version of %s: expected one such as 20.11.1 or 20", d.Version, d.Runtime), path...)
		}
	}
	a.Tree = sync.OnceValues(func() (ecosystem.Tree, error) { return ecosystem.Installed(a.Eco, a.Dir) })
	if err := a.Read(); err != nil {
		return nil, err
	}
	if err := a.checkPlatforms(); err != nil {
		return nil, err
	}
	return a, a.checkNames()
}

// Configure reads the configuration and what follows from it: the ecosystem, and the name of the lock.
func (a *App) Configure() error {
	data, err := a.Files.Read(config.File, input.Configuration)
	switch {
	case err == nil:
		if a.Config, err = config.Read(config.File, data); err != nil {
			return err
		}
	case !errors.Is(err, fs.ErrNotExist):
		return err
	}
	if a.Eco, err = a.ecosystem(); err != nil {
		return err
	}
	a.countRaised(a.Settings.Env)
	a.besides = a.findBeside()
	if a.lockFile, err = a.findLock(); err != nil {
		return err
	}
	return a.canonicalNames()
}

// OpenFolder opens the folder of an application and looks at nothing in it.
func OpenFolder(s Settings) (*App, error) {
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
	a := &App{Dir: dir, Settings: s, User: userstate.State{Env: s.Env}, Repo: vcs.At(dir), consent: &consent{allowed: map[string]bool{}}}
	if a.Files, err = txn.OpenWorkspace(dir, a.User); err != nil {
		return nil, err
	}
	a.Files.Within = s.Within
	a.Ledger = ledger.Ledger{Files: a.Files, Repo: a.Repo}
	return a, nil
}

// checkNames looks whether the configuration speaks of packages that are there.
func (a *App) checkNames() error {
	var declared, locked []string
	for _, e := range a.Manifest.Entries() {
		declared = append(declared, project.OwnName(e.As))
	}
	for _, s := range a.Beside() {
		declared = append(declared, s.Names...)
	}
	if a.Lock != nil && len(a.Beside()) == 0 {
		locked = []string{}
		for _, p := range a.Lock.Packages {
			locked = append(locked, p.Name)
		}
	}
	return a.Config.CheckNames(a.Config.Place, declared, locked)
}

// Installed returns what is installed, which is read once; nil when nothing is.
func (a *App) Installed() (ecosystem.Tree, error) { return a.Tree() }

// readFixed reads the inventory of what is given from outside. It has one version of a package.
func (a *App) readFixed() (map[string]string, error) {
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
		fixed[a.Eco.Canonical(name)] = versions[0]
	}
	return fixed, nil
}

// Read reads the manifest and the lock.
func (a *App) Read() error {
	locked := a.readLock()
	defer locked.wait()
	texts, err := a.ManifestTexts()
	if err != nil {
		return err
	}
	marked, err := a.Marked(texts)
	if err == nil && marked != "" && !(a.Settings.Rebuild && marked == a.LockFile()) {
		if conflict, err := a.Repo.Unmerged(context.Background(), marked); err == nil && !conflict && marked != a.LockFile() {
			return &input.PositionError{File: marked, Line: 1, Column: 1, Reason: "it holds the marks of a conflict, and git is in no merge: take them out"}
		}
		return &input.UsageError{Reason: marked + " holds what git could not merge; molt relock resolves that"}
	}
	if a.Manifest, err = ecosystem.ReadManifests(a.Eco, texts); err != nil {
		return err
	}
	if err := a.readLimits(); err != nil {
		return err
	}
	if err := a.readAlternatives(); err != nil {
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
		a.bind(a.Lock)
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
	a.Forks = a.ForksOf(a.Lock)
	if a.archived, err = a.archivedIn(a.Lock); err != nil {
		return err
	}
	return a.Manifest.Seclude(a.Lock.Roots)
}

// LockFile is the name of the file that has the lock.
func (a *App) LockFile() string { return a.lockFile }

// findLock returns that name: what the configuration says, else the usual one, unless the folder has one alone of another name that a lock may have.
func (a *App) findLock() (string, error) {
	usual := a.Eco.Lock()
	namer, ok := a.Eco.(ecosystem.LockNamer)
	if name := a.Config.Lock; name != "" {
		if slices.ContainsFunc(a.Beside(), func(s Side) bool {
			n, ok := s.Ecosystem.(ecosystem.LockNamer)
			return ok && n.IsLock(name)
		}) {
			return usual, nil
		}
		if name != usual && (!ok || !namer.IsLock(name)) {
			return "", a.Config.Place.At(false, fmt.Sprintf("%q: no lock of %s has such a name; the usual one is %s", name, a.Eco.Name(), usual), "lock")
		}
		return name, nil
	}
	if !ok || a.Files.Exists(usual) {
		return usual, nil
	}
	entries, err := os.ReadDir(a.Dir)
	if err != nil {
		return "", err
	}
	var names []string
	for _, e := range entries {
		if namer.IsLock(e.Name()) {
			names = append(names, e.Name())
		}
	}
	switch len(names) {
	case 0:
		return usual, nil
	case 1:
		return names[0], nil
	}
	return "", &input.UsageError{Reason: fmt.Sprintf("%s are locks, and nothing says which is the application's: \"lock: %s\" in %s would", strings.Join(names, ", "), names[0], config.File)}
}

// DecodeLock reads a lock of the application, as it is or was.
func (a *App) DecodeLock(file string, data []byte) (*ecosystem.Lock, error) {
	l, err := a.Eco.DecodeLock(file, data)
	if err == nil {
		a.bind(l)
	}
	return l, err
}

// A lockReading is the lock as it is being read, while something else is.
type lockReading struct {
	done   chan struct{}
	unread error // why the file cannot be read
	lock   *ecosystem.Lock
	err    error // what is wrong in it
}

// readLock begins to read the lock, which takes as long as reading the manifest does.
func (a *App) readLock() *lockReading {
	r := &lockReading{done: make(chan struct{})}
	go func() {
		defer close(r.done)
		var data []byte
		if data, r.unread = a.Files.Read(a.LockFile(), input.Lock); r.unread == nil {
			r.lock, r.err = a.Eco.DecodeLock(a.LockFile(), data)
		}
	}()
	return r
}

func (r *lockReading) wait() { <-r.done }

// bind leads the declarations to the packages of a lock that does not tell that itself.
func (a *App) bind(l *ecosystem.Lock) {
	l.Bind(a.Manifest.Entries(), func(when, only string) bool {
		c, ok := a.Eco.(ecosystem.Conditional)
		return !ok || when == "" || slices.ContainsFunc(a.Environments(), func(e ecosystem.Environment) bool {
			return c.Holds(when, []ecosystem.Environment{e}) && c.Holds(only, []ecosystem.Environment{e})
		})
	})
}

func (a *App) Path(name string) string { return filepath.Join(a.Dir, name) }

func (a *App) ecosystem() (ecosystem.Ecosystem, error) {
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
	return Ecosystems[0], nil
}

// Named returns the ecosystem of a name.
func Named(name string) (ecosystem.Ecosystem, error) {
	var names []string
	for _, e := range Ecosystems {
		if e.Name() == name {
			return e, nil
		}
		names = append(names, e.Name())
	}
	return nil, &input.UsageError{Reason: fmt.Sprintf("unknown ecosystem %q; known: %s", name, strings.Join(names, ", "))}
}

// Declared returns the manifest's declarations.
func (a *App) Declared() []project.Declared {
	return a.DeclaredIn(a.Manifest)
}

// DeclaredIn lists what manifests declare for some environment of the application.
func (a *App) DeclaredIn(m *ecosystem.Manifests) []project.Declared {
	return a.DeclaredFor(m, a.Environments())
}

// Stated states an entry of a manifest for the core.
func (a *App) Stated(e ecosystem.Entry) project.Declared {
	d := project.Declared{Demand: e.Demand, Group: e.Group, File: e.File, Apart: e.Apart, Own: e.Own, Absent: slices.Contains(a.Absent, e.Package)}
	if p := a.archived[e.Text]; p != nil && e.Foreign {
		d.Package, d.Foreign = p[0].Name, false
	}
	if f, ok := a.Eco.(ecosystem.Forker); ok && len(a.Forks) > 0 {
		for i, one := range f.Forked(e.Demand, e.Group, a.Forks, a.divided()) {
			if i == 0 {
				d.Demand = one
				if e.As == e.Package { // alternatives may declare a package each, and have releases of their own
					d.As = one.Package
				}
			} else {
				d.Forks = append(d.Forks, one.Package)
			}
		}
	}
	return d
}

// runtimes lists the runtimes that an ecosystem knows.
func runtimes(e ecosystem.Ecosystem) []project.Runtime {
	var all []project.Runtime
	for _, r := range ecosystem.Runtimes(e) {
		all = append(all, r.Runtime)
	}
	return all
}

// Application gives the core what it has to know.
func (a *App) Application() project.Application {
	held, _ := a.Config.Held(a.Now())
	apart := a.apartNames()
	u := project.Application{Scheme: a.Eco.Scheme(), Tenancy: a.Eco.Tenancy(), Declared: a.Declared(), Runtimes: a.deployed(), Presumed: a.Presumed, Grounds: a.Grounds, Trusted: apart(a.Config.Trust), Minors: apart(a.Config.Minors()),
		Stops: a.Config.Stops, Previews: a.Config.Previews, Known: runtimes(a.Eco), Kin: func(name string) project.Kin { return ecosystem.Kin(a.Eco)(project.OwnName(name)) }, Held: apart(held), Reasons: a.Config.Reasons(), Families: a.Config.Family, Fixed: a.Fixed, Rules: a.Config.Rules.Rules(a.Now()), Guides: a.Guides, Pins: a.Pins(), Frameworks: a.Frameworks()}
	u.Waived, _ = a.Config.Waived(a.Now())
	u.Linked = slices.Sorted(maps.Values(a.Manifest.Linked()))
	u.Seen = a.seen
	if c, err := a.Runner().Remembered(); err == nil { // what cannot be read proves nothing
		u.Ran = c.Ran
	}
	u.Uncapped = a.Config.Stages.Caps == "lift"
	u.Overrides = a.Manifest.Overrides()
	for _, o := range u.Overrides {
		if o.Shared && o.By == "" {
			u.Frameworks = append(u.Frameworks, o.As)
		}
	}
	for name, reason := range a.Config.Reasons() {
		for _, other := range apart([]string{name})[1:] {
			u.Reasons[other] = reason
		}
	}
	if a.Lock != nil {
		u.Locked = a.Lock.Resolution()
		u.Edgeless = a.Lock.Edgeless
		u.Overridden = !maps.Equal(a.Lock.Overrides, Written(a.Manifest.Overrides())) ||
			slices.ContainsFunc(slices.Collect(maps.Keys(a.Lock.Waived)), func(key string) bool { _, still := Waived(u.Waived)[key]; return !still })
		return u
	}
	if tree, err := a.Installed(); err == nil && tree != nil { // what cannot be read is no baseline
		u.OnDisk = ecosystem.Versions(tree)
	}
	return u
}

// GoalText is the goal that the plan names, else that of the configuration; "" for none.
func (a *App) GoalText() string {
	if data, err := a.ReadPlanText(); err == nil {
		if goal := planfile.Goal(data); goal != "" {
			return goal
		}
	}
	return strings.Join(a.Configured(), " ")
}

// Framework names the package that the goal is about, "" where there is no goal.
func (a *App) Framework() string {
	for _, name := range a.Frameworks() {
		return name
	}
	return ""
}

// Frameworks names what goals are about: that of the configuration, and that of the plan. A plan of which the head cannot be read
// names none.
func (a *App) Frameworks() []string {
	var names []string
	goals := []string{strings.Join(a.Configured(), " ")}
	if data, err := a.ReadPlanText(); err == nil {
		if !bytes.Equal(data, a.goal.plan) { // it is asked for at every solve, and seldom changes
			a.goal.plan, a.goal.text = data, planfile.Goal(data)
		}
		goals = append(goals, a.goal.text)
	}
	for _, text := range goals {
		if words := strings.Fields(text); len(words) > 0 {
			if name := a.ParseGoal(words[0]).Name; !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	return names
}

// Pins lists the versions of runtimes and tools that files of the application name; what cannot be read names none.
func (a *App) Pins() []project.Pin {
	return ecosystem.Pins(a.Eco, os.DirFS(a.Dir), a.Manifest)
}

// Warnings says what about the configuration asks for attention.
func (a *App) Warnings() []string {
	var all []string
	_, ended := a.Config.Held(a.Now())
	for _, name := range ended {
		all = append(all, fmt.Sprintf("the hold on %s ended on %s and is no longer honoured", name, a.Config.Hold[name].Until))
	}
	_, ended = a.Config.Waived(a.Now())
	for _, name := range ended {
		all = append(all, fmt.Sprintf("the waiver of %s ended on %s and is no longer honoured", name, a.Config.Waive[name].Until))
	}
	all = append(all, a.Manifest.Notes()...)
	if a.Lock == nil {
		if name := a.otherLock(); name != "" {
			all = append(all, fmt.Sprintf("%s looks like the lock of another program; its releases are not read: molt relock starts from what is installed", name))
		}
	}
	if outer := a.outerWorkspace(); outer != "" {
		all = append(all, fmt.Sprintf("%s is a member of the workspace in %s, which has one lock for all; molt --dir %s works on all of it", filepath.Base(a.Dir), outer, outer))
	}
	return all
}

// lockLike is what files are called that have the lock of some program.
var lockLike = regexp.MustCompile(`(?i)(^|[-._])lock([-._]|$)|\.lockb?$`)

// otherLock returns the name of a file in the folder that looks like another program's lock; "" for none.
func (a *App) otherLock() string {
	entries, err := os.ReadDir(a.Dir)
	if err != nil {
		return ""
	}
	for _, e := range entries {
		if e.Type().IsRegular() && e.Name() != a.LockFile() && lockLike.MatchString(e.Name()) && !slices.ContainsFunc(Ecosystems, func(x ecosystem.Ecosystem) bool { return x.Lock() == e.Name() }) {
			return e.Name()
		}
	}
	return ""
}

func (a *App) Now() time.Time {
	if !a.Settings.AsOf.IsZero() {
		return a.Settings.AsOf
	}
	return time.Now()
}

// Source opens the registry. Dates are wanted for the named packages, and for all when the call or the configuration
// depends on them. The caller closes what is returned.
func (a *App) Source(ctx context.Context, dated []string) (universe.Source, func(), error) {
	registries, err := a.openRegistries()
	if err != nil {
		return nil, nil, err
	}
	settle, err := a.Config.SettleAge()
	if err != nil {
		registries.Close()
		return nil, nil, err
	}
	a.Registries = registries
	aged := settle > 0 || !a.Settings.AsOf.IsZero()
	builds, _ := a.builds()
	open := func(environments []ecosystem.Environment) ecosystem.Source {
		return a.Eco.Open(ctx, registries, ecosystem.Detail{Builds: builds, Build: a.buildSource, Everything: aged || a.Settings.Detailed || a.Config.Rules.Detailed(),
			Packages: dated, Environments: ecosystem.Divided(environments, a.Alternatives), Forks: a.Forks})
	}
	opened := open(a.Environments())
	others := map[string]ecosystem.Source{} // for other runtimes, by environments
	closeAll := func() {
		for _, s := range others {
			s.Close()
		}
		opened.Close()
		registries.Close()
		a.Registries, a.Opened, a.Unsettled, a.seen, a.Wide = nil, nil, nil, nil, nil
	}
	a.Opened = opened
	bind := func(opened ecosystem.Source) universe.Source {
		return universe.Overridden(a.limited(a.reinstated(a.withArchived(opened))), a.Manifest.Overrides())
	}
	settled := func(bound universe.Source) universe.Source { return bound }
	bound := bind(opened)
	if _, ok := a.Eco.(ecosystem.Conditional); ok {
		usual, first := fmt.Sprint(a.Environments()), bound
		a.seen = func(runtimes project.Runtimes) universe.Source { return a.Wide(a.environmentsAt(runtimes)) }
		a.Wide = func(environments []ecosystem.Environment) universe.Source {
			key := fmt.Sprint(environments)
			if key == usual || environments == nil {
				return settled(first)
			}
			if others[key] == nil {
				others[key] = open(environments)
			}
			return settled(bind(others[key]))
		}
	}
	if !aged {
		return bound, closeAll, nil
	}
	limit := a.Now().Add(-settle)
	locked := map[string]bool{}
	if a.Lock != nil {
		for _, p := range a.Lock.Packages {
			locked[p.Name+"@"+p.Version] = true
		}
	}
	if settle > 0 && a.Settings.AsOf.IsZero() {
		a.Unsettled = bound
	}
	reason := fmt.Sprintf("were published after %s", limit.Format(time.DateOnly))
	if settle > 0 {
		reason = fmt.Sprintf("are younger than %s, which %s asks for under \"settle:\"", a.Config.Settle, config.File)
	}
	settled = func(bound universe.Source) universe.Source {
		return universe.FilterFor(bound, reason, func(name string, r *universe.Release) bool {
			return !r.Published.After(limit) || a.Fixed[name] == r.Version.String() || locked[name+"@"+r.Version.String()] && a.Settings.AsOf.IsZero()
		})
	}
	return settled(bound), closeAll, nil
}

// CacheDir returns the folder of the registry cache: MOLT_CACHE, else the user's cache folder, else none.
func (a *App) CacheDir() string { return cacheDir(a.Settings.Env) }

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

// DeclaredPackages returns the names of the packages that the manifest declares from the registry.
func (a *App) DeclaredPackages() []string {
	var names []string
	for _, d := range a.Declared() {
		if project.Registered(d) {
			names = append(names, d.Package)
		}
	}
	return names
}

// Runtime returns the runtime of a name. One that the ecosystem doesn't know has the versions that packages have.
func (a *App) Runtime(name string) project.Runtime {
	for _, r := range ecosystem.Runtimes(a.Eco) {
		if r.Name == name {
			return r.Runtime
		}
	}
	return project.Runtime{Name: name, Scheme: a.Eco.Scheme()}
}

// Suits reports whether a version of a runtime meets what is required of it.
func (a *App) Suits(runtime, requirement, version string) bool {
	return a.Runtime(runtime).Suits(requirement, version)
}

// RuntimeHere asks the language runtime on this machine for its version; "" when there is none.
func (a *App) RuntimeHere(ctx context.Context) (name, version string) {
	for _, r := range ecosystem.Runtimes(a.Eco) {
		if len(r.Ask) == 0 {
			continue
		}
		out, err := exec.CommandContext(ctx, r.Ask[0], r.Ask[1:]...).Output()
		if err != nil {
			continue
		}
		if v, err := r.Scheme.Parse(strings.TrimSpace(string(out))); err == nil {
			return r.Name, v.String()
		}
	}
	return "", ""
}

// Reread reads configuration, manifest and lock again.
func (a *App) Reread() error {
	again, err := Open(a.Settings)
	if err != nil {
		return err
	}
	a.Config, a.Manifest, a.Lock, a.Fixed, a.spelled = again.Config, again.Manifest, again.Lock, again.Fixed, again.spelled
	return nil
}

// DeclaredFor is declaredIn for some environments.
func (a *App) DeclaredFor(m *ecosystem.Manifests, environments []ecosystem.Environment) (all []project.Declared) {
	c, conditional := a.Eco.(ecosystem.Conditional)
	for _, e := range m.Entries() {
		if !conditional || c.Holds(e.When, environments) {
			all = append(all, a.Stated(e))
		}
	}
	return all
}

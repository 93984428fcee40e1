// Package open reads an application on disk: its manifests, lock and configuration, where it is
// deployed, and the registry as this application may see it. It decides nothing about releases.
// What changes an application stands on it: locking, layout, change and stages, each on those
// before it. The files of an application are the business of packages of their own: config,
// planfile, ledger, yamlfile; run runs the commands that judge a stage, and txn writes all of a
// change or nothing.
package open

import (
	"os"
	"path/filepath"
	"sync"
	"time"

	"molt/app/config"
	"molt/app/ledger"
	"molt/app/userstate"
	"molt/app/vcs"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/universe"
	"molt/doc"
	"molt/ecosystem"
	"molt/registry"
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
	// Words makes a sentence of a fact, where one is written to a file or becomes part of an error. Without it a fact
	// stands as it is.
	Words func(fact.Fact) string
	Env   func(string) string
}

// Installed returns what is installed, which is read once; nil when nothing is.
func (a *View) Installed() (ecosystem.Tree, error) { return a.tree() }

// Say returns a sentence with its words, for what is written to a file or becomes part of an error. Answers get their
// words when they are shown.
func (a *View) Say(f fact.Fact) doc.Sentence {
	if a.Settings.Words == nil {
		return doc.SentenceOf(f)
	}
	return doc.Sentence{Fact: f, Words: a.Settings.Words(f)}
}

func (a *View) Path(name string) string { return filepath.Join(a.Dir, name) }

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

// Archives gets the archives of releases for an application: of registries, of its own files, and of version control.
type Archives struct {
	*View
	registries func() (*registry.Registries, error) // opens them where they are not
	end        func()
}

// A consent is what was allowed in this call.
type consent struct {
	mu      sync.Mutex
	allowed map[string]bool // by the text of a seal
}

// A DeclarationKey is a declaration's place in a manifest.
type DeclarationKey struct{ Group, Name string }

// A limit is what a file of constraints says of a package.
type limit struct {
	file string
	universe.Demand
}

// A Question is an application with its registries open, and all that is known for judging releases for it. It never
// changes: what finds out more (Without, Forked, Advised, Again) returns another question that shares the registries.
// Close closes them for all of these.
//
// Laws:
//
//   - Source answers alike for as long as the question is open, whatever is published meanwhile: a document is read once.
//   - Every release that Source offers is one that the application may have. What may not be used is left out by the view
//     (unsettled, withdrawn, unsuited runtimes), and the view can say why (universe.Hindrance).
//   - Methods may be called concurrently.
type Question struct {
	*View
	// Source is what the registries have, as this application may see it: with its overrides, the archives that it
	// names and the files of constraints that it has, and without releases that have not settled.
	Source universe.Source
	// Unsettled is the same with releases that have not settled yet; nil where none are hidden.
	Unsettled universe.Source
	// Opened is what Source stands on, as the ecosystem opened it.
	Opened ecosystem.Source
	// Wide is Source as seen from other environments, which nil means too: it stands for those of
	// the application. Wide is nil in an ecosystem in which all environments see the same.
	Wide func([]ecosystem.Environment) universe.Source

	InferredRuntimes project.Runtimes  // what is taken to be deployed, as nobody says what is; from Advised
	InferredFrom     map[string]string // why, by runtime
	guides           []project.Guide
	previews         []string
	access           *access
}

// An access is the registries of an application, while they are open.
type access struct {
	registries *registry.Registries
	withheld   []string // the registries that get no credentials
	dated      []string // packages of which publication times are wanted

	mu     sync.Mutex
	opened map[string]ecosystem.Source // by all that differs between readings of the application
}

// A Side is one of the ecosystems of a folder, with what is declared there.
type Side struct {
	Ecosystem ecosystem.Ecosystem
	Names     []string // declared
	Runtimes  []string
	broken    bool // some manifest cannot be read
}

// Canonical returns the one form of a name of the application's ecosystem.
func (a *View) Canonical(name string) string { return ecosystem.Canonical(a.Eco, name) }

// A Line is something that a folder wants run.
type Line struct {
	Kind string   `json:"kind"` // one of the kinds of jobs, or "git" for what a commit runs
	Name string   `json:"name"`
	Run  string   `json:"run,omitempty"`  // the command line; "" for builds, which the package decides
	With []string `json:"with,omitempty"` // what else the yes is about: folder, variables, registry, digest
}

// LockFile is the name of the file that has the lock.
func (a *View) LockFile() string { return a.lockFile }

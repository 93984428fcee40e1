package stages

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"molt/app/config"
	"molt/app/layout"
	"molt/app/open"
	"molt/app/run"
	"molt/doc"
	"molt/txn"
)

// An Execution carries out stages of a plan, or tries them in copies of the application, for the
// time of one call. What is worth saying once a call is said with the first stage that it is about.
type Execution struct {
	// The application, as it is after the last stage that was carried out.
	*open.Question
	Watch run.Watcher

	site           *layout.Site
	toldNotLaidOut bool // that packages could not be laid out was said
	toldHiding     bool // so was what programs of packages hide
}

// NewExecution begins with the application as it stands. Whoever carries out stages has taken the
// folder for changing it.
func NewExecution(q *open.Question, watch run.Watcher) *Execution {
	return &Execution{Question: q, Watch: watch, site: layout.NewSite(q.Archives())}
}

// reread goes on with what was written.
func (a *Execution) reread(ctx context.Context) error {
	after, err := a.Again(ctx)
	if err != nil {
		return err
	}
	a.Question = after
	a.site = a.site.Again(after.Archives())
	return nil
}

// checksOf returns the checks that are for stages of a kind, in their order.
func checksOf(a *open.View, kind string) []config.Check {
	var all []config.Check
	for _, c := range a.Config.Checks {
		if len(c.Kinds) == 0 || slices.Contains(c.Kinds, kind) {
			all = append(all, c)
		}
	}
	return all
}

// tasksOf returns the tasks of the packages that changes move.
func tasksOf(a *open.View, changes []doc.PlanChange) []config.Task {
	var all []config.Task
	for _, t := range a.Config.Stages.Tasks {
		if slices.ContainsFunc(changes, func(c doc.PlanChange) bool { return slices.Contains(t.With, c.Name) }) {
			all = append(all, t)
		}
	}
	return all
}

// state identifies manifest, lock and checks.
func state(a *open.View) (string, error) {
	checks, err := json.Marshal(a.Config.Checks)
	if err != nil {
		return "", err
	}
	var texts [][]byte
	for _, e := range a.Ecosystems() { // each side is to see the same state
		side := a
		if e.Name() != a.Eco.Name() {
			if side, err = open.OpenSide(a, e); err != nil {
				return "", err
			}
		}
		lock, err := side.Files.Content(side.LockFile())
		if err != nil {
			return "", err
		}
		for _, f := range side.Manifest.Texts() {
			texts = append(texts, f.Data, []byte{0})
		}
		texts = append(texts, lock, []byte{0})
	}
	return txn.Sum(slices.Concat(append(texts, checks)...)), nil
}

// A Trial is some stages carried out in a copy of the application.
type Trial struct {
	Stages   []string
	Dir      string // of the application in the copy, "" when it was taken away
	Verdicts []run.Verdict
	Before   []run.Verdict // the checks in the copy, before anything moved in it
	Passed   bool
	// Unchecked says why no checks were run, "" where they were.
	Unchecked  string
	Each       []StageTrial // when the stages were tried one after the other
	Notes      []string
	Deprecated []Deprecation // what the checks on the state before warn of
}

// A StageTrial is one stage of several that were tried one after the other.
type StageTrial struct {
	Stage    string
	Verdicts []run.Verdict
	Passed   bool
	Took     time.Duration
	Earlier  bool   // it passed in an earlier trial of the same files
	Says     string // why it was not tried, "" where it was
}

// A rehearsed stage is what a copy is to hold for it, and what judges that.
type rehearsed struct {
	id     string
	files  map[string][]byte
	tasks  []config.Task
	checks []config.Check
	raised string // see run.Runner
}

// A Deprecation is what checks warn of: things of a package that a later major takes away. The name is "" where the
// warning names no package.
type Deprecation struct {
	Name string
	Says []string
}

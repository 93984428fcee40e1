package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"molt/app/config"
	"molt/app/planfile"
	"molt/app/run"
	"molt/input"
	"molt/txn"
)

// A Verdict is the outcome of one check or task.
type Verdict struct {
	Name   string        `json:"name"`
	Task   bool          `json:"task,omitempty"` // a step that belongs to a change, and no check
	Passed bool          `json:"passed"`
	Before bool          `json:"before,omitempty"` // it failed before the stage too, and so the stage is not to blame
	Says   string        `json:"says,omitempty"`   // why it failed, or what was found
	Log    string        `json:"log,omitempty"`    // file with the whole output, below the application
	Took   time.Duration `json:"took"`
}

// A Watcher is told when checks begin and end, and sees their output. The zero Watcher sees nothing.
type Watcher struct {
	Begin  func(name string)
	Output io.Writer
	Tried  func(Trial) // for each trial of a search for a culprit
}

func (w Watcher) begin(name string) {
	if w.Begin != nil {
		w.Begin(name)
	}
}

// checksOf returns the checks that are for stages of a kind, in their order.
func (a *App) checksOf(kind string) []config.Check {
	var all []config.Check
	for _, c := range a.Config.Checks {
		if len(c.Kinds) == 0 || slices.Contains(c.Kinds, kind) {
			all = append(all, c)
		}
	}
	return all
}

// check runs checks in their order and stops at the first that fails and did not before. An error means that they could
// not be judged: the call was interrupted, or a log could not be written.
func (a *App) check(ctx context.Context, dir, stage string, checks []config.Check, before map[string]bool, watch Watcher) ([]Verdict, bool, error) {
	var verdicts []Verdict
	for _, c := range checks {
		watch.begin(c.Name)
		v, err := a.run(ctx, dir, stage, c, watch.Output)
		if err != nil {
			return verdicts, false, err
		}
		if passed, known := before[c.Name]; known && !passed && !v.Passed {
			v.Before = true
		}
		verdicts = append(verdicts, v)
		if !v.Passed && !v.Before {
			return verdicts, false, nil
		}
	}
	return verdicts, true, nil
}

// run runs one command in a folder of the application, or of a copy of it. Whatever it has started ends with it.
func (a *App) run(ctx context.Context, dir, stage string, c config.Check, live io.Writer) (Verdict, error) {
	limit, err := c.Timeout()
	if err != nil {
		return Verdict{}, err
	}
	logName := path.Join(txn.StateDir, "logs", txn.Slug(stage)+"-"+txn.Slug(c.Name)+".log")
	log, err := a.createLog(logName)
	if err != nil {
		return Verdict{}, err
	}
	limited, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	command := run.Shell(limited, c.Run)
	command.Dir = filepath.Join(dir, filepath.FromSlash(c.Folder))
	command.Env = withoutTokens(os.Environ(), c.Pass)
	if self, err := os.Executable(); err == nil {
		command.Env = append(command.Env, "MOLT="+self)
	}
	command.Env = append(command.Env, "MOLT_STAGE="+stage, run.RunVariable+"="+a.files.Run)
	for name, value := range c.Env {
		command.Env = append(command.Env, name+"="+value)
	}
	tail := &run.LastLine{}
	out := run.Output{Log: log, Tail: tail, Live: live}
	began := time.Now()
	err = out.Run(command)
	v := Verdict{Name: c.Name, Passed: err == nil, Log: logName, Took: time.Since(began)}
	closed := log.Close()
	var exit *exec.ExitError
	switch {
	case ctx.Err() != nil:
		return v, ctx.Err()
	case closed != nil:
		return v, closed
	case errors.Is(limited.Err(), context.DeadlineExceeded):
		v.Passed, v.Says = false, fmt.Sprintf("not done after %s", limit)
	case errors.As(err, &exit):
		v.Says = strings.TrimSuffix(fmt.Sprintf("%v: %s", exit, tail), ": ")
	case err != nil:
		v.Says = err.Error()
	}
	return v, nil
}

// withoutTokens leaves the variables with tokens out of an environment, but for those that are passed on by name: what
// checks run is the packages' code too.
func withoutTokens(env, pass []string) []string {
	return slices.DeleteFunc(env, func(entry string) bool {
		name, _, _ := strings.Cut(entry, "=")
		return strings.HasPrefix(strings.ToUpper(name), config.TokenPrefix) && !slices.Contains(pass, name)
	})
}

func (a *App) createLog(name string) (*run.Log, error) {
	if err := a.files.Mkdir(path.Dir(name)); err != nil {
		return nil, err
	}
	at, err := a.files.Find(name)
	if err != nil {
		return nil, err
	}
	f, err := at.Root.Create(at.Name)
	return &run.Log{File: f}, err
}

// checkedFile holds the verdicts on the state as it stands.
const checkedFile = txn.StateDir + "/checked.json"

// A checked is the verdicts of the checks on one state of manifest and lock.
type checked struct {
	State    string                   `json:"state"`
	Verdicts []Verdict                `json:"verdicts"`
	Took     map[string]time.Duration `json:"took"` // by stage, of the last run of its checks
	Plan     string                   `json:"plan"` // SHA-256 of the plan as Molt last wrote or solved it
	Seal     string                   `json:"seal,omitempty"`
}

// checkedKind is what seals of verdicts are about.
const checkedKind = "checked"

// state identifies manifest, lock and checks.
func (a *App) state() (string, error) {
	checks, err := json.Marshal(a.Config.Checks)
	if err != nil {
		return "", err
	}
	lock, err := a.files.Content(a.Eco.Lock())
	return txn.Sum(slices.Concat(a.Manifest.Bytes(), []byte{0}, lock, []byte{0}, checks)), err
}

func (a *App) readChecked() (checked, error) {
	c := checked{Took: map[string]time.Duration{}}
	data, err := a.files.Read(checkedFile, input.State)
	if errors.Is(err, fs.ErrNotExist) {
		return c, nil
	}
	if err == nil && (json.Unmarshal(data, &c) != nil || !a.ownChecked(c)) {
		c = checked{} // it is only remembered
	}
	if c.Took == nil {
		c.Took = map[string]time.Duration{}
	}
	return c, err
}

// remember keeps the verdicts on a stage's state.
func (a *App) remember(stage string, verdicts []Verdict) error {
	c, err := a.readChecked()
	if err != nil {
		return err
	}
	if c.State, err = a.state(); err != nil {
		return err
	}
	took := time.Duration(0)
	for _, v := range verdicts {
		took += v.Took
		c.Verdicts = slices.DeleteFunc(c.Verdicts, func(x Verdict) bool { return x.Name == v.Name })
		if !v.Task {
			c.Verdicts = append(c.Verdicts, v)
		}
	}
	c.Took[stage] = took
	return a.writeChecked(c)
}

// ownChecked reports whether Molt wrote verdicts for this user on this machine. Others could excuse a failure.
func (a *App) ownChecked(c checked) bool {
	seal := c.Seal
	c.Seal = ""
	plain, err := json.Marshal(c)
	return err == nil && a.files.Sealed(checkedKind, plain, seal)
}

func (a *App) writeChecked(c checked) error {
	c.Seal = ""
	plain, err := json.Marshal(c)
	if err != nil {
		return err
	}
	if c.Seal, err = a.files.Seal(checkedKind, plain); err != nil {
		return err
	}
	data, err := json.Marshal(c)
	if err != nil {
		return err
	}
	return a.files.Put(checkedFile, data)
}

// rememberPlan keeps which text of the plan was solved, whole.
func (a *App) rememberPlan(text []byte) error {
	c, err := a.readChecked()
	if err != nil || c.Plan == txn.Sum(text) {
		return err
	}
	c.Plan = txn.Sum(text)
	return a.writeChecked(c)
}

// planEdited reports whether people edited the plan since it was last solved, as a whole.
func (a *App) planEdited(doc *planfile.Plan) (bool, error) {
	c, err := a.readChecked()
	return c.Plan != txn.Sum(doc.Text.Bytes()), err
}

// beforeStage is the name under which the state before the first stage is checked.
const beforeStage = "before"

// checkedBefore returns which checks pass on the state as it stands. It runs them when that is not known: before the
// first stage, and after somebody changed manifest, lock or checks.
func (a *App) checkedBefore(ctx context.Context, watch Watcher) (map[string]bool, []Verdict, error) {
	if len(a.Config.Checks) == 0 {
		return nil, nil, nil
	}
	state, err := a.state()
	if err != nil {
		return nil, nil, err
	}
	c, err := a.readChecked()
	if err != nil {
		return nil, nil, err
	}
	passed := map[string]bool{}
	if c.State == state {
		for _, v := range c.Verdicts {
			passed[v.Name] = v.Passed
		}
		return passed, nil, nil
	}
	var verdicts []Verdict
	for _, check := range a.Config.Checks {
		watch.begin(check.Name + " (on the state before)")
		v, err := a.run(ctx, a.Dir, beforeStage, check, watch.Output)
		if err != nil {
			return nil, nil, err
		}
		verdicts = append(verdicts, v)
		passed[v.Name] = v.Passed
	}
	return passed, verdicts, a.remember(beforeStage, verdicts)
}

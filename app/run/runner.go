package run

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"strings"
	"time"

	"molt/app/config"
	"molt/app/vcs"
	"molt/txn"
)

// A Runner runs checks and tasks in an application's folder, and in copies of it.
type Runner struct {
	Files *txn.Workspace
	Repo  vcs.Repo
	// Packages are the names of the folders that hold installed packages, which are no part of what people keep.
	Packages []string
	// Programs lists what commands find before the programs of the system, in the application or a
	// copy of it; it may be nil.
	Programs func(dir string) []Program
	// Executables are folders, relative to the application, in which commands look before those of
	// the system: of an environment that is Molt's own.
	Executables []string
	// Environment is the folder of an environment of packages, relative to the application, which
	// commands are told of; "" for none.
	Environment string
	// Variables name what commands see of the environment of this process, besides what every program needs.
	Variables []string
	// Raised are runtimes that count as raised for Molt where a command calls it: RaisedVariable has them.
	Raised string
	// Permit says whether a job may run; without it none may.
	Permit func(ctx context.Context, j Job) error
}

// The kinds of jobs.
const (
	CheckJob   = "check"
	TaskJob    = "task"
	InstallJob = "install"
	BuildJob   = "build"
)

// A Job is a command that is to run in a folder of the application, or of a copy of it.
type Job struct {
	config.Check
	Kind  string
	Dir   string
	Stage string // for which it runs, and after which its log is named
}

// A Verdict is the outcome of one check or task.
type Verdict struct {
	Name   string   `json:"name"`
	Task   bool     `json:"task,omitempty"` // a step that belongs to a change, and no check
	Passed bool     `json:"passed"`
	Before bool     `json:"before,omitempty"` // it failed before the stage too, and so the stage is not to blame
	Says   string   `json:"says,omitempty"`   // why it failed, or what was found
	Errors []string `json:"errors,omitempty"` // other lines of the output that name an error, the first of them, each once
	// Warnings are lines of the output that warn of what is deprecated, the first of them, each once.
	Warnings []string      `json:"warnings,omitempty"`
	Log      string        `json:"log,omitempty"` // file with the whole output, below the application
	Took     time.Duration `json:"took"`
}

// A Watcher is told when checks begin and end, and sees their output. The zero Watcher sees nothing.
type Watcher struct {
	Begin  func(name string)
	Output io.Writer
	Tried  func(Trial) // for each trial of a search for a culprit
}

// Announce tells that a check begins.
func (w Watcher) Announce(name string) {
	if w.Begin != nil {
		w.Begin(name)
	}
}

// RaisedVariable tells a Molt that a check calls which runtimes count as raised in a trial: words
// such as node>=20, by the requirement that they meet.
const RaisedVariable = "MOLT_RAISED"

// Unjudged says that checks told nothing, since each of them failed before the stage too; "" where
// one told something, or there were none.
func Unjudged(verdicts []Verdict) string {
	failed := 0
	for _, v := range verdicts {
		switch {
		case v.Task:
		case v.Passed || !v.Before:
			return ""
		default:
			failed++
		}
	}
	if failed == 0 {
		return ""
	}
	return "nothing was judged: every check failed before it too"
}

// Check runs checks in their order and stops at the first that fails and did not before. An error means that they could
// not be judged: the call was interrupted, or a log could not be written.
func (r Runner) Check(ctx context.Context, dir, stage string, checks []config.Check, before map[string]bool,
	watch Watcher) ([]Verdict, bool, error) {
	var verdicts []Verdict
	for _, c := range checks {
		watch.Announce(c.Name)
		v, err := r.One(ctx, Job{c, CheckJob, dir, stage}, watch.Output)
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

// One runs one job. Whatever it has started ends with it.
func (r Runner) One(ctx context.Context, j Job, live io.Writer) (Verdict, error) {
	limit, err := j.Timeout()
	if err != nil {
		return Verdict{}, err
	}
	if r.Permit == nil {
		return Verdict{}, fmt.Errorf("%s must not run here", j.Name) // a mistake of Molt's own
	}
	if err := r.Permit(ctx, j); err != nil {
		return Verdict{}, err
	}
	logName := path.Join(txn.StateDir, "logs", txn.Slug(j.Stage)+"-"+txn.Slug(j.Name)+".log")
	log, err := r.createLog(logName)
	if err != nil {
		return Verdict{}, err
	}
	limited, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	command := shell(limited, j.Run)
	command.Dir = filepath.Join(j.Dir, filepath.FromSlash(j.Folder))
	programs, err := r.programFolder(j.Dir)
	if err != nil {
		return Verdict{}, errors.Join(err, log.Close())
	}
	if programs != "" {
		defer os.RemoveAll(programs)
	}
	command.Env = r.environment(j, programs)
	tail := &LastLine{}
	out := Output{Log: log, Tail: tail, Live: live}
	began := time.Now()
	err = out.Run(command)
	v := Verdict{Name: j.Name, Passed: err == nil, Log: logName, Took: time.Since(began)}
	for _, w := range tail.Warnings() { // where the application stands is known
		v.Warnings = append(v.Warnings, strings.ReplaceAll(w, j.Dir+string(filepath.Separator), ""))
	}
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
		v.Says, v.Errors = strings.TrimSuffix(fmt.Sprintf("%v: %s", exit, tail), ": "), tail.Others()
	case err != nil:
		v.Says = err.Error()
	}
	return v, nil
}

func (r Runner) createLog(name string) (*Log, error) {
	if err := r.Files.Mkdir(path.Dir(name)); err != nil {
		return nil, err
	}
	at, err := r.Files.Find(name)
	if err != nil {
		return nil, err
	}
	f, err := at.Root.Create(at.Name)
	return &Log{File: f}, err
}

// Tasks runs tasks until one fails.
func (r Runner) Tasks(ctx context.Context, dir, stage string, tasks []config.Task,
	watch Watcher) ([]Verdict, bool, error) {
	var verdicts []Verdict
	for _, t := range tasks {
		watch.Announce(t.Name)
		v, err := r.One(ctx, Job{t.Check(), TaskJob, dir, stage}, watch.Output)
		if err != nil {
			return verdicts, false, err
		}
		v.Task = true
		verdicts = append(verdicts, v)
		if !v.Passed {
			return verdicts, false, nil
		}
	}
	return verdicts, true, nil
}

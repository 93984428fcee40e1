package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"time"
)

// A Verdict is the outcome of one check.
type Verdict struct {
	Name   string
	Passed bool
	Says   string // why it failed, or what was found
	Log    string // file with the whole output, below the application
	Took   time.Duration
}

// A Watcher is told when checks begin and sees their output. The zero Watcher sees nothing.
type Watcher struct {
	Begin  func(name string)
	Output io.Writer
}

// check runs the checks of molt.yaml in their order and stops at the first that fails. An error means that the checks
// could not be judged: the call was interrupted, or a log could not be written.
func (a *App) check(ctx context.Context, stage string, watch Watcher) ([]Verdict, bool, error) {
	var verdicts []Verdict
	for _, c := range a.Config.Checks {
		if watch.Begin != nil {
			watch.Begin(c.Name)
		}
		v, err := a.run(ctx, stage, c, watch.Output)
		if err != nil {
			return verdicts, false, err
		}
		verdicts = append(verdicts, v)
		if !v.Passed {
			return verdicts, false, nil
		}
	}
	return verdicts, true, nil
}

func (a *App) run(ctx context.Context, stage string, c Check, live io.Writer) (Verdict, error) {
	limit, err := c.limit()
	if err != nil {
		return Verdict{}, err
	}
	log := filepath.Join(stateDir, "logs", stage+"-"+slug(c.Name)+".log")
	if err := os.MkdirAll(filepath.Dir(a.path(log)), 0o755); err != nil {
		return Verdict{}, err
	}
	file, err := os.Create(a.path(log))
	if err != nil {
		return Verdict{}, err
	}
	defer file.Close()
	limited, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	command := shell(limited, c.Run)
	command.Dir = a.Dir
	if self, err := os.Executable(); err == nil {
		command.Env = append(os.Environ(), "MOLT="+self)
	}
	tail := &lastLine{}
	writers := []io.Writer{file, tail}
	if live != nil {
		writers = append(writers, live)
	}
	command.Stdout = io.MultiWriter(writers...)
	command.Stderr = command.Stdout
	command.WaitDelay = 5 * time.Second
	began := time.Now()
	err = command.Run()
	v := Verdict{Name: c.Name, Passed: err == nil, Log: filepath.ToSlash(log), Took: time.Since(began)}
	var exit *exec.ExitError
	switch {
	case ctx.Err() != nil:
		return v, ctx.Err()
	case errors.Is(limited.Err(), context.DeadlineExceeded):
		v.Passed, v.Says = false, fmt.Sprintf("not done after %s", limit)
	case errors.As(err, &exit):
		v.Says = fmt.Sprintf("%v: %s", exit, tail)
	case err != nil:
		v.Says = err.Error()
	}
	return v, nil
}

// lastLine remembers the last line that is not empty, up to a length.
type lastLine struct{ line, open []byte }

func (l *lastLine) Write(p []byte) (int, error) {
	for part := range bytes.SplitAfterSeq(p, []byte("\n")) {
		if len(l.open) < 400 {
			l.open = append(l.open, part...)
		}
		if bytes.HasSuffix(part, []byte("\n")) {
			if text := bytes.TrimSpace(l.open); len(text) > 0 {
				l.line = bytes.Clone(text)
			}
			l.open = l.open[:0]
		}
	}
	return len(p), nil
}

func (l *lastLine) String() string {
	if text := bytes.TrimSpace(l.open); len(text) > 0 {
		return string(text)
	}
	return string(l.line)
}

func slug(name string) string {
	out := []byte(name)
	for i, c := range out {
		if (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') && (c < '0' || c > '9') {
			out[i] = '-'
		}
	}
	return string(out)
}

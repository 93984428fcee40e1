// Package run runs the commands of people, checks and tasks: with a log, the last line for the
// verdict, and an end for whatever they started.
package run

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"regexp"
	"runtime"
	"slices"
	"time"

	"molt/input"
)

// runVariable names the change in the course of which a check or a task runs, so that what it
// leaves behind when Molt is killed can be found.
const runVariable = "MOLT_RUN"

// An Output is where the output of a check goes. A place that does not take it any more does not hold up the others.
type Output struct {
	Log  *Log
	Tail *LastLine
	Live io.Writer // nil for none
}

func (o Output) Write(p []byte) (int, error) {
	o.Log.Write(p)
	o.Tail.Write(p)
	if o.Live != nil {
		_, _ = o.Live.Write(p) // whoever watches may go away
	}
	return len(p), nil
}

// Run runs a command. What the command has started and left ends with it.
func (o Output) Run(command *exec.Cmd) error {
	r, w, err := os.Pipe()
	if err != nil {
		return err
	}
	defer r.Close()
	command.Stdout, command.Stderr = w, w
	command.WaitDelay = 2 * time.Second
	runtime.LockOSThread() // the child dies with the thread that started it
	defer runtime.UnlockOSThread()
	err = command.Start()
	w.Close()
	if err != nil {
		return err
	}
	leave, err := guard(command)
	if err != nil {
		endGroup(command)
		_ = command.Wait()
		return err
	}
	defer leave()
	read := make(chan struct{})
	go func() {
		defer close(read)
		_, _ = io.Copy(o, r) // it ends when nobody writes any more
	}()
	err = command.Wait()
	endGroup(command)
	select {
	case <-read:
	case <-time.After(2 * time.Second): // something got away from its group
		r.Close()
		<-read
	}
	return err
}

// The parts of an output that a log holds when it is longer than both together.
const (
	logHead = 24 << 20
	logTail = 8 << 20
)

// A Log holds the whole output of a check, but of an endless one only the beginning and the end.
type Log struct {
	File    *os.File
	written int64
	tail    []byte // the last bytes after logHead; a ring once it is full
	at      int
	left    int64 // how many bytes fell out of the ring
	err     error // the first
}

// Write takes a part of the output. Close returns what went wrong.
func (l *Log) Write(p []byte) {
	if room := logHead - l.written; room > 0 {
		part := p[:min(int64(len(p)), room)]
		if _, err := l.File.Write(part); err != nil && l.err == nil {
			l.err = err
		}
		l.written += int64(len(part))
		p = p[len(part):]
	}
	for len(p) > 0 {
		if len(l.tail) < logTail {
			part := p[:min(len(p), logTail-len(l.tail))]
			l.tail = append(l.tail, part...)
			p = p[len(part):]
			continue
		}
		k := copy(l.tail[l.at:], p)
		l.at, l.left, p = (l.at+k)%logTail, l.left+int64(k), p[k:]
	}
}

// Close writes the end of the output and closes the file.
func (l *Log) Close() error {
	var text []byte
	if l.left > 0 {
		text = fmt.Appendf(nil, "\n… %d bytes left out …\n", l.left)
	}
	_, err := l.File.Write(slices.Concat(text, l.tail[l.at:], l.tail[:l.at]))
	return errors.Join(l.err, err, l.File.Close())
}

// A LastLine remembers the line that says best why a command failed, up to a length: the last that
// names an error, else the last that is not empty.
type LastLine struct {
	line, failure, open []byte
	failures            []string        // the first that name errors, each once
	warnings            []string        // the first that warn of what is deprecated, each once
	warned              map[string]bool // these without their numbers
}

// mostErrors is how many lines that name errors are kept.
const mostErrors = 6

// mostWarnings is how many lines that warn are kept.
const mostWarnings = 24

var (
	// warns is what lines say that warn of what a later release takes away.
	warns = regexp.MustCompile(`(?i)\bdeprecat(ed|ion|ing)|\b\w*(Deprecation|RemovedIn)\w*Warning:|\b(be removed|no longer supported) (in|from) ((a|the) (future|next)\b|(\S+ ){0,2}v?\d)`)
	// verdict is how lines begin that are about a test, whose name may be anything.
	verdict = regexp.MustCompile(`^\s*(ok|not ok|PASS|FAIL|✓|✔|✗|✖|×|#)(\s|$)`)
	numbers = regexp.MustCompile(`\d+`)
)

// namesError is how lines begin that name an error, in most languages' runtimes and tools:
// "TypeError: …", "error[E1]: …", "panic: …".
var namesError = regexp.MustCompile(`^\s*(\w[\w.]*(Error|Exception)|[Ee]rror(\[\w+\])?|panic|fatal)(\s\[\w+\])?:\s*\S`)

func (l *LastLine) Write(p []byte) {
	for part := range bytes.SplitAfterSeq(p, []byte("\n")) {
		if room := 400 - len(l.open); room > 0 {
			l.open = append(l.open, part[:min(len(part), room)]...)
		}
		if bytes.HasSuffix(part, []byte("\n")) {
			l.take()
			l.open = l.open[:0]
		}
	}
}

// take looks at a line that is whole.
func (l *LastLine) take() {
	text := bytes.TrimSpace(l.open)
	if len(l.warnings) < mostWarnings && hints(text) && warns.Match(text) && !verdict.Match(text) {
		if plain := numbers.ReplaceAllString(string(text), ""); !l.warned[plain] {
			// the number of a process, or of a line, tells none apart
			if l.warned == nil {
				l.warned = map[string]bool{}
			}
			l.warned[plain] = true
			l.warnings = append(l.warnings, input.Harmless(string(text)))
		}
	}
	switch {
	case len(text) == 0:
	case bytes.IndexByte(text, ':') > 0 && namesError.Match(text): // most lines have none, and there may be millions
		l.failure = append(l.failure[:0], text...)
		if len(l.failures) < mostErrors && !slices.Contains(l.failures, string(text)) {
			l.failures = append(l.failures, string(text))
		}
	default:
		l.line = append(l.line[:0], text...)
	}
}

// hints reports whether a line is worth a closer look: of the millions that there may be, few have one of these words.
func hints(text []byte) bool {
	return bytes.Contains(text, []byte("eprecat")) || bytes.Contains(text, []byte("EPRECAT")) ||
		bytes.Contains(text, []byte("emoved")) || bytes.Contains(text, []byte("RemovedIn")) ||
		bytes.Contains(text, []byte("no longer supported"))
}

// Warnings returns the lines that warn of what is deprecated.
func (l *LastLine) Warnings() []string { return l.warnings }

// Others returns the lines that name errors besides the one that String returns.
func (l *LastLine) Others() []string {
	said := l.String()
	return slices.DeleteFunc(slices.Clone(l.failures), func(x string) bool { return x == said })
}

func (l *LastLine) String() string {
	l.take()
	if l.failure != nil {
		return string(l.failure)
	}
	return string(l.line)
}

// Package ledger is what was carried out on an application, with what is needed to take it back:
// the lines of the ledger, which this machine keeps, and the stages that commits tell, made here or
// elsewhere.
package ledger

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/aymanbagabas/go-udiff"

	"molt/app/planfile"
	"molt/app/vcs"
	"molt/input"
	"molt/txn"
)

// File is the ledger, a record a line.
const File = txn.StateDir + "/ledger.jsonl"

// Wanted stands in place of a commit that is still to be made.
const Wanted = "wanted"

// The trailers of a commit's message by which Molt knows its own.
const (
	StageTrailer = "Molt-Stage"
	BackTrailer  = "Molt-Back"
)

// A Ledger reads and writes records.
type Ledger struct {
	Files *txn.Workspace
	Repo  vcs.Repo
}

// A Record is what was carried out: a stage or a change, with what is needed to go back. It is a
// line of the ledger, or was read from a commit that Molt made, on this machine or another.
type Record struct {
	Stage string    `json:"stage"`
	Goal  string    `json:"goal"`
	At    time.Time `json:"at"`
	// files to a copy of what they held before, below txn.StateDir; "" for no file
	Backup map[string]string `json:"backup"`
	Left   map[string]string `json:"left"`   // and to one of what was left, likewise
	Folder string            `json:"folder"` // of the copies
	Commit string            `json:"commit,omitempty"`
	Sums   map[string]string `json:"sums"`           // SHA-256 of each copy
	Seal   string            `json:"seal,omitempty"` // by which Molt knows the line as its own

	read map[string][2][]byte // of one that comes from a commit: before and after, nil for no file
	line []byte               // of the ledger; nil for one that comes from a commit
}

// Files lists the files that a record changed, sorted.
func (r Record) Files() []string {
	if r.line == nil {
		return slices.Sorted(maps.Keys(r.read))
	}
	return slices.Sorted(maps.Keys(r.Backup))
}

// Told reports whether only a commit tells of a record, which anybody can have made.
func (r Record) Told() bool { return r.line == nil }

// recordKind is what seals of lines of the ledger are about.
const recordKind = "record"

// Append adds a record of what a transaction did, as its last change. The plan is not part of it:
// in the plan, stages become pending again.
func (l Ledger) Append(t *txn.Transaction, r Record) error {
	kept, err := t.Record(File, planfile.File)
	if err != nil {
		return err
	}
	r.At, r.Backup, r.Left, r.Sums, r.Folder = time.Now().UTC(), kept.Before, kept.After, kept.Sums, kept.Folder
	line, err := l.encode(r)
	if err != nil {
		return err
	}
	before, err := l.Files.Content(File)
	if err != nil {
		return err
	}
	return t.Write(File, append(before, line...))
}

func (l Ledger) encode(r Record) ([]byte, error) {
	r.Seal = ""
	plain, err := json.Marshal(r)
	if err != nil {
		return nil, err
	}
	if r.Seal, err = l.Files.Seal(recordKind, plain); err != nil {
		return nil, err
	}
	line, err := json.Marshal(r)
	return append(line, '\n'), err
}

// own reports whether Molt wrote a line of the ledger for this user on this machine.
func (l Ledger) own(r Record) bool {
	seal := r.Seal
	r.Seal = ""
	plain, err := json.Marshal(r)
	return err == nil && l.Files.Sealed(recordKind, plain, seal)
}

// Here reads the ledger, oldest first. A line that Molt did not write for this user on this machine is an error: the
// folder came from elsewhere, and nothing that it says is carried out.
func (l Ledger) Here() ([]Record, error) {
	data, err := l.Files.Read(File, input.State)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var all []Record
	for n, line := range bytes.SplitAfter(data, []byte("\n")) {
		if len(bytes.TrimSpace(line)) == 0 {
			continue
		}
		var r Record
		if err := json.Unmarshal(line, &r); err != nil {
			return nil, &input.UsageError{Reason: fmt.Sprintf("%s:%d cannot be read: %v", File, n+1, err)}
		}
		if !l.own(r) {
			return nil, &input.UsageError{Reason: fmt.Sprintf("%s:%d was not written by Molt for this user on this machine, "+
				"so it does not count; look at what it says, and remove the file", File, n+1)}
		}
		r.line = line
		all = append(all, r)
	}
	return all, nil
}

// SetLastCommit puts the commit of the last record into the ledger.
func (l Ledger) SetLastCommit(records []Record, commit string) error {
	last := records[len(records)-1]
	last.Commit = commit
	line, err := l.encode(last)
	if err != nil {
		return err
	}
	var kept []byte
	for _, r := range records[:len(records)-1] {
		kept = append(kept, r.line...)
	}
	return l.Files.WriteFiles("noting a commit", map[string][]byte{File: append(kept, line...)})
}

// Keep leaves some records in the ledger, as a part of a transaction that covers it, and takes the others out.
func (l Ledger) Keep(t *txn.Transaction, records []Record) error {
	var kept []byte
	for _, r := range records {
		kept = append(kept, r.line...)
	}
	return t.Replace(File, kept)
}

// History lists what was carried out here, oldest first: what commits tell, and what only the
// ledger knows, which comes before the first commit that the ledger has after it.
func (l Ledger) History(ctx context.Context) ([]Record, error) {
	here, err := l.Here()
	if err != nil {
		return nil, err
	}
	committed, err := l.committed(ctx)
	if err != nil {
		return nil, err
	}
	at := func(r Record) int {
		return slices.IndexFunc(committed, func(c Record) bool { return r.Commit != "" && c.Commit == r.Commit })
	}
	before := make([][]Record, len(committed)+1)
	next := len(committed)
	for _, r := range slices.Backward(here) {
		if i := at(r); i >= 0 {
			next = i
			continue
		}
		// A record of which the commit is gone was committed again under another name, in a rebase for example.
		if r.Commit == "" || r.Commit == Wanted ||
			!slices.ContainsFunc(committed, func(c Record) bool { return c.Stage == r.Stage }) {
			before[next] = append(before[next], r)
		}
	}
	var all []Record
	for i := range before {
		slices.Reverse(before[i])
		all = append(all, before[i]...)
		if i == len(committed) {
			break
		}
		c := committed[i]
		if k := slices.IndexFunc(here, func(r Record) bool { return r.Commit == c.Commit }); k >= 0 {
			// the ledger knows it better
			c = here[k]
		}
		all = append(all, c)
	}
	return l.withoutTakenBack(all)
}

// withoutTakenBack leaves out the last records that only commits tell of, where the files are as
// they were before these: they were taken back, and that is not committed.
func (l Ledger) withoutTakenBack(all []Record) ([]Record, error) {
	before, left := map[string][]byte{}, map[string][]byte{}
	for k := len(all) - 1; k >= 0 && all[k].line == nil; k-- {
		for name, texts := range all[k].read {
			before[name] = texts[0]
			if _, later := left[name]; !later {
				left[name] = texts[1]
			}
		}
		back, moved := true, false
		for name := range before {
			now, err := l.Files.Content(name)
			if err != nil {
				return nil, err
			}
			back = back && bytes.Equal(now, before[name])
			moved = moved || !bytes.Equal(now, left[name])
		}
		if back && moved {
			return all[:k], nil
		}
	}
	return all, nil
}

// committed lists the stages that the history of the branch tells, oldest first, without those that were taken back.
func (l Ledger) committed(ctx context.Context) ([]Record, error) {
	commits, err := l.Repo.WithTrailers(ctx, StageTrailer, BackTrailer)
	if err != nil {
		return nil, err
	}
	var all []Record
	for _, c := range commits {
		for _, t := range c.Trailers {
			if t.Key == StageTrailer {
				all = append(all, Record{Stage: t.Value, At: c.At, Commit: c.Hash})
			} else if i := slices.IndexFunc(all, func(r Record) bool { return r.Stage == t.Value }); i >= 0 {
				all = all[:i]
			}
		}
	}
	for i := range all {
		if all[i].read, err = l.Repo.Changed(ctx, all[i].Commit); err != nil {
			return nil, err
		}
		delete(all[i].read, planfile.File)
	}
	return all, nil
}

// Contents returns what a file held before a record and what the record left; nil for no file.
func (l Ledger) Contents(r Record, name string) (before, left []byte, err error) {
	if r.line == nil {
		return r.read[name][0], r.read[name][1], nil
	}
	if before, err = l.Files.Saved(r.Backup[name], r.Sums[r.Backup[name]]); err != nil {
		return nil, nil, err
	}
	left, err = l.Files.Saved(r.Left[name], r.Sums[r.Left[name]])
	return before, left, err
}

// Untouched returns the files that some records changed, with what each held before the first of
// them. It is an *EditedError when one is no longer as the last record that changed it left it.
func (l Ledger) Untouched(records []Record) (map[string][]byte, error) {
	first, last := map[string][]byte{}, map[string][]byte{}
	by := map[string]string{}
	for _, r := range records {
		for _, name := range r.Files() {
			before, left, err := l.Contents(r, name)
			if err != nil {
				return nil, err
			}
			if _, earlier := first[name]; !earlier {
				first[name] = before
			}
			last[name], by[name] = left, r.Stage
		}
	}
	for _, name := range slices.Sorted(maps.Keys(last)) {
		now, err := l.Files.Content(name)
		if err != nil {
			return nil, err
		}
		if !bytes.Equal(now, last[name]) || (now == nil) != (last[name] == nil) {
			return nil, &EditedError{name, by[name], edits(name, last[name], now)}
		}
	}
	return first, nil
}

// An EditedError reports that a file was edited after a stage, and that going back would lose that.
type EditedError struct {
	File, Stage string
	Edits       string // what was edited, as a unified diff
}

func (e *EditedError) Error() string {
	return fmt.Sprintf("%s was edited after stage %s; going back would lose that: undo or save the edit first",
		e.File, e.Stage)
}

// mostEdits is how many lines of a diff are shown.
const mostEdits = 40

func edits(name string, from, to []byte) string {
	lines := slices.Collect(strings.Lines(
		udiff.Unified(name+" as it was left", name+" as it is", string(from), string(to))))
	if len(lines) > mostEdits {
		lines = append(lines[:mostEdits], fmt.Sprintf("… and %d lines more\n", len(lines)-mostEdits))
	}
	return strings.Join(lines, "")
}

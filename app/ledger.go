package app

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/aymanbagabas/go-udiff"

	"molt/app/planfile"
	"molt/core/project"
	"molt/ecosystem"
	"molt/input"
	"molt/txn"
)

// A record is what was carried out: a stage or a change, with what is needed to go back. It is a line of the ledger, or was
// read from a commit that Molt made, on this machine or another.
type record struct {
	Stage  string            `json:"stage"`
	Goal   string            `json:"goal"`
	At     time.Time         `json:"at"`
	Backup map[string]string `json:"backup"` // files to a copy of what they held before, below stateDir; "" for no file
	Left   map[string]string `json:"left"`   // and to one of what was left, likewise
	Folder string            `json:"folder"` // of the copies
	Commit string            `json:"commit,omitempty"`
	Sums   map[string]string `json:"sums"`           // SHA-256 of each copy
	Seal   string            `json:"seal,omitempty"` // by which Molt knows the line as its own

	read map[string][2][]byte // of one that comes from a commit: before and after, nil for no file
	line []byte               // of the ledger; nil for one that comes from a commit
}

// record adds a line to the ledger for what a transaction did. The plan is not part of it: in the plan, stages become
// pending again.
func (a *App) record(t *transaction, r record) error {
	r.At, r.Backup, r.Left, r.Sums, r.Folder = time.Now().UTC(), map[string]string{}, map[string]string{}, map[string]string{}, t.journal.Backup
	t.recorded = true
	for _, name := range slices.Sorted(maps.Keys(t.journal.Files)) {
		if name == ledgerFile || name == planfile.File {
			continue
		}
		left, sum, err := a.save(path.Join(t.journal.Backup, "left"), name, a.disk.Put)
		if err != nil {
			return err
		}
		was := t.journal.Files[name]
		r.Backup[name], r.Left[name] = was, left
		for copy, sum := range map[string]string{was: t.journal.Sums[was], left: sum} {
			if copy != "" {
				r.Sums[copy] = sum
			}
		}
	}
	return a.appendLedger(t, r)
}

func (a *App) appendLedger(t *transaction, r record) error {
	r.Seal = ""
	plain, err := json.Marshal(r)
	if err != nil {
		return err
	}
	if r.Seal, err = a.seal(recordKind, plain); err != nil {
		return err
	}
	line, err := json.Marshal(r)
	if err != nil {
		return err
	}
	ledger, err := a.disk.Read(ledgerFile, input.State)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return t.write(ledgerFile, append(append(ledger, line...), '\n'))
}

// recordKind is what seals of lines of the ledger are about.
const recordKind = "record"

// own reports whether Molt wrote a line of the ledger for this user on this machine.
func (a *App) own(r record) bool {
	seal := r.Seal
	r.Seal = ""
	plain, err := json.Marshal(r)
	return err == nil && a.sealed(recordKind, plain, seal)
}

// ledger reads the ledger, oldest first. A line that Molt did not write for this user on this machine is an error: the
// folder came from elsewhere, and nothing that it says is carried out.
func (a *App) ledger() ([]record, error) {
	data, err := a.disk.Read(ledgerFile, input.State)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var all []record
	for n, line := range bytes.SplitAfter(data, []byte("\n")) {
		if len(bytes.TrimSpace(line)) == 0 {
			continue
		}
		var r record
		if err := json.Unmarshal(line, &r); err != nil {
			return nil, &input.UsageError{Reason: fmt.Sprintf("%s:%d cannot be read: %v", ledgerFile, n+1, err)}
		}
		if !a.own(r) {
			return nil, &input.UsageError{Reason: fmt.Sprintf("%s:%d was not written by Molt for this user on this machine, so it does not count; look at what it says, and remove the file", ledgerFile, n+1)}
		}
		r.line = line
		all = append(all, r)
	}
	return all, nil
}

// history lists what was carried out here, oldest first: what commits tell, and after that what only the ledger knows.
func (a *App) history(ctx context.Context) ([]record, error) {
	here, err := a.ledger()
	if err != nil {
		return nil, err
	}
	committed, err := a.stageCommits(ctx)
	if err != nil {
		return nil, err
	}
	for i, c := range committed { // what the ledger knows of a commit it knows better
		if at := slices.IndexFunc(here, func(r record) bool { return r.Commit == c.Commit }); at >= 0 {
			committed[i] = here[at]
			here = slices.Delete(here, at, at+1)
		}
	}
	// A record of which the commit is gone was committed again under another name, in a rebase for example.
	here = slices.DeleteFunc(here, func(r record) bool {
		return r.Commit != "" && r.Commit != wanted && slices.ContainsFunc(committed, func(c record) bool { return c.Stage == r.Stage })
	})
	return append(committed, here...), nil
}

// contents returns what a file held before a record and what the record left; nil for no file.
func (a *App) contents(r record, name string) (before, left []byte, err error) {
	if r.line == nil {
		return r.read[name][0], r.read[name][1], nil
	}
	if before, err = a.saved(r.Backup[name], r.Sums); err != nil {
		return nil, nil, err
	}
	left, err = a.saved(r.Left[name], r.Sums)
	return before, left, err
}

// saved reads a copy below stateDir, which must have the given sum.
func (a *App) saved(name string, sums map[string]string) ([]byte, error) {
	if name == "" {
		return nil, nil
	}
	data, err := a.disk.Read(txn.StateDir+"/"+name, input.State)
	if err == nil && sumOf(data) != sums[name] {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s/%s is not what Molt saved", txn.StateDir, name)}
	}
	if data == nil && err == nil {
		data = []byte{}
	}
	return data, err
}

func (r record) files() []string {
	if r.line == nil {
		return slices.Sorted(maps.Keys(r.read))
	}
	return slices.Sorted(maps.Keys(r.Backup))
}

// content reads a file of the application; nil when there is none.
func (a *App) content(name string) ([]byte, error) {
	data, err := a.disk.Read(name, input.State)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if data == nil {
		data = []byte{}
	}
	return data, err
}

// sum returns the SHA-256 of a file, "" when there is none.
func (a *App) sum(name string) (string, error) {
	data, err := a.content(name)
	if data == nil {
		return "", err
	}
	return sumOf(data), err
}

func sumOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// A Returned is what was taken back.
type Returned struct {
	Stages []string // latest first
	Files  []string
}

// Back returns to before a stage: the last one carried out, or the named one and all after it. It refuses when a file is
// not as the last stage left it, so that no later edit is lost, and shows the edits. The folder must be in use.
func (a *App) Back(ctx context.Context, id string) (*Returned, error) {
	records, err := a.history(ctx)
	if err != nil {
		return nil, err
	}
	if len(records) == 0 {
		return nil, &input.UsageError{Reason: "no stage has been carried out here"}
	}
	first := len(records) - 1
	for id != "" && first >= 0 && records[first].Stage != id {
		first--
	}
	if first < 0 {
		return nil, &input.UsageError{Reason: fmt.Sprintf("stage %q has not been carried out here", id)}
	}
	files, err := a.untouched(records[first:])
	if err != nil {
		return nil, err
	}
	var back, rest []string
	for _, r := range slices.Backward(records[first:]) {
		back = append(back, r.Stage)
	}
	for _, r := range records[:first] {
		rest = append(rest, string(r.line))
	}
	names := slices.Sorted(maps.Keys(files))
	t, err := a.begin("going back to before "+records[first].Stage, "back", append(names, planfile.File, ledgerFile)...)
	if err != nil {
		return nil, err
	}
	err = func() error {
		for _, name := range names {
			if err := a.replace(t, name, files[name]); err != nil {
				return err
			}
		}
		if err := a.unmark(t, back, files[a.Eco.Lock()]); err != nil {
			return err
		}
		return a.replace(t, ledgerFile, []byte(strings.Join(rest, "")))
	}()
	if err != nil {
		return nil, errors.Join(err, t.undo())
	}
	if err := t.commit(); err != nil {
		return nil, err
	}
	for _, r := range records[first:] {
		a.discard(r.Folder)
	}
	return &Returned{back, names}, a.reread()
}

// replace gives a file of a transaction a content, or takes it away where there is none.
func (a *App) replace(t *transaction, name string, data []byte) error {
	if len(data) == 0 && (data == nil || name == ledgerFile) {
		return a.disk.Remove(name)
	}
	if err := a.disk.Mkdir(path.Dir(name)); err != nil {
		return err
	}
	return t.write(name, data)
}

// unmark makes stages of the plan pending again.
func (a *App) unmark(t *transaction, stages []string, lock []byte) error {
	doc, err := a.ReadPlan()
	var none *input.UsageError
	if errors.As(err, &none) {
		return nil
	}
	if err != nil {
		return err
	}
	found := false
	for _, id := range stages {
		if s := doc.Stage(id); s != nil && s.Status == planfile.Done {
			found = true
			if err := doc.Mark(id, planfile.Pending, sumOf(lock)); err != nil {
				return err
			}
		}
	}
	// A stage of people's work leaves no record; one that follows what was taken back is to be looked at again.
	for i, s := range doc.Stages {
		if s.Status == planfile.Done && s.Raise != nil && slices.ContainsFunc(doc.Stages[:i], func(x planfile.Stage) bool { return slices.Contains(stages, x.ID) }) {
			found = true
			if err := doc.Mark(s.ID, planfile.Pending, ""); err != nil {
				return err
			}
		}
	}
	if !found {
		return nil
	}
	return t.write(planfile.File, doc.Text.Bytes())
}

// untouched returns the files that some records changed, with what each held before the first of them. It is an error
// when one is no longer as the last record that changed it left it.
func (a *App) untouched(records []record) (map[string][]byte, error) {
	first, last := map[string][]byte{}, map[string][]byte{}
	by := map[string]string{}
	for _, r := range records {
		for _, name := range r.files() {
			before, left, err := a.contents(r, name)
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
		now, err := a.content(name)
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
	return fmt.Sprintf("%s was edited after stage %s; going back would lose that: undo or save the edit first", e.File, e.Stage)
}

// mostEdits is how many lines of a diff are shown.
const mostEdits = 40

func edits(name string, from, to []byte) string {
	lines := slices.Collect(strings.Lines(udiff.Unified(name+" as it was left", name+" as it is", string(from), string(to))))
	if len(lines) > mostEdits {
		lines = append(lines[:mostEdits], fmt.Sprintf("… and %d lines more\n", len(lines)-mostEdits))
	}
	return strings.Join(lines, "")
}

// ChangesBack returns the changes that bring a declared package back to the release that it had before the last record
// that moved it, asked for as it was then.
func (a *App) ChangesBack(ctx context.Context, name string) ([]project.Change, error) {
	records, err := a.history(ctx)
	if err != nil {
		return nil, err
	}
	now := ""
	if a.Lock != nil {
		now = rootVersion(a.Lock, name)
	}
	for _, r := range slices.Backward(records) {
		before, left, err := a.contents(r, a.Eco.Lock())
		if err != nil {
			return nil, err
		}
		was, is := a.lockedIn(before, name), a.lockedIn(left, name)
		if was == "" || was == is || was == now {
			continue
		}
		text, _, err := a.contents(r, a.Eco.Manifest())
		if err != nil {
			return nil, err
		}
		old := map[spot]string{}
		if m, err := a.Eco.ReadManifest(a.Eco.Manifest(), text); text != nil && err == nil {
			old = spots(m)
		}
		var changes []project.Change
		for _, e := range a.Manifest.Entries() {
			if e.As != name {
				continue
			}
			c := project.Change{Name: name, Group: e.Group, From: project.Point{Constraint: e.Text, Version: now}, To: project.Point{Constraint: e.Text, Version: was}}
			if text, ok := old[spot{e.Group, name}]; ok {
				c.To.Constraint = text
			}
			changes = append(changes, c)
		}
		if changes == nil {
			return nil, &input.UsageError{Reason: fmt.Sprintf("%s is not declared any more; molt back %s returns to before it went", name, r.Stage)}
		}
		return changes, nil
	}
	return nil, &input.UsageError{Reason: fmt.Sprintf("nothing that was carried out here moved %s", name)}
}

// lockedIn returns the version that a declared name has in the text of a lock, "" for none.
func (a *App) lockedIn(data []byte, name string) string {
	if data == nil {
		return ""
	}
	l, err := a.Eco.DecodeLock(a.Eco.Lock(), data)
	if err != nil {
		return ""
	}
	return rootVersion(l, name)
}

func rootVersion(l *ecosystem.Lock, name string) string {
	if n := l.Resolution().Root(name); n != nil {
		return n.Version
	}
	return ""
}

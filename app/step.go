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
	"os"
	"time"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/upgrade"
	"molt/ecosystem"
)

// A Step is a stage that was carried out, or tried.
type Step struct {
	Stage    StageDoc
	Verdicts []Verdict
	Passed   bool
	Left     int // stages still to do
}

// A record is one line of the ledger: a stage that was carried out, with what is needed to go back.
type record struct {
	Stage  string            `json:"stage"`
	Goal   string            `json:"goal"`
	At     time.Time         `json:"at"`
	Backup map[string]string `json:"backup"` // files to what they held before, as in a journal
	Sums   map[string]string `json:"sums"`   // SHA-256 of what the stage left, "" for no file
}

// A StaleError reports that the application is no longer what a plan was made for.
type StaleError struct{ Reason string }

func (e *StaleError) Error() string { return e.Reason }

// Step carries out the next stage of the plan: manifest, lock, checks, verdict. A stage whose checks fail is taken
// back. An id, if given, must be that of the next stage. The folder must be in use.
func (a *App) Step(ctx context.Context, source universe.Source, id string, watch Watcher) (*Step, error) {
	doc, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	stage := doc.Next()
	switch {
	case stage == nil:
		return nil, &UsageError{fmt.Sprintf("every stage of %s is done", PlanFile)}
	case id != "" && doc.Stage(id) == nil:
		return nil, &UsageError{fmt.Sprintf("%s has no stage %q", PlanFile, id)}
	case id != "" && id != stage.ID:
		return nil, &UsageError{fmt.Sprintf("the next stage is %q; to do %q first, move it up in %s", stage.ID, id, PlanFile)}
	}
	if len(stage.Raise) > 0 {
		return a.stepByHand(doc, stage)
	}
	manifest, lock, err := a.rehearse(ctx, source, stage)
	if err != nil {
		return nil, fmt.Errorf("stage %s: %w", stage.ID, err)
	}
	names := []string{a.Eco.Manifest(), a.Eco.Lock(), PlanFile, ledgerFile}
	t, err := a.begin("stage "+stage.ID, time.Now().UTC().Format("20060102-150405.000")+"-"+stage.ID, names...)
	if err != nil {
		return nil, err
	}
	step := &Step{}
	err = func() error {
		if err := t.write(a.Eco.Manifest(), manifest); err != nil {
			return err
		}
		if err := t.write(a.Eco.Lock(), lock); err != nil {
			return err
		}
		step.Verdicts, step.Passed, err = a.check(ctx, stage.ID, watch)
		if err != nil || !step.Passed {
			return err
		}
		stage.Status = Done
		return a.account(t, doc, stage)
	}()
	step.Stage = *stage
	if err != nil || !step.Passed {
		return step, errors.Join(err, t.undo())
	}
	for _, s := range doc.Stages {
		if s.Status == Pending {
			step.Left++
		}
	}
	if err := t.commit(); err != nil {
		return nil, err
	}
	return step, a.read()
}

// stepByHand ticks off a stage that only people can carry out, when they have.
func (a *App) stepByHand(doc *PlanDoc, stage *StageDoc) (*Step, error) {
	step := &Step{Passed: true}
	for _, r := range stage.Raise {
		here := a.Config.Runtime[r.Runtime]
		if _, err := a.Eco.Scheme().Constrain(r.Needs); err != nil {
			return nil, &UsageError{fmt.Sprintf("stage %s: %v", stage.ID, err)}
		}
		ok := upgrade.Suits(a.Eco.Scheme(), r.Needs, here)
		step.Passed = step.Passed && ok
		says := fmt.Sprintf("%s %s is deployed, %s needs %s", r.Runtime, here, r.By, r.Needs)
		if !ok {
			says += fmt.Sprintf("; raise it, then say so under \"runtime:\" in %s", ConfigFile)
		}
		step.Verdicts = append(step.Verdicts, Verdict{Name: r.Runtime, Passed: ok, Says: says})
	}
	step.Stage = *stage
	if !step.Passed {
		return step, nil
	}
	stage.Status = Done
	step.Stage = *stage
	for _, s := range doc.Stages {
		if s.Status == Pending {
			step.Left++
		}
	}
	return step, a.WritePlan(doc)
}

// rehearse makes the manifest and the lock that a stage leaves, in memory.
func (a *App) rehearse(ctx context.Context, source universe.Source, stage *StageDoc) (manifest, lock []byte, err error) {
	edited, err := a.Eco.ReadManifest(a.Eco.Manifest(), a.Manifest.Bytes())
	if err != nil {
		return nil, nil, err
	}
	to := map[string]string{}
	for _, c := range stage.Changes {
		if err := a.edit(edited, c); err != nil {
			return nil, nil, err
		}
		if c.To != nil {
			to[c.Name] = c.To.Version
		}
	}
	var before *solve.Resolution
	if a.Lock != nil {
		before = a.Lock.Resolution()
	}
	r, err := upgrade.LockStage(ctx, source, a.Application(), declared(edited), before, to)
	if err != nil {
		return nil, nil, err
	}
	l, err := ecosystem.NewLock(ctx, a.Eco, source, r)
	if err != nil {
		return nil, nil, err
	}
	return edited.Bytes(), a.Eco.EncodeLock(l), nil
}

// edit applies one change to a manifest, which must say what the plan expects.
func (a *App) edit(m ecosystem.Manifest, c ChangeDoc) error {
	if c.From != nil {
		found := false
		for _, e := range m.Entries() {
			if e.As == c.Name && e.Group == c.Group {
				found = true
				if e.Text != c.From.Constraint {
					return &StaleError{fmt.Sprintf("%s:%d: %s asks for %s, the plan expects %s; molt plan makes a new plan",
						a.Eco.Manifest(), e.Line, c.Name, e.Text, c.From.Constraint)}
				}
			}
		}
		if !found {
			return &StaleError{fmt.Sprintf("%s: the plan expects %s in %q; molt plan makes a new plan", a.Eco.Manifest(), c.Name, c.Group)}
		}
	}
	switch {
	case c.From == nil:
		return m.Add(c.Group, c.Name, c.To.Constraint)
	case c.To == nil:
		return m.Remove(c.Group, c.Name)
	case c.From.Constraint == c.To.Constraint:
		return nil
	}
	return m.Set(c.Group, c.Name, c.To.Constraint)
}

// account writes the plan with the stage done, and a line in the ledger.
func (a *App) account(t *transaction, doc *PlanDoc, stage *StageDoc) error {
	data, err := doc.Encode()
	if err != nil {
		return err
	}
	if err := t.write(PlanFile, data); err != nil {
		return err
	}
	return a.record(t, stage.ID, doc.Goal)
}

// record adds a line to the ledger: what a transaction did, with what is needed to go back.
func (a *App) record(t *transaction, stage, goal string) error {
	r := record{Stage: stage, Goal: goal, At: time.Now().UTC(), Backup: map[string]string{}, Sums: map[string]string{}}
	for name, saved := range t.journal.Files {
		if name == ledgerFile {
			continue
		}
		var err error
		r.Backup[name] = saved
		if r.Sums[name], err = a.sum(name); err != nil {
			return err
		}
	}
	line, err := json.Marshal(r)
	if err != nil {
		return err
	}
	ledger, err := os.ReadFile(a.path(ledgerFile))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return t.write(ledgerFile, append(append(ledger, line...), '\n'))
}

func (a *App) sum(name string) (string, error) {
	data, err := os.ReadFile(a.path(name))
	if errors.Is(err, fs.ErrNotExist) {
		return "", nil
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:]), err
}

// Back returns to before a stage: the last one carried out, or the named one and all after it. It refuses when the
// files are not as the last stage left them, so that no later edit is lost. It returns the stages taken back, latest
// first. The folder must be in use.
func (a *App) Back(id string) ([]string, error) {
	data, err := os.ReadFile(a.path(ledgerFile))
	if errors.Is(err, fs.ErrNotExist) {
		data, err = nil, nil
	}
	if err != nil {
		return nil, err
	}
	lines := bytes.SplitAfter(data, []byte("\n"))
	var records []record
	for n, line := range lines {
		if len(bytes.TrimSpace(line)) == 0 {
			continue
		}
		var r record
		if err := json.Unmarshal(line, &r); err != nil {
			return nil, fmt.Errorf("%s:%d cannot be read: %w", ledgerFile, n+1, err)
		}
		records = append(records, r)
	}
	if len(records) == 0 {
		return nil, &UsageError{"no stage has been carried out here"}
	}
	first := len(records) - 1
	for id != "" && first >= 0 && records[first].Stage != id {
		first--
	}
	if first < 0 {
		return nil, &UsageError{fmt.Sprintf("stage %q has not been carried out here", id)}
	}
	backup, err := a.untouched(records[first:])
	if err != nil {
		return nil, err
	}
	t, err := a.begin("going back to before "+records[first].Stage, "back", a.Eco.Manifest(), a.Eco.Lock(), ConfigFile, PlanFile, ledgerFile)
	if err != nil {
		return nil, err
	}
	err = func() error {
		for name, saved := range backup {
			if err := a.putBack(name, saved); err != nil {
				return err
			}
		}
		var rest []byte
		for _, line := range lines[:first] {
			rest = append(rest, line...)
		}
		return t.write(ledgerFile, rest)
	}()
	if err != nil {
		return nil, errors.Join(err, t.undo())
	}
	if err := t.commit(); err != nil {
		return nil, err
	}
	var back []string
	for i := len(records) - 1; i >= first; i-- {
		back = append(back, records[i].Stage)
	}
	return back, a.read()
}

// untouched returns the files that some records changed, with what each held before the first of them. It is an error
// when one is no longer as the last record that changed it left it, but for the plan, where people may note things.
func (a *App) untouched(records []record) (backup map[string]string, err error) {
	backup = map[string]string{}
	left := map[string]record{}
	for _, r := range records {
		for name, saved := range r.Backup {
			if _, earlier := backup[name]; !earlier {
				backup[name] = saved
			}
			left[name] = r
		}
	}
	for name, r := range left {
		now, err := a.sum(name)
		if err != nil {
			return nil, err
		}
		if now != r.Sums[name] && name != PlanFile {
			return nil, &StaleError{fmt.Sprintf("%s was edited after stage %s; going back would lose that: undo or save the edit first", name, r.Stage)}
		}
	}
	return backup, nil
}

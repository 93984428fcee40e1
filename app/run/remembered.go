package run

import (
	"encoding/json"
	"errors"
	"io/fs"
	"slices"
	"time"

	"molt/core/project"
	"molt/input"
	"molt/txn"
)

// VerdictsFile holds the verdicts on the state as it stands.
const VerdictsFile = txn.StateDir + "/checked.json"

// Remembered is the verdicts of the checks on one state of manifest and lock, and how long checks
// took. It is only remembered: without it, checks run again.
type Remembered struct {
	State    string    `json:"state"`
	Verdicts []Verdict `json:"verdicts"`
	// what people had in their files when some of these failed
	Sources string                   `json:"sources,omitempty"`
	Took    map[string]time.Duration `json:"took"`            // by stage, of the last run of its checks
	Plan    string                   `json:"plan"`            // SHA-256 of the plan as Molt last wrote or solved it
	Ran     []project.Passed         `json:"ran,omitempty"`   // with what all checks passed, the latest last
	Tried   []Tried                  `json:"tried,omitempty"` // stages that passed in a copy, the latest last
	// the stage that was tried last with a commit to come; edits since then are for it
	Begun string `json:"begun,omitempty"`
	Seal  string `json:"seal,omitempty"`
}

// A Tried is a stage that passed in a copy.
type Tried struct {
	Key      string        `json:"key"` // of all that its verdict depends on
	Verdicts []Verdict     `json:"verdicts"`
	Took     time.Duration `json:"took"`
}

// mostTried is how many of these are remembered.
const mostTried = 80

// RememberTried keeps that a stage passed in a copy.
func (r Runner) RememberTried(t Tried) error {
	c, err := r.Remembered()
	if err != nil {
		return err
	}
	c.Tried = append(slices.DeleteFunc(c.Tried, func(x Tried) bool { return x.Key == t.Key }), t)
	c.Tried = c.Tried[max(0, len(c.Tried)-mostTried):]
	return r.write(c)
}

// rememberedKind is what seals of verdicts are about.
const rememberedKind = "checked"

// Remembered reads what is remembered; what Molt did not write for this user on this machine does
// not count, since it could excuse a failure.
func (r Runner) Remembered() (Remembered, error) {
	c := Remembered{}
	data, err := r.Files.Read(VerdictsFile, input.State)
	if errors.Is(err, fs.ErrNotExist) {
		err = nil
	} else if err == nil && (json.Unmarshal(data, &c) != nil || !r.own(c)) {
		c = Remembered{}
	}
	if c.Took == nil {
		c.Took = map[string]time.Duration{}
	}
	return c, err
}

func (r Runner) own(c Remembered) bool {
	seal := c.Seal
	c.Seal = ""
	plain, err := json.Marshal(c)
	return err == nil && r.Files.Sealed(rememberedKind, plain, seal)
}

func (r Runner) write(c Remembered) error {
	c.Seal = ""
	plain, err := json.Marshal(c)
	if err != nil {
		return err
	}
	if c.Seal, err = r.Files.Seal(rememberedKind, plain); err != nil {
		return err
	}
	data, err := json.Marshal(c)
	if err != nil {
		return err
	}
	return r.Files.Put(VerdictsFile, data)
}

// Remember keeps the verdicts on a stage's state.
func (r Runner) Remember(state, sources, stage string, verdicts []Verdict) error {
	c, err := r.Remembered()
	if err != nil {
		return err
	}
	c.State, c.Sources = state, sources
	took := time.Duration(0)
	for _, v := range verdicts {
		took += v.Took
		c.Verdicts = slices.DeleteFunc(c.Verdicts, func(x Verdict) bool { return x.Name == v.Name })
		if !v.Task {
			c.Verdicts = append(c.Verdicts, v)
		}
	}
	c.Took[stage] = took
	return r.write(c)
}

// mostRan is how many states with which the checks passed are remembered.
const mostRan = 40

// RememberRan keeps with what all checks passed.
func (r Runner) RememberRan(ran project.Passed) error {
	c, err := r.Remembered()
	if err != nil {
		return err
	}
	c.Ran = append(slices.DeleteFunc(c.Ran, func(x project.Passed) bool { return x.Lock == ran.Lock }), ran)
	c.Ran = c.Ran[max(0, len(c.Ran)-mostRan):]
	return r.write(c)
}

// RememberBegun keeps which stage was begun with a commit to come.
func (r Runner) RememberBegun(stage string) error {
	c, err := r.Remembered()
	if err != nil || c.Begun == stage {
		return err
	}
	c.Begun = stage
	return r.write(c)
}

// RememberPlan keeps which text of the plan was solved, whole.
func (r Runner) RememberPlan(text []byte) error {
	c, err := r.Remembered()
	if err != nil || c.Plan == txn.Sum(text) {
		return err
	}
	c.Plan = txn.Sum(text)
	return r.write(c)
}

// PlanEdited reports whether people edited the plan since it was last solved, as a whole.
func (r Runner) PlanEdited(text []byte) (bool, error) {
	c, err := r.Remembered()
	return c.Plan != txn.Sum(text), err
}

package stages

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"slices"
	"strings"
	"time"

	"molt/app/change"
	"molt/app/config"
	"molt/app/open"
	"molt/app/planfile"
	"molt/core/assess"
	"molt/core/fact"
	"molt/core/plan"
	"molt/core/project"
	"molt/core/version"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
	"molt/txn"
)

// MakePlan makes the plan for some goals, the first of which is the framework's, with what it means for people.
func MakePlan(ctx context.Context, a *open.Question, goals []project.Goal,
	cut plan.Cut) (*planfile.Plan, *plan.Plan, error) {
	application := a.Application()
	planned, err := plan.NewPlan(ctx, a.Source, application, goals, cut)
	if err != nil {
		return nil, nil, err
	}
	file := planfile.New(planned, a.Say)
	for _, s := range planned.Sketch {
		file.Beyond = append(file.Beyond, planfile.NewStageDoc(s, a.Say))
	}
	if file.Ecosystem = a.SideName(); file.Ecosystem != "" { // stages of all sides are told by their names
		for i := range file.Stages {
			file.Stages[i].ID = file.Ecosystem + "-" + file.Stages[i].ID
		}
		for i := range file.Beyond {
			file.Beyond[i].ID = file.Ecosystem + "-" + file.Beyond[i].ID
		}
	}
	file.Made = &doc.PlanMade{On: a.Now().Format(time.DateOnly), Fresh: string(cut.Fresh), Leap: cut.Leap,
		Offered: map[string][]string{}}
	if file.Made.Lock, err = lockSum(a.View); err != nil {
		return nil, nil, err
	}
	if file.Made.Registry, err = registrySum(ctx, a); err != nil {
		return nil, nil, err
	}
	if file.Costs, err = costs(ctx, a, planned, goals, cut); err != nil {
		return nil, nil, err
	}
	files, err := importers(a.View)
	if err != nil {
		return nil, nil, err
	}
	if err := addUses(a.View, file); err != nil {
		return nil, nil, err
	}
	for i := range file.Stages {
		s := &file.Stages[i]
		s.Effort = effortOf(a.View, s, files)
		if s.Effort != nil {
			s.Effort.Evidence = string(planned.Stages[i].Weakest)
		}
		s.Advice = append(s.Advice, adviceFor(a.View, s, planned.Touches)...)
		file.Made.Offered[s.ID] = planfile.OfferOf(s)
	}
	return file, planned, nil
}

// addUses says of every package that a stage removes where the source still imports it.
func addUses(a *open.View, file *planfile.Plan) error {
	var removed []*doc.PlanChange
	var names []string
	for i := range file.Stages {
		for j := range file.Stages[i].Changes {
			if c := &file.Stages[i].Changes[j]; c.To == nil {
				removed, names = append(removed, c), append(names, c.Name)
			}
		}
	}
	at, err := change.Importers(a, names)
	for _, c := range removed {
		c.Uses = at[c.Name]
	}
	return err
}

// costs says what the decisions of people cost.
func costs(ctx context.Context, a *open.Question, p *plan.Plan, goals []project.Goal, cut plan.Cut) (said []doc.Sentence, err error) {
	application := a.Application()
	costs, err := p.Costs(ctx, a.Source, application, goals, cut)
	if err == nil && a.Unsettled != nil {
		var cost fact.Fact
		if cost, err = p.CostOf(ctx, a.Unsettled, application, goals, cut); !cost.None() {
			costs = append(costs, fact.New(plan.Without, fact.New(doc.WaitToSettle), cost))
		}
	}
	for _, cost := range costs {
		said = append(said, a.Say(cost))
	}
	return said, err
}

// registrySum identifies what the registry has of the declared packages.
func registrySum(ctx context.Context, a *open.Question) (string, error) {
	var text strings.Builder
	names := a.DeclaredPackages()
	slices.Sort(names)
	for _, name := range slices.Compact(names) {
		p, err := a.Source.Package(ctx, name)
		if err != nil {
			return "", err
		}
		fmt.Fprintf(&text, "%s %v\n", name, p.Versions())
	}
	return txn.Sum([]byte(text.String())), nil
}

// importers returns the files of the source that import each package.
func importers(a *open.View) (map[string]map[string]bool, error) {
	imports, err := ecosystem.Imports(a.Eco, os.DirFS(a.Dir))
	if err != nil {
		return nil, err
	}
	files := map[string]map[string]bool{}
	for _, i := range imports {
		if files[i.Package] == nil {
			files[i.Package] = map[string]bool{}
		}
		files[i.Package][i.File] = true
	}
	return files, nil
}

// effortOf says at a glance what a stage means for people, but for the evidence.
func effortOf(a *open.View, s *doc.PlanStage, files map[string]map[string]bool) *doc.Effort {
	if len(s.Changes) == 0 {
		return nil
	}
	greatest := version.Same
	touched := map[string]bool{}
	for _, c := range s.Changes {
		jump := version.Major // what comes and what goes
		if c.From != nil && c.To != nil {
			from, errFrom := a.Eco.Scheme().Parse(c.From.Version)
			to, errTo := a.Eco.Scheme().Parse(c.To.Version)
			if errFrom != nil || errTo != nil {
				continue
			}
			jump = a.Application().JumpOf(c.Name, from, to)
		}
		greatest = max(greatest, jump)
		maps.Copy(touched, files[c.Name])
	}
	return &doc.Effort{Jump: greatest.String(), Files: len(touched)}
}

// adviceFor returns what of the facts that touch the application is for a stage.
func adviceFor(a *open.View, s *doc.PlanStage, touches []assess.Touch) []doc.Guidance {
	var all []doc.Guidance
	for _, t := range touches {
		f, goal, fits := t.Advice, s.ID == "goal-"+t.To, false
		switch f.Kind {
		case project.AboutRuntime:
			fits = slices.ContainsFunc(s.Raise, func(r doc.Runtime) bool { return r.Name == f.Name })
		case project.AboutSymbol, project.AboutOption, project.AboutCommand, project.AboutLink:
			fits = goal
		case project.AboutSwallowed, project.AboutRenamed:
			fits = slices.ContainsFunc(s.Changes, func(c doc.PlanChange) bool { return c.Name == f.Name && c.To == nil })
		default:
			fits = slices.Contains(planfile.NamesOf(s), f.Name) && s.Kind != string(plan.PatchStage) &&
				s.Kind != string(plan.MinorStage)
		}
		if fits {
			all = append(all, doc.Guidance{
				Says: a.Say(f.Said()), Run: f.Run, Found: f.Found, Link: f.Link,
				Source: a.Say(fact.New(doc.AdviceSource, f.Source, string(f.Confidence)))})
		}
	}
	return all
}

// CheckTimes returns how long the tasks and checks of each stage took when they last ran here.
func CheckTimes(a *open.View) (map[string]time.Duration, error) {
	c, err := a.Runner().Remembered()
	return c.Took, err
}

// Goals reads the goals of a call, else those of molt.yaml.
func Goals(a *open.View, args []string) ([]project.Goal, error) {
	if len(args) == 0 {
		args = a.Configured()
	}
	if len(args) == 0 {
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("name a goal such as brackwater@5, or set \"goal:\" in %s", config.File)}
	}
	var goals []project.Goal
	for _, text := range args {
		goals = append(goals, a.ParseGoal(text))
	}
	return goals, nil
}

// HasGoal reports whether the configuration names a goal.
func HasGoal(a *open.View) bool { return len(a.Configured()) > 0 }

// WritePlan puts a plan on disk. A plan that people wrote into, or that cannot be read, is kept
// under another name, which is returned; "" when there was none. The folder must be in use.
func WritePlan(a *open.View, file *planfile.Plan) (aside string, err error) {
	data, err := file.Encode()
	if err != nil {
		return "", err
	}
	aside, before, err := replaced(a)
	if err != nil {
		return "", err
	}
	return aside, open.WritePlanText(a, "plan", data, before)
}

// replaced returns the file of the plan that is there, and the name under which it is to be kept;
// "" where nothing of it would be lost.
func replaced(a *open.View) (aside string, file map[string][]byte, err error) {
	whole, err := a.Files.Content(planfile.File)
	if whole == nil || err != nil {
		return "", nil, err
	}
	text, err := a.ReadPlanText()
	if errors.Is(err, fs.ErrNotExist) { // what there is is of another side, or of a time when there was one
		text, err = planfile.Nameless(whole), nil
	}
	if text == nil || err != nil {
		return "", nil, err
	}
	if old, err := planfile.Read(planfile.File, text); err == nil && !old.Decided() {
		return "", nil, nil
	}
	for n := 1; ; n++ {
		aside = planfile.Aside(n)
		switch there, err := a.Files.Content(aside); {
		case err != nil:
			return "", nil, err
		case there == nil || bytes.Equal(there, whole):
			return aside, map[string][]byte{aside: whole}, nil
		}
	}
}

// lockSum returns the SHA-256 of the lock, "" when there is none.
func lockSum(a *open.View) (string, error) {
	data, err := a.Files.Content(a.LockFile())
	if data == nil {
		return "", err
	}
	return txn.Sum(data), err
}

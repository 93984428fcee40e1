package ask

import (
	"fmt"
	"slices"

	"molt/app/open"
	"molt/app/planfile"
	"molt/core/inspect"
	"molt/core/version"
	"molt/doc"
)

// The command to go on with is decided here, for each answer; nil where there is nothing to go on with.

func next(run, why string, args ...any) *doc.Next {
	return &doc.Next{Run: run, Why: fmt.Sprintf(why, args...)}
}

// pendingStage is the command for the next stage of the plan, nil without one.
func pendingStage(a *open.View) *doc.Next {
	file, err := a.ReadPlan()
	if err != nil {
		return nil
	}
	stage := file.Next()
	switch {
	case stage == nil:
		return nil
	case stage.Raise != nil:
		return next("molt step", "ticks off %s, when people have done it", stage.ID)
	}
	return next("molt step", "carries out %s, the next stage of %s", stage.ID, planfile.File)
}

func nextOfSurvey(a *open.View, rows []inspect.Row) *doc.Next {
	if a.Lock == nil {
		return next("molt relock", "writes %s from the manifest", a.LockFile())
	}
	if n := pendingStage(a); n != nil {
		return n
	}
	plan, err := a.ReadPlan()
	reached := err == nil && plan.Reachable && len(plan.Stages) > 0 // and no stage is to do
	if goal := a.GoalText(); goal != "" && !reached {
		return next("molt assess", "says what %s means for every package", goal)
	}
	framework := a.Application().Framework()
	i := slices.IndexFunc(rows, func(r inspect.Row) bool { return r.Name == framework && r.Jump == version.Major })
	if i < 0 {
		i = slices.IndexFunc(rows, func(r inspect.Row) bool { return r.Jump == version.Major })
	}
	if i < 0 {
		return nil
	}
	return next("molt assess "+rows[i].Name, "says what its newest major means for every package")
}

func nextOfAssess(answer doc.Assess, goals string) *doc.Next {
	switch {
	case answer.Reached && answer.Reachable:
		return nil
	case answer.Reachable:
		return next("molt plan"+goals, "cuts the way there into stages")
	}
	return next("molt plan"+goals, "plans as far as it goes today")
}

func nextOfPlan(answer doc.Plan, dry bool, goals string) *doc.Next {
	for _, s := range answer.Stages {
		switch {
		case s.Status == doc.Done:
		case dry:
			return next("molt plan"+goals, "writes this to %s", planfile.File)
		case s.Raise != nil:
			return next("molt step", "ticks off %s, when people have done it", s.ID)
		default:
			return next("molt trial", "tries %s in a copy; molt step carries it out", s.ID)
		}
	}
	return nil
}

func nextOfStep(answer doc.Step) *doc.Next {
	switch {
	case !answer.Passed && answer.Stage.Raise != nil:
		return next("molt step", "ticks it off, when it is done")
	case !answer.Passed && answer.Culprit == nil && len(answer.Stage.Changes) > 1:
		return next("molt step --find-culprit", "finds out which of its %d changes it is", len(answer.Stage.Changes))
	case !answer.Passed || answer.Left == 0 && answer.Elsewhere == "":
		return nil
	case answer.Left == 0:
		return next("molt step", "goes on with %s; molt back returns to before this stage", answer.Elsewhere)
	}
	return next("molt step", "goes on; molt back returns to before this stage")
}

func nextOfTrial(answer doc.TrialRun) *doc.Next {
	switch {
	case answer.Alone || len(answer.Stages) == 0:
		return nil
	case answer.Passed:
		return next("molt step", "carries out the next stage in the application itself")
	case len(answer.Each) > 1:
		return next("molt step", "carries out %s, which passes; mend the application before %s", answer.Stages[0],
			answer.Each[len(answer.Each)-1].Stage)
	case len(answer.Each) == 0 && len(answer.Stages) > 1:
		return next("molt trial --all", "tries the stages one after the other, and shows which of them fails")
	}
	return next("molt step --find-culprit", "carries it out, and when it fails finds out which change it is")
}

func nextOfVerify(answer doc.Verify) *doc.Next {
	for _, about := range answer.OutOfDate {
		switch about {
		case "lock":
			return next("molt relock", "makes the lock anew from the manifest")
		case "installed":
			return next("molt install", "lays out what the lock says")
		}
	}
	return nil
}

// goalArgs are goals as arguments of a command, with a space before each.
func goalArgs(goals []string) (text string) {
	for _, g := range goals {
		text += " " + g
	}
	return text
}

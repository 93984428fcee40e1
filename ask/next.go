package ask

import (
	"slices"

	"molt/app/open"
	"molt/app/planfile"
	"molt/core/fact"
	"molt/core/inspect"
	"molt/core/version"
	"molt/doc"
)

// The command to go on with is decided here, for each answer; nil where there is nothing to go on with.

func next(run doc.Call, why fact.Kind, of ...any) *doc.Next {
	return &doc.Next{Run: run, Why: doc.Sentence{Fact: fact.New(why, of...)}}
}

// call is a call of Molt.
func call(command string, args ...string) doc.Call { return doc.Call{Command: command, Args: args} }

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
		return next(call("step"), doc.TicksOff, stage.ID)
	}
	return next(call("step"), doc.CarriesOut, stage.ID, planfile.File)
}

func nextOfSurvey(a *open.View, rows []inspect.Row) *doc.Next {
	if a.Lock == nil {
		return next(call("relock"), doc.WritesLock, a.LockFile())
	}
	if n := pendingStage(a); n != nil {
		return n
	}
	plan, err := a.ReadPlan()
	reached := err == nil && plan.Reachable && len(plan.Stages) > 0 // and no stage is to do
	if goal := a.GoalText(); goal != "" && !reached {
		return next(call("assess"), doc.SaysWhatMeans, goal)
	}
	framework := a.Application().Framework()
	i := slices.IndexFunc(rows, func(r inspect.Row) bool { return r.Name == framework && r.Jump == version.Major })
	if i < 0 {
		i = slices.IndexFunc(rows, func(r inspect.Row) bool { return r.Jump == version.Major })
	}
	if i < 0 {
		return nil
	}
	return next(call("assess", rows[i].Name), doc.SaysWhatNewest)
}

func nextOfAssess(answer doc.Assess, goals []string) *doc.Next {
	switch {
	case answer.Reached && answer.Reachable:
		return nil
	case answer.Reachable:
		return next(call("plan", goals...), doc.CutsStages)
	}
	return next(call("plan", goals...), doc.PlansAsFar)
}

func nextOfPlan(answer doc.Plan, dry bool, goals []string) *doc.Next {
	for _, s := range answer.Stages {
		switch {
		case s.Status == doc.Done:
		case dry:
			return next(call("plan", goals...), doc.WritesThis, planfile.File)
		case s.Raise != nil:
			return next(call("step"), doc.TicksOff, s.ID)
		default:
			return next(call("trial"), doc.TriesStage, s.ID)
		}
	}
	return nil
}

func nextOfStep(answer doc.Step) *doc.Next {
	switch {
	case !answer.Passed && answer.Stage.Raise != nil:
		return next(call("step"), doc.TicksIt)
	case !answer.Passed && answer.Culprit == nil && len(answer.Stage.Changes) > 1:
		return next(call("step", "--find-culprit"), doc.FindsCulprit, len(answer.Stage.Changes))
	case !answer.Passed || answer.Left == 0 && answer.Elsewhere == "":
		return nil
	case answer.Left == 0:
		return next(call("step"), doc.GoesOnWith, answer.Elsewhere)
	}
	return next(call("step"), doc.GoesOn)
}

func nextOfTrial(answer doc.TrialRun) *doc.Next {
	switch {
	case answer.Alone || len(answer.Stages) == 0:
		return nil
	case answer.Passed:
		return next(call("step"), doc.CarriesOutNext)
	case len(answer.Each) > 1:
		return next(call("step"), doc.CarriesOutUntil, answer.Stages[0],
			answer.Each[len(answer.Each)-1].Stage)
	case len(answer.Each) == 0 && len(answer.Stages) > 1:
		return next(call("trial", "--all"), doc.TriesEach)
	}
	return next(call("step", "--find-culprit"), doc.CarriesOutAgain)
}

func nextOfVerify(answer doc.Verify) *doc.Next {
	for _, about := range answer.OutOfDate {
		switch about {
		case "lock":
			return next(call("relock"), doc.RenewsLock)
		case "installed":
			return next(call("install"), doc.LaysOut)
		}
	}
	return nil
}

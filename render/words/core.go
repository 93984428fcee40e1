package words

import (
	"molt/core/assess"
	"molt/core/conflict"
	"molt/core/fact"
	"molt/core/inspect"
	"molt/core/plan"
	"molt/core/project"
)

// ofProject are the words for why a package cannot have a release, and for what upgrade guides say.
var ofProject = table{
	project.AsksFor:         "%s asks for %s",
	project.AsksForGiven:    "%s asks for %s, and %s is given from outside",
	project.AsksForOther:    "%s asks for %s, and %s for %s",
	project.AsksForDeclared: "%s asks for %s, and the manifest for %s",
	project.AsksForStaying:  "%s asks for %s, and %s stays at %s",
	project.AsksForOnward:   "%s asks for %s, and that for %s",
	project.AsksInVain:      "%s asks for %s, which does not resolve here",
	project.NeedsRuntime:    "%s needs %s %s, and %s is deployed",
	project.Unusable:        "%s %s",
	project.Unresolved:      "%s does not resolve with everything else",
	project.HeldBack:        "%s is held at a release that is not compatible with %s",
	project.NoneCompatible:  "%s: no release is compatible with %s",

	project.GuideRuntime:  "needs %s %s",
	project.GuideRenamed:  "%s goes on as %s",
	project.GuideTaken:    "%s is part of it",
	project.GuideBeside:   "%s must be at %s",
	project.GuideTogether: "%s goes to %s together with it",
	project.GuideBecomes:  "%s becomes %s",
	project.GuideGone:     "%s is gone",
	project.GuideRun:      "run %s",
	project.GuideRead:     "read %s",
	project.GuideStop:     "go by way of %s",
	project.GuideAdds:     "%s: %s",
	project.GuideSource:   "advice: %s (%s)",

	project.OneScope: "one scope",
	project.OneStem:  "one name stem",
	project.OneAfter: "one named after the other",
}

// ofAssess are the words of evidence and of what an assessment remarks.
var ofAssess = table{
	assess.Asks:        "asks for %s",
	assess.Unreadable:  "%s, which cannot be read",
	assess.AsksOpenly:  "%s, open range: does not rule it out, promises nothing",
	assess.AskedBefore: "%s, open range, published %s, %s before %s %s existed: promises nothing",
	assess.DaysBefore:  "%s, published %s, %s before %s %s existed",
	assess.DaysAfter:   "%s, published %s, %s after %s %s",
	assess.AmongLater: "%s, published %s, when later releases of %s existed than those of its " +
		"major %s",
	assess.ReleaseAsks:   "%s %s asks for %s",
	assess.ReleaseNames:  "%s %s names %s",
	assess.ReleaseSilent: "%s %s says nothing about %s",
	assess.Names:         "names %s",
	assess.DevelopedWith: "%s, and its authors develop it with %s",
	assess.GoesByMajors:  "%s, and goes by the majors of %s",
	assess.BeginsAt:      "%s, and %s, where support of it begins",
	assess.NamesOthers:   "%s, and not %s",
	assess.FirstToAccept: "%s, the first to accept it",
	assess.SoNotTaken:    "%s, and %s: so %s is not taken to be compatible with %s",
	assess.Both:          "%s, and %s",
	assess.NoPromise:     "%s: no promise",
	assess.Overridden:    "overrides has %s %s",
	assess.AndOverridden: "%s, and overrides has %s %s",
	assess.OwnCopy:       "%s; a need, and not a peer: it has a copy of its own",
	assess.SecondCopy: "%s; a need, and not a peer: it shares the application's copy only while the range admits that, and " +
		"brings a second copy after",
	assess.NoSecondCopy: "%s; a need, and not a peer: it would bring a second copy of %s beside the goal, which Molt does " +
		"not accept",
	assess.Describing:    "describes %s, and goes by its majors",
	assess.SetAsideFor:   "what it asks of %s is set aside: %s",
	assess.IsFramework:   "is the framework itself, of which there is one release by then",
	assess.IsGoal:        "is a goal itself",
	assess.Held:          "held: %s",
	assess.PassedWith:    "the application's checks passed with it and %s %s here, on %s",
	assess.OnlyOlder:     "only %s and older would do; nothing goes back unasked",
	assess.OnlyOlderMute: "only %s and older would do, which state nothing; nothing goes back unasked",
	assess.OnlyPreview:   "only the prerelease %s is compatible with it: %s",
	assess.LastRelease:   "its last release is %s, published %s, before %s %s",
	assess.NeedsDeployed: "needs %s %s, and %s is deployed",
	assess.BringsIn:      "brings in %s %s, of which no release is compatible with the goal",
	assess.BringsTypes:   "%s %s brings its own type declarations",
	assess.Advises:       "%s %s: %s",
	assess.AdvisedBy:     "%s, says %s",

	assess.DatesInDisorder: "the publication times of %s contradict the order of its versions; dates were not weighed",
	assess.AbsentOptional:  "is optional, and the registry has no such package",
	assess.FromElsewhere:   "comes from %s, and not from the registry",
	assess.Accepting:       "is compatible with %s %s",
	assess.AcceptingAs:     "%s, as its prerelease %s does",

	assess.AtRelease:     "%s %s",
	assess.AtDemands:     "%s %s, %s",
	assess.AtClaims:      "%s %s, classifiers",
	assess.AtRuntimes:    "%s %s, runtime",
	assess.AtDeprecation: "%s %s, deprecation",
	assess.AtPackage:     "%s",
	assess.AtHold:        "hold",
	assess.AtGoals:       "the goals",
	assess.AtName:        "its name",
	assess.AtManifest:    "manifest",
	assess.AtSettings:    "molt.yaml",
	assess.AtHome:        "here",

	assess.DeclaredFamily: "declared as a family",
	assess.SameNumbers:    "%s, and equal release numbers",
	assess.SameDays:       "%s, and released on the same days",
	assess.OneRepository:  "one repository",
	assess.AsksExactly:    "one asks for exactly the other",
}

// ofPlan are the words of titles and reasons of a plan.
var ofPlan = table{
	plan.LockManifest: "lock what the manifest asks for",
	plan.AllFresh:     "all %s releases, together",
	plan.AheadOf:      "%s ahead of %s %s",
	plan.ToMajor:      "%s %s",
	plan.RaiseRuntime: "raise the runtime",
	plan.AloneBreaks:  "%s: a breaking move on its own",
	plan.StepBreaks:   "%s: breaking moves, in step",
	plan.NothingNew:   "newer releases that do not break, together",
	plan.TakeOut:      "take out %s",
	plan.Becomes:      "%s becomes %s",
	plan.MovesTo:      "%s %s",
	plan.MovesInStep:  "%s %s, with what moves in step",

	plan.NewestOf:       "newest %s release",
	plan.NewestUnbroken: "newest release that does not break",
	plan.NewestOfAll:    "the newest release",
	plan.NewestFitting:  "the newest release that is compatible with everything else",
	plan.AcceptsBoth:    "is compatible with %s %s and with %s",
	plan.MovesWith:      "moves with %s",
	plan.MovesWithKin:   "moves with its family",
	plan.IsTheGoal:      "the goal",
	plan.IsTheGoalToo:   "the goal, of which there is one release",
	plan.NotPublished:   "%s is not among the releases that the registry shows",
	plan.GoesAsTypes:    "it describes %s, and moves with it",
	plan.GoesByNumber:   "it shares the numbers of %s, and moves with it",
	plan.AsksForMoving:  "asks for %s %s, which moves to %s",
	plan.IsAskedFor:     "%s asks for %s %s",
	plan.FailsWithGoal:  "%s does not resolve with what %s %s brings along",
	plan.RefusesMajor:   "%s refuses %s %s",
	plan.NoneForBoth:    "releases that accept %s %s no longer accept %s",
	plan.StepFamily:     "it moves in step with %s, which does not go ahead",
	plan.BothUnresolved: "releases that accept %s %s do not resolve with what is there before",
	plan.PastItsLine:    "%s; only the goal takes it past its line %s",
	plan.NoneElse:       "deprecated, and no other release serves: %s",
	plan.Retires:        "%s: %s",
	plan.SucceedsTo:     "successor of %s",
	plan.NoSuccessor:    "the registry has no %s",
	plan.SuccessorFails: "no release of %s is compatible with %s",
	plan.StaysBehindKin: "%s stays, as %s does not resolve here",
	plan.OnlyTogether:   "only together do they resolve",

	plan.NumbersEnd: "it is published under the numbers of %s, and has no release of %s %s: look whether you still need it",

	plan.LineKeeps:       "its line %s keeps it there",
	plan.FollowsGoal:     "it follows %s, which stays at its major",
	plan.NeverPasses:     "it describes %s, and never passes its major",
	plan.DescribedStays:  "it describes %s, which stays at %s",
	plan.KinEnds:         "it moves in step with %s, whose last release is %s: look whether you still need that",
	plan.GoalKeeps:       "the goal %s keeps it there",
	plan.NotCompatible:   "%s is not compatible with %s",
	plan.CouldGo:         "it could go, and other moves came first",
	plan.CouldGoWith:     "it could go with %s, and other moves came first",
	plan.NextMajorIsGoal: "the framework's next major is a goal: molt plan %s@%s",
	plan.Irresolvable:    "%s does not resolve even by itself, without anything else that is declared",
	plan.PreviewWould:    "%s; the prerelease %s would",

	plan.Without:    "without %s, %s",
	plan.HoldOf:     "the hold on %s",
	plan.GivenSet:   "what is given from outside",
	plan.PolicyRule: "the policy",
	plan.GoalOpens:  "the goal could be reached",
	plan.GoalCloses: "the goal would be out of reach",
	plan.MoreStages: "%s more",
	plan.LessStages: "%s fewer",
	plan.EndsAt:     "it would end at %s",
	plan.EndsAtMore: "it would end at %s, %d more",

	plan.GetsUnknown:   "%s gets %s; why not %s is not known: %s",
	plan.GetsForOthers: "%s gets %s, as %s has to give way to the others that were asked for",
	plan.GetsSince:     "%s gets %s: %s",
	plan.NewerRuntime:  "it needs a newer runtime than before",
	plan.WasAdded:      "%s was added",
	plan.WasRemoved:    "%s was removed",
	plan.WentTo:        "%s went from %s to %s",
	plan.OnlyRepairs:   "only repairs and tools moved",
}

// ofConflict are the words of ways out, and of why a package is not at a release.
var ofConflict = table{
	conflict.LineBecomes:   "%s: %s becomes %s",
	conflict.TakeOut:       "take out %s",
	conflict.AllowPreviews: "allow previews of %s",
	conflict.WithPreviews:  "allow previews of %s: %s",
	conflict.LiftHold:      "lift the hold on %s",
	conflict.GoBack:        "go back to %s %s",
	conflict.BuildSource:   "build %s from source",
	conflict.RaiseTo:       "raise %s from %s to %s",
	conflict.RaiseSomehow:  "raise %s from %s to newer",
	conflict.ReplacedBy:    "%s becomes %s %s",
	conflict.WithoutGoal:   "leave out the goal %s",
	conflict.OnlyAsFar:     "go only as far as %s",
	conflict.SetAside:      "set aside what %s asks of %s",
	conflict.WaitRelease:   "wait for a release of %s that is compatible with %s",
	conflict.WaitReleases:  "wait for releases of all of these that go with %s: %s",
	conflict.WaitAndMore:   "%s; more than that is in the way",
	conflict.WaitWithout:   "wait for releases of %s that do not ask for %s %s",
	conflict.OneOfWays:     "way out",

	conflict.RuledOut:    "%s is out of the question, as %s",
	conflict.NothingFits: "the application itself does not resolve: %s",
	conflict.SuccessorOf: "successor of %s",
}

// ofInspect are the words for better constraints.
var ofInspect = table{
	inspect.KeepsToNewest: "%s admits every major that will ever come; this keeps to %s, the newest release that resolves " +
		"with the rest, and what is compatible with it",
	inspect.KeepsToLocked: "%s admits every major that will ever come; this keeps to %s, what is locked, and what is " +
		"compatible with it",
	inspect.RefusesFitting: "%s refuses %s, the newest release that resolves with the rest and does not break with %s, " +
		"which is locked",
	inspect.RefusesBreaking: "%s refuses %s, the newest release that resolves with the rest; that is a breaking move from " +
		"%s, which is locked",
	inspect.RefusesNewest: "%s refuses %s, the newest release that resolves with the rest",
}

// joints stand between the facts of a list.
var joints = map[fact.Kind]string{fact.Together: "; ", conflict.AllOfThese: ", "}

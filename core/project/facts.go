package project

import "molt/core/fact"

// Why a package cannot have a release, and what stands in the way of a goal.
const (
	AsksFor         fact.Kind = "asks for"                  // who asks, what for
	AsksForGiven    fact.Kind = "asks for what is given"    // a release, what for, what is given from outside
	AsksForOther    fact.Kind = "asks for another"          // a release, what for, who asks otherwise, what for
	AsksForDeclared fact.Kind = "asks for another declared" // a release, what for, what the manifest asks for
	AsksForStaying  fact.Kind = "asks for what stays"       // a release, what for, a package, where it stays
	AsksForOnward   fact.Kind = "asks for what asks"        // a release, what for, what that asks for
	AsksInVain      fact.Kind = "asks for what fails"       // a release, what for
	NeedsRuntime    fact.Kind = "needs a newer runtime"     // who needs it, the runtime, what is needed, what is deployed
	Unusable        fact.Kind = "cannot be used"            // a release, why
	Unresolved      fact.Kind = "does not resolve"          // a release
	HeldBack        fact.Kind = "is held back"              // a package, the goal
	NoneCompatible  fact.Kind = "none is compatible"        // a package, the goal
)

// What upgrade guides say.
const (
	GuideRuntime  fact.Kind = "advice: runtime"         // a runtime, what is needed
	GuideRenamed  fact.Kind = "advice: renamed"         // a package, its new name
	GuideTaken    fact.Kind = "advice: part of it"      // a package
	GuideBeside   fact.Kind = "advice: must be at"      // a package, what is needed
	GuideTogether fact.Kind = "advice: goes together"   // a package, what is needed
	GuideBecomes  fact.Kind = "advice: becomes"         // a name, what it becomes
	GuideGone     fact.Kind = "advice: is gone"         // a name
	GuideRun      fact.Kind = "advice: run"             // a command
	GuideRead     fact.Kind = "advice: read"            // an address
	GuideStop     fact.Kind = "advice: go by way of"    // a release
	GuideAdds     fact.Kind = "advice, in its words"    // the fact, a text
	GuideSource   fact.Kind = "advice: where it stands" // who says so, how sure they are
)

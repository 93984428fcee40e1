package assess

import "molt/core/fact"

// What releases state about the framework, and what that is worth. A saying is another of these facts.
const (
	Asks          fact.Kind = "asks"                      // what for
	Unreadable    fact.Kind = "asks, unreadable"          // a saying
	AsksOpenly    fact.Kind = "asks openly"               // a saying
	AskedBefore   fact.Kind = "asks openly, before"       // a saying, its day, Counted days before, the framework, its release
	DaysBefore    fact.Kind = "days before"               // a saying, its day, Counted days before, the framework, its release
	DaysAfter     fact.Kind = "days after"                // a saying, its day, Counted days after, the framework, its release
	AmongLater    fact.Kind = "published among later"     // a saying, its day, the framework, the major that it is about
	ReleaseAsks   fact.Kind = "release asks"              // a package, its release, what for
	ReleaseNames  fact.Kind = "release names"             // a package, its release, what it claims to be for
	ReleaseSilent fact.Kind = "release is silent"         // a package, its release, the framework
	Names         fact.Kind = "names"                     // what it claims to be for
	DevelopedWith fact.Kind = "developed with"            // a saying, a release of the framework
	GoesByMajors  fact.Kind = "goes by the majors of"     // a saying, the framework
	BeginsAt      fact.Kind = "support begins"            // a saying, that of the first release which supports it
	NamesOthers   fact.Kind = "and not"                   // a saying, a major
	FirstToAccept fact.Kind = "first to accept"           // a saying
	SoNotTaken    fact.Kind = "so not taken"              // an earlier and a later saying, a release, the goal
	Both          fact.Kind = "both say"                  // an earlier and a later saying
	NoPromise     fact.Kind = "no promise"                // a saying
	Overridden    fact.Kind = "overridden"                // what overrides has, the constraint there
	AndOverridden fact.Kind = "and overridden"            // a saying, what overrides has, the constraint there
	OwnCopy       fact.Kind = "a copy of its own"         // a saying
	SecondCopy    fact.Kind = "a second copy after"       // a saying
	NoSecondCopy  fact.Kind = "a second copy is refused"  // a saying, the framework
	Describing    fact.Kind = "describes, by its majors"  // a package
	SetAsideFor   fact.Kind = "set aside"                 // the framework, the reason
	IsFramework   fact.Kind = "is the framework"          //
	IsGoal        fact.Kind = "is a goal"                 //
	Held          fact.Kind = "held"                      // the reason
	PassedWith    fact.Kind = "passed with"               // the framework, its release, the day
	OnlyOlder     fact.Kind = "only older"                // a release
	OnlyOlderMute fact.Kind = "only older, silent"        // a release
	OnlyPreview   fact.Kind = "only a prerelease"         // a prerelease, a saying
	LastRelease   fact.Kind = "last release"              // a release, its day, the framework, its release
	NeedsDeployed fact.Kind = "needs what is deployed"    // a runtime, what is needed, what is deployed
	BringsIn      fact.Kind = "brings in what is blocked" // a package, its release
	BringsTypes   fact.Kind = "brings its own types"      // a package, its release
	Advises       fact.Kind = "advises"                   // the framework, its major, what the guide says
	AdvisedBy     fact.Kind = "advised by"                // what a guide says, who says so
)

// What an assessment remarks, waits for and leaves out.
const (
	DatesInDisorder fact.Kind = "dates in disorder"      // a package
	AbsentOptional  fact.Kind = "absent and optional"    //
	FromElsewhere   fact.Kind = "from elsewhere"         // where it comes from
	Accepting       fact.Kind = "a release that accepts" // the framework, its constraint
	AcceptingAs     fact.Kind = "a release that does as" // what it has to do, the prerelease that does it
)

// Where something was read.
const (
	AtRelease     fact.Kind = "at a release"     // a package, its release
	AtDemands     fact.Kind = "in the demands"   // a package, its release: "needs" or "peers"
	AtClaims      fact.Kind = "in classifiers"   // a package, its release
	AtRuntimes    fact.Kind = "in its runtimes"  // a package, its release
	AtDeprecation fact.Kind = "in a deprecation" // a package, its release
	AtPackage     fact.Kind = "of a package"     // a package
	AtHold        fact.Kind = "in a hold"        //
	AtGoals       fact.Kind = "in the goals"     //
	AtName        fact.Kind = "in its name"      //
	AtManifest    fact.Kind = "in the manifest"  //
	AtSettings    fact.Kind = "in the settings"  //
	AtHome        fact.Kind = "in this place"    //
)

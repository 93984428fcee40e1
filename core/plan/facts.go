package plan

import "molt/core/fact"

// What a stage or an offer is called.
const (
	LockManifest fact.Kind = "lock the manifest"  //
	AllFresh     fact.Kind = "all fresh"          // the kind of stage
	AheadOf      fact.Kind = "ahead of"           // packages, the framework, its major
	ToMajor      fact.Kind = "to a major"         // the framework, its major
	RaiseRuntime fact.Kind = "raise the runtime"  //
	AloneBreaks  fact.Kind = "a breaking move"    // a package
	StepBreaks   fact.Kind = "breaking moves"     // packages
	NothingNew   fact.Kind = "newer and unbroken" //
	TakeOut      fact.Kind = "take out"           // a package
	Becomes      fact.Kind = "becomes"            // a package, what it becomes
	MovesTo      fact.Kind = "moves to"           // a package, its release
	MovesInStep  fact.Kind = "moves in step, to"  // a package, its release
)

// Why a stage moves a package.
const (
	NewestOf       fact.Kind = "newest of its kind"             // patch or minor
	NewestUnbroken fact.Kind = "newest that does not break"     //
	NewestOfAll    fact.Kind = "newest"                         //
	NewestFitting  fact.Kind = "newest that fits"               //
	AcceptsBoth    fact.Kind = "accepts both"                   // the framework, two of its majors
	MovesWith      fact.Kind = "moves with"                     // a package
	MovesWithKin   fact.Kind = "moves with its family"          //
	IsTheGoal      fact.Kind = "the goal"                       //
	IsTheGoalToo   fact.Kind = "the goal, one release"          //
	NotPublished   fact.Kind = "not among the releases"         // a release
	GoesAsTypes    fact.Kind = "describes, and moves with"      // a package
	GoesByNumber   fact.Kind = "shares numbers, and moves with" // a package
	AsksForMoving  fact.Kind = "asks for what moves"            // a package, the constraint, where that moves
	IsAskedFor     fact.Kind = "is asked for"                   // who asks, for what, the constraint
	FailsWithGoal  fact.Kind = "fails with the goal"            // a release, the framework, its major
	RefusesMajor   fact.Kind = "refuses a major"                // a release, the framework, its major
	NoneForBoth    fact.Kind = "none for both"                  // the framework, its major, its release in use
	StepFamily     fact.Kind = "step of its family"             // a package
	BothUnresolved fact.Kind = "both, and unresolved"           // the framework, its major
	PastItsLine    fact.Kind = "past its line"                  // why, the line
	NoneElse       fact.Kind = "deprecated, and none else"      // what its maintainers say
	Retires        fact.Kind = "retires"                        // how, what is said of it
	SucceedsTo     fact.Kind = "successor of"                   // a package
	NoSuccessor    fact.Kind = "successor unknown"              // a package
	SuccessorFails fact.Kind = "successor refuses"              // a package, the goal
	StaysBehindKin fact.Kind = "stays behind its family"        // a package, the release that does not resolve
	OnlyTogether   fact.Kind = "only together"                  //
)

// Why a package does not get further.
const (
	NumbersEnd      fact.Kind = "its numbers end"          // the framework, its major
	LineKeeps       fact.Kind = "its line keeps it"        // the line
	FollowsGoal     fact.Kind = "follows what stays"       // the framework
	NeverPasses     fact.Kind = "never passes"             // what it describes
	DescribedStays  fact.Kind = "what it describes stays"  // a package, where it stays
	KinEnds         fact.Kind = "what it moves with ends"  // a package, its last release
	GoalKeeps       fact.Kind = "a goal keeps it"          // the goal
	NotCompatible   fact.Kind = "is not compatible"        // a release, the framework with its release
	CouldGo         fact.Kind = "could go"                 //
	CouldGoWith     fact.Kind = "could go with"            // releases of others
	NextMajorIsGoal fact.Kind = "its next major is a goal" // the framework, its major
	Irresolvable    fact.Kind = "does not resolve alone"   // the goal
	PreviewWould    fact.Kind = "its prerelease would"     // that it is blocked, the prerelease
)

// What a decision of people costs.
const (
	Without    fact.Kind = "without"           // the decision, what would be otherwise
	HoldOf     fact.Kind = "a hold"            // the package
	GivenSet   fact.Kind = "what is given"     //
	PolicyRule fact.Kind = "the policy"        //
	GoalOpens  fact.Kind = "goal within reach" //
	GoalCloses fact.Kind = "goal out of reach" //
	MoreStages fact.Kind = "more stages"       // Counted stages
	LessStages fact.Kind = "fewer stages"      // Counted stages
	EndsAt     fact.Kind = "ends at"           // releases
	EndsAtMore fact.Kind = "ends at, and more" // releases, how many more
)

// What comes of a package that is wanted, and how the application's own version moves.
const (
	GetsUnknown   fact.Kind = "gets, reason unknown"              // a package, its release, the newest, the error
	GetsForOthers fact.Kind = "gets, for others"                  // a package, its release, the newest
	GetsSince     fact.Kind = "gets, since"                       // a package, its release, why
	NewerRuntime  fact.Kind = "needs a newer runtime than before" //
	WasAdded      fact.Kind = "was added"                         // a package
	WasRemoved    fact.Kind = "was removed"                       // a package
	WentTo        fact.Kind = "went from one to another"          // a package, two releases
	OnlyRepairs   fact.Kind = "only repairs"                      //
)

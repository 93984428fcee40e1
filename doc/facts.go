package doc

import "molt/core/fact"

// What a report says of an application, in one sentence.
const (
	Declares     fact.Kind = "declares" // the application, Counted packages, how many are behind, by a major
	DeclaresSome fact.Kind = "declares, without a goal"
	StandsOn     fact.Kind = "stands on"      // what it declares, the goal
	ReachedIn    fact.Kind = "reached in"     // what it declares, the goal, Counted stages
	Reached      fact.Kind = "can be reached" // what it declares, the goal
	OutAlone     fact.Kind = "out of reach, by itself"
	OutForMany   fact.Kind = "out of reach, for many" // what it declares, the goal, Counted packages
	OutForWant   fact.Kind = "out of reach, for want" // what it declares, the goal, the packages
	OutOfReach   fact.Kind = "out of reach"           // what it declares, the goal
)

// What a plan would be.
const (
	SketchReached fact.Kind = "sketch of a goal"           // the goal, Counted stages to it and after it
	SketchOut     fact.Kind = "sketch of what can be done" // the goal, Counted stages
	SketchMoves   fact.Kind = "sketch of moves"            // Counted packages, how many by a major, Counted changes of the lock
	SketchStage   fact.Kind = "sketch of a stage"          // the stage, its title
)

// What is said of a line of a manifest or of the configuration.
const (
	NoSuchPackage fact.Kind = "no such package"       // the package
	NothingFits   fact.Kind = "nothing fits"          // the package, its constraint
	IsBehind      fact.Kind = "is behind"             // the package, its release, the newest
	IsRetiring    fact.Kind = "is retiring"           // the package
	RetiresAs     fact.Kind = "retires as"            // the package, how
	MovesWith     fact.Kind = "moves in the stage of" // the package, the release, the goal
	SaidBecause   fact.Kind = "said because"          // what is said, its ground
)

// What there is in place of a change log.
const (
	LogUnread fact.Kind = "change log unread" // the release, why
	NoLog     fact.Kind = "no change log"     // the release
	LogSilent fact.Kind = "change log silent" // the release
)

// What a plan says of what comes along.
const (
	// who has it as a peer, its release, the package, what is asked for, the release that comes, the call that declares it
	PeerUndeclared fact.Kind = "peer that nobody declares"
	AdviceSource   fact.Kind = "source of advice"      // who says so, how sure they are
	SplitOff       fact.Kind = "split off"             // packages, the stage that had them
	WaitToSettle   fact.Kind = "waiting until settled" //
)

// What calls remark.
const (
	TakenAsDeployed fact.Kind = "taken as deployed" // a runtime, its versions, the ground, the file that is to say
	HoldStays       fact.Kind = "hold stays"        // the package, the reason
	PlanAside       fact.Kind = "plan put aside"    // where it is, the call that keeps decisions
	AdmitsNewest    fact.Kind = "admits the newest" //
	VersionMoves    fact.Kind = "own version moves" // from, to
)

package doc

// What a report says of an application, in one sentence.
const (
	Declares     FactKind = "declares" // the application, Counted packages, how many are behind, by a major
	DeclaresSome FactKind = "declares, without a goal"
	StandsOn     FactKind = "stands on"      // what it declares, the goal
	ReachedIn    FactKind = "reached in"     // what it declares, the goal, Counted stages
	Reached      FactKind = "can be reached" // what it declares, the goal
	OutAlone     FactKind = "out of reach, by itself"
	OutForMany   FactKind = "out of reach, for many" // what it declares, the goal, Counted packages
	OutForWant   FactKind = "out of reach, for want" // what it declares, the goal, the packages
	OutOfReach   FactKind = "out of reach"           // what it declares, the goal
)

// What a plan would be.
const (
	SketchReached FactKind = "sketch of a goal"           // the goal, Counted stages to it and after it
	SketchOut     FactKind = "sketch of what can be done" // the goal, Counted stages
	SketchMoves   FactKind = "sketch of moves"            // Counted packages, how many by a major, Counted changes of the lock
	SketchStage   FactKind = "sketch of a stage"          // the stage, its title
)

// Told is what somebody else said, as it was said: the text.
const Told FactKind = "told"

// What is said of a line of a manifest or of the configuration.
const (
	NoSuchPackage FactKind = "no such package"    // the package
	NothingFits   FactKind = "nothing fits"       // the package, its constraint
	IsBehind      FactKind = "is behind"          // the package, its release, the newest
	IsRetiring    FactKind = "is retiring"        // the package
	RetiresAs     FactKind = "retires as"         // the package, how
	MovesWith     FactKind = "moves with"         // the package, the release, the goal
	RuntimeShort  FactKind = "runtime is too old" // who needs it, the runtime, what is needed, what is deployed
	SaidBecause   FactKind = "said because"       // what is said, its ground
)

// What there is in place of a change log.
const (
	LogUnread FactKind = "change log unread" // the release, why
	NoLog     FactKind = "no change log"     // the release
	LogSilent FactKind = "change log silent" // the release
)

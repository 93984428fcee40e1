package doc

import "molt/core/fact"

// What becomes of a plan that is made anew: what people decided, and what has changed.
const (
	DroppedStage   fact.Kind = "a stage less"             // the stage
	DroppedMoves   fact.Kind = "a stage with less"        // the stage, packages
	BroughtMove    fact.Kind = "brought forward"          // the stage, a package
	WrittenRelease fact.Kind = "release written in"       // a package, its release, the stage
	OwnStage       fact.Kind = "a stage of one's own"     // the stage
	OwnOrder       fact.Kind = "an order of one's own"    //
	StageNote      fact.Kind = "note on a stage"          // the stage
	StageTitle     fact.Kind = "title of a stage"         // the stage
	PackageNote    fact.Kind = "note on a package"        // the package
	NoLongerHolds  fact.Kind = "a decision less"          // what was decided, why it holds no longer
	Dropping       fact.Kind = "what was dropped"         // the stage
	Bringing       fact.Kind = "what was brought forward" //
	Splitting      fact.Kind = "what was split"           //
	Writing        fact.Kind = "what was written in"      // the stage
	Ordering       fact.Kind = "the order"                //
	OtherLock      fact.Kind = "another lock"             // its file
	PublishedSince fact.Kind = "published since"          // a package, its release, the day
	RegistryLess   fact.Kind = "the registry has less"    // the day of the plan
	StageNew       fact.Kind = "a new stage"              // the stage, its title
	StageGone      fact.Kind = "a stage is gone"          // the stage
	NowOutOfReach  fact.Kind = "now out of reach"         //
	NowInReach     fact.Kind = "now within reach"         //
	MovesToo       fact.Kind = "moves too"                // the stage, a package, its release
	MovesElsewhere fact.Kind = "moves elsewhere"          // the stage, a package, its release, the one before
	MovesNoLonger  fact.Kind = "moves no longer"          // the stage, a package
)

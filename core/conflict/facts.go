package conflict

import "molt/core/fact"

// What a way out comes to.
const (
	LineBecomes   fact.Kind = "a line becomes"          // a package, its line, the new one
	TakeOut       fact.Kind = "way: take out"           // a package
	AllowPreviews fact.Kind = "way: allow previews"     // packages
	WithPreviews  fact.Kind = "way: with previews"      // packages, what else changes
	LiftHold      fact.Kind = "way: lift a hold"        // the package
	GoBack        fact.Kind = "way: go back"            // a package, its release
	BuildSource   fact.Kind = "way: build"              // packages
	RaiseTo       fact.Kind = "way: raise"              // a runtime, what is deployed, what is needed
	RaiseSomehow  fact.Kind = "way: raise somehow"      // a runtime, what is deployed
	ReplacedBy    fact.Kind = "way: replace"            // a package, its successor, the constraint
	WithoutGoal   fact.Kind = "way: without a goal"     // the goal
	OnlyAsFar     fact.Kind = "way: only as far"        // the lesser goal
	SetAside      fact.Kind = "way: set aside"          // a package, what it asks for
	WaitRelease   fact.Kind = "way: wait for a release" // the package, the goal
	WaitReleases  fact.Kind = "way: wait for releases"  // the goal, the packages
	WaitAndMore   fact.Kind = "way: wait, and more"     // what to wait for
	WaitWithout   fact.Kind = "way: wait for another"   // who asks, for what
	OneOfWays     fact.Kind = "way out"                 //
	AllOfThese    fact.Kind = "all of these"            // those facts
)

// Why a package is not at a release.
const (
	RuledOut    fact.Kind = "ruled out"         // a release, the rule
	NothingFits fact.Kind = "nothing resolves"  // why
	SuccessorOf fact.Kind = "way: successor of" // a package
)

package doc

import "molt/core/fact"

// On what manifest, lock, configuration and what is installed disagree: what Verify finds.
const (
	AtLine          fact.Kind = "at a line"               // the file, the line, what is found there
	LockMissing     fact.Kind = "no lock"                 // its file
	ForksUnnamed    fact.Kind = "forks that nobody names" // packages
	OtherChoices    fact.Kind = "made for other alternatives"
	NotLocked       fact.Kind = "not locked"                  // a name
	NotLockedSo     fact.Kind = "not locked so"               // a name, its constraint
	LockedForOther  fact.Kind = "locked for another"          // a name, its constraint, that of the lock
	LockedOffRange  fact.Kind = "locked off range"            // a name, its constraint, the locked release
	NoLongerAsked   fact.Kind = "locked and not asked"        // a name, its group
	OverrideAnew    fact.Kind = "override since"              // the file, what is overridden, with what
	OverrideGone    fact.Kind = "override gone"               // what was overridden, the file
	WaiverGone      fact.Kind = "waiver gone"                 // the waiver, its reason
	MemberSince     fact.Kind = "member since"                // its folder, its name
	MemberGone      fact.Kind = "member gone"                 // its folder
	OriginMoved     fact.Kind = "origin moved"                // which packages, where from, the configuration, where from now
	OriginMovedEnv  fact.Kind = "origin moved, by a variable" // which packages, where from, the configuration
	PackagesOf      fact.Kind = "packages of"                 // a scope
	PackagesLike    fact.Kind = "packages such as"            // a package
	OriginStrange   fact.Kind = "origin strange"              // a release, where it is locked, a scope, where that comes from
	NotOfRegistry   fact.Kind = "not of a registry"           // a package
	ChecksumDiffers fact.Kind = "checksum differs"            // a release, the lock's, who says otherwise, what
	AnotherPlace    fact.Kind = "another place"               // in the lock
	LastAnswer      fact.Kind = "the registry, asked last"
	FrameworkTwice  fact.Kind = "framework twice"               // a package, its releases
	SelfContradicts fact.Kind = "lock contradicts itself"       // how
	BreaksRule      fact.Kind = "breaks a rule"                 // a release, the rule
	WeakDigest      fact.Kind = "weak digest"                   // a release
	GivenOtherwise  fact.Kind = "given otherwise"               // a release, the file, a package, what is given
	OneUnjudged     fact.Kind = "one is not judged"             // a release
	SomeUnjudged    fact.Kind = "some are not judged"           // how many, one of them
	PlaceAtFault    fact.Kind = "place at fault"                // a place of the tree, the fault
	NotInLock       fact.Kind = "installed, not locked"         // a place with its release
	NorMorePackages fact.Kind = "nor more packages"             // how many
	NotInstalled    fact.Kind = "locked, not installed"         // a package, its release, who needs it
	InstalledOther  fact.Kind = "installed at another"          // a place, what is there, its release, what is locked, its release
	NotLaidOut      fact.Kind = "not laid out"                  // a package, where it comes from
	FileEdited      fact.Kind = "file edited"                   // the file
	MoreFilesEdited fact.Kind = "more files edited"             // how many
	RuntimeUnfit    fact.Kind = "runtime does not suit"         // a runtime, its version, where it is, who needs otherwise, what
	RuntimeUnfits   fact.Kind = "runtime does not suit several" // the same, where several need it
	DeployedThere   fact.Kind = "is deployed there"             // where, "" for everywhere
	RunsHere        fact.Kind = "runs here"
	NamesAndMore    fact.Kind = "names and more" // names, how many more
)

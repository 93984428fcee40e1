package doc

import "molt/core/fact"

// A Next is the call to go on with.
type Next struct {
	Run Call     `json:"run"`
	Why Sentence `json:"why"` // what it is for
}

// What the calls to go on with are for.
const (
	TicksOff        fact.Kind = "ticks off"         // a stage of people's work
	TicksIt         fact.Kind = "ticks it off"      // the same, of the stage that was shown
	CarriesOut      fact.Kind = "carries out"       // a stage, the file of the plan
	CarriesOutNext  fact.Kind = "carries out next"  // after a trial that passed
	CarriesOutUntil fact.Kind = "carries out until" // a stage that passes, and the one before which something is to be mended
	CarriesOutAgain fact.Kind = "carries out again" // to find a culprit
	WritesLock      fact.Kind = "writes the lock"   // its file
	RenewsLock      fact.Kind = "renews the lock"
	LocksWay        fact.Kind = "locks a way out"
	SaysWhatMeans   fact.Kind = "says what it means" // a goal
	SaysWhatNewest  fact.Kind = "says what the newest means"
	CutsStages      fact.Kind = "cuts stages"
	PlansAsFar      fact.Kind = "plans as far as it goes"
	WritesThis      fact.Kind = "writes this" // a file
	TriesStage      fact.Kind = "tries"       // a stage
	TriesEach       fact.Kind = "tries each"
	FindsCulprit    fact.Kind = "finds the culprit" // the number of changes
	GoesOn          fact.Kind = "goes on"
	GoesOnWith      fact.Kind = "goes on with" // a stage of another ecosystem
	LaysOut         fact.Kind = "lays out"
	MakesBranches   fact.Kind = "makes branches"
	RenewsBranches  fact.Kind = "renews branches"
	ShowsStanding   fact.Kind = "shows where packages stand"
	ShowsSettings   fact.Kind = "shows settings" // the file that is to say more
)

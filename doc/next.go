package doc

// A Next is the call to go on with.
type Next struct {
	Run Call     `json:"run"`
	Why Sentence `json:"why"` // what it is for
}

// What the calls to go on with are for.
const (
	TicksOff        FactKind = "ticks off"         // a stage of people's work
	TicksIt         FactKind = "ticks it off"      // the same, of the stage that was shown
	CarriesOut      FactKind = "carries out"       // a stage, the file of the plan
	CarriesOutNext  FactKind = "carries out next"  // after a trial that passed
	CarriesOutUntil FactKind = "carries out until" // a stage that passes, and the one before which something is to be mended
	CarriesOutAgain FactKind = "carries out again" // to find a culprit
	WritesLock      FactKind = "writes the lock"   // its file
	RenewsLock      FactKind = "renews the lock"
	LocksWay        FactKind = "locks a way out"
	SaysWhatMeans   FactKind = "says what it means" // a goal
	SaysWhatNewest  FactKind = "says what the newest means"
	CutsStages      FactKind = "cuts stages"
	PlansAsFar      FactKind = "plans as far as it goes"
	WritesThis      FactKind = "writes this" // a file
	TriesStage      FactKind = "tries"       // a stage
	TriesEach       FactKind = "tries each"
	FindsCulprit    FactKind = "finds the culprit" // the number of changes
	GoesOn          FactKind = "goes on"
	GoesOnWith      FactKind = "goes on with" // a stage of another ecosystem
	LaysOut         FactKind = "lays out"
	MakesBranches   FactKind = "makes branches"
	RenewsBranches  FactKind = "renews branches"
	ShowsStanding   FactKind = "shows where packages stand"
	ShowsSettings   FactKind = "shows settings" // the file that is to say more
)

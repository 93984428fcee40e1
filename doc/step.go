package doc

// Step is "molt/step/1".
type Step struct {
	Schema  string    `json:"schema"`
	Stage   PlanStage `json:"stage"`
	Passed  bool      `json:"passed"`
	Checks  []Check   `json:"checks"`
	Before  []Check   `json:"before"`           // the checks on the state before the first stage, when they were run now
	Changed []string  `json:"changed"`          // files that tasks changed
	Runs    []Run     `json:"runs,omitempty"`   // what runs from now on and did not before
	Unread  int       `json:"unread,omitempty"` // releases of which nobody can tell that: their archives are not at hand
	Notes   []string  `json:"notes"`
	Named   []Named   `json:"named,omitempty"` // where it failed: packages that the output names and later stages move
	// Deprecated is what the checks on the state before warn of, when they were run now.
	Deprecated []Deprecation `json:"deprecated,omitempty"`
	Culprit    *Culprit      `json:"culprit,omitempty"`
	Own        *OwnVersion   `json:"own,omitempty"` // after the last stage
	// Unchecked says why the checks were not run, "" where they were.
	Unchecked string `json:"unchecked,omitempty"`
	Left      int    `json:"left"`
	ToGoal    int    `json:"toGoal"` // of what is left, the stages that lead to the goal
	// Beside is the next stage of the packages of another ecosystem in the same folder, "" for none.
	Elsewhere string `json:"beside,omitempty"`
	Next      *Next  `json:"next,omitempty"`
}

// A Deprecation is what checks on the state before warn of that a later major of a package takes away.
type Deprecation struct {
	Package string   `json:"package"` // or runtime; "" where the warnings name none
	Says    []string `json:"says"`
}

// A Named is a package that the output of a failed check names, with the later stage that moves it.
type Named struct {
	Package string `json:"package"`
	Stage   string `json:"stage"`
}

// A Check is the verdict of one check, or of one task that belongs to a change.
type Check struct {
	Name   string `json:"name"`
	Task   bool   `json:"task"`
	Passed bool   `json:"passed"`
	Before bool   `json:"failedBefore"`
	Says   string `json:"says"`
	Log    string `json:"log"`
	// Errors are other lines of the output that name an error.
	Errors  []string `json:"errors,omitempty"`
	Seconds float64  `json:"seconds"`
}

// A Culprit is a minimal set of a stage's changes that fails.
type Culprit struct {
	Check   string   `json:"check"`
	Changes []string `json:"changes"`
	Rest    []string `json:"rest"`
	Passes  bool     `json:"restPasses"`
	Trials  []Trial  `json:"trials"`
	Split   []string `json:"split"` // the stages that it was split into, when it was
	Notes   []string `json:"notes"` // what the change logs of the changes call breaking, each behind the name
	Uses    []string `json:"uses"`  // where the source imports them, each "FILE:LINE NAME"
}

// A Trial is one look at some of the changes.
type Trial struct {
	Changes []string `json:"changes"`
	Outcome string   `json:"outcome"`
	Says    string   `json:"says"`
	Ran     bool     `json:"ran"`
	Seconds float64  `json:"seconds"`
}

// OwnVersion is "molt/own-version/1", and a part of "molt/step/1".
type OwnVersion struct {
	Schema  string   `json:"schema"`
	From    string   `json:"from"`
	To      string   `json:"to"`
	Jump    string   `json:"jump"`
	Why     Sentence `json:"why"`
	Written bool     `json:"written"`
}

// StageTrial is a stage that was tried after others, with the time that it took.
type StageTrial struct {
	Stage   string  `json:"stage"`
	Passed  bool    `json:"passed"`
	Seconds float64 `json:"seconds"`
	Checks  []Check `json:"checks"`
	Earlier bool    `json:"earlier"` // it passed in an earlier trial of the same files
	Says    string  `json:"says"`    // why it was not tried, "" where it was
}

// TrialRun is "molt/trial/1".
type TrialRun struct {
	Schema string   `json:"schema"`
	Stages []string `json:"stages"`
	Folder string   `json:"folder"` // of the copy, "" when it was taken away
	Passed bool     `json:"passed"`
	Before []Check  `json:"before"`
	Checks []Check  `json:"checks"`
	Notes  []string `json:"notes"`
	// Unchecked says why no checks were run, "" where they were.
	Unchecked string `json:"unchecked,omitempty"`
	// when the stages were tried one after the other, up to the first that fails
	Each       []StageTrial  `json:"each,omitempty"`
	Deprecated []Deprecation `json:"deprecated,omitempty"` // what the checks on the state before warn of
	Alone      bool          `json:"alone,omitempty"`      // they were tried by themselves instead
	Next       *Next         `json:"next,omitempty"`
}

package doc

// Trace is "molt/trace/1".
type Trace struct {
	Schema string `json:"schema"`
	Name   string `json:"name"`
	Keeping
	Releases []TraceRelease `json:"releases"`          // the newest first
	Unknown  string         `json:"unknown,omitempty"` // what cannot be told, and why
}

// A TraceRelease is a locked release with why it is there.
type TraceRelease struct {
	ID      string        `json:"id"`
	Version string        `json:"version"`
	Chains  [][]TraceLink `json:"chains"`  // shortest ones, from the application down
	More    int           `json:"more"`    // how many shortest chains there are beyond these
	Askers  int           `json:"askers"`  // how many links lead to it
	Next    string        `json:"next"`    // the next newer release, "" when there is none
	Keepers []TraceLink   `json:"keepers"` // the links that exclude it
	Why     Sentence      `json:"why"`     // what else excludes it, where no link does; "" for nothing
	Unknown string        `json:"unknown"` // why nobody can tell whether something does, "" where it was found out
}

// A TraceLink is a demand on the way. By is "" for the application, else an id; To is an id.
type TraceLink struct {
	By         string `json:"by"`
	Group      string `json:"group"`
	Name       string `json:"name"`
	Constraint string `json:"constraint"`
	Peer       bool   `json:"peer"`
	To         string `json:"to"`
}

// Fit is "molt/fit/1".
type Fit struct {
	Schema   string       `json:"schema"`
	Name     string       `json:"name"`
	Declared string       `json:"declared"` // the constraint, "" when it is not declared
	Locked   string       `json:"locked"`
	Fixed    int          `json:"fixed"`    // how many packages are given from outside
	Releases []FitRelease `json:"releases"` // the newest first
	// what stands in the way of the newest that does not fit, in a sentence
	Why Sentence `json:"why"`
	// the same, demand by demand; empty where a rule of the policy stands in the way
	Contested []Contest `json:"contested"`
	// the package has no part in that: the application itself does not resolve
	Apart   bool     `json:"apart"`
	Remarks []string `json:"remarks,omitempty"` // on releases that rules or a platform keep out of it
}

// A FitRelease is a release with whether it resolves with the application.
type FitRelease struct {
	Version   string `json:"version"`
	Published string `json:"published"` // a day, "" when the registry does not tell
	Fits      bool   `json:"fits"`
}

package doc

import "molt/core/project"

// Assess is "molt/assess/1".
type Assess struct {
	Schema    string `json:"schema"`
	Ecosystem string `json:"ecosystem,omitempty"` // where the application has several
	Goal      Goal   `json:"goal"`
	Reachable bool   `json:"reachable"`
	Reached   bool   `json:"reached,omitempty"` // what is locked is the goal already
	// it does not resolve even by itself; packages are judged as if that were not in the way
	Alone    bool       `json:"alone,omitempty"`
	Runtime  []Runtime  `json:"runtime"`         // needed for the goal, at the least
	Opens    []string   `json:"opens,omitempty"` // what a newer runtime than that would open
	Packages []Assessed `json:"packages"`
	Also     []string   `json:"also,omitempty"` // further goals
	// where several packages are goals: the standings towards each of the further ones; those
	// towards the first are in Packages
	Apart    []Towards  `json:"apart,omitempty"`
	Waits    []Wait     `json:"waits,omitempty"`    // when it is out of reach: the packages whose next release decides
	Against  []Doubtful `json:"against,omitempty"`  // what is taken though its date speaks against it
	Enough   bool       `json:"enough,omitempty"`   // whether releases of these alone would do, which was solved
	Advice   []Touch    `json:"advice,omitempty"`   // what of upgrade guides touches this application
	Untangle *Untangle  `json:"untangle,omitempty"` // when it is out of reach
	Remarks  []Sentence `json:"remarks"`            // what is to be known of all of it
	Next     *Next      `json:"next,omitempty"`
}

// A Towards is the standings towards one of several goals.
type Towards struct {
	Goal     Goal       `json:"goal"`
	Packages []Assessed `json:"packages"`
}

// A Doubtful is a package of which nothing better goes with the rest.
type Doubtful struct {
	Package string   `json:"package"`
	Says    Sentence `json:"says"`
}

// A Wait is a package whose next release decides.
type Wait struct {
	Package string   `json:"package"`
	For     Sentence `json:"for"`
}

// A Touch is a fact of an upgrade guide.
type Touch struct {
	Kind       string   `json:"kind"`
	About      string   `json:"about"`
	To         string   `json:"to"`
	Says       Sentence `json:"says"`
	Found      []string `json:"found,omitempty"`
	Link       string   `json:"link,omitempty"`
	Source     Sentence `json:"source"`
	Confidence string   `json:"confidence"`
}

// A Goal is a goal with the release that a resolution found for it.
type Goal struct {
	Name       string `json:"name"`
	Constraint string `json:"constraint"`
	Release    string `json:"release"`
}

// A Runtime is a demand on a runtime.
type Runtime struct {
	Name     string `json:"name" yaml:"runtime"`
	Needs    string `json:"needs" yaml:"needs"`
	By       string `json:"by" yaml:"by"`
	Deployed string `json:"deployed" yaml:"deployed"`
	// of a stage: to what it is best raised, "20.x" for the newest 20
	To    string         `json:"to,omitempty" yaml:"to,omitempty"`
	Here  string         `json:"here" yaml:"-"`
	Met   bool           `json:"met" yaml:"-"`
	Where []RuntimePlace `json:"where,omitempty" yaml:"-"` // environments with names, and files that name a version
}

// A RuntimePlace is an environment or a file that has a version of a runtime.
type RuntimePlace struct {
	Place   string `json:"place"`
	Version string `json:"version"`
	Met     bool   `json:"met"`
}

// An Assessed is a package with its standing.
type Assessed struct {
	Name      string           `json:"name"`
	Group     string           `json:"group"`
	Declared  string           `json:"declared"`
	Locked    string           `json:"locked"`
	Standing  project.Standing `json:"standing"`
	To        string           `json:"to"`
	First     string           `json:"first,omitempty"`
	Newest    string           `json:"newest,omitempty"`
	By        string           `json:"by,omitempty"`
	Preview   string           `json:"preview,omitempty"`
	Older     string           `json:"older,omitempty"` // of a blocked one: a release before the locked one that would do
	Retires   string           `json:"retires,omitempty"`
	Successor string           `json:"successor,omitempty"`
	Held      bool             `json:"held,omitempty"`
	Uses      []string         `json:"uses,omitempty"` // of a blocked one: where the source imports it, FILE:LINE
	Evidence  []Evidence       `json:"evidence"`
}

// An Evidence is what a standing rests on.
type Evidence struct {
	Grade project.Grade `json:"grade"`
	Says  Sentence      `json:"says"`
	Where Sentence      `json:"where"`
}

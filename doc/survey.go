package doc

import (
	"molt/core/inspect"
	"molt/core/version"
)

// Survey is "molt/survey/1".
type Survey struct {
	Schema      string      `json:"schema"`
	Ecosystem   string      `json:"ecosystem"`
	Application string      `json:"application"`
	Locked      bool        `json:"locked"`
	Installed   bool        `json:"installed"` // whether versions are those that are installed, as there is no lock
	Declared    int         `json:"declared"`  // how many packages there are, shown or not
	Lag         LagDoc      `json:"lag"`       // of all of them
	Since       string      `json:"since"`     // the day after which releases are new, "" when nobody asked
	Packages    []SurveyRow `json:"packages"`
	// some row, shown or not, is of an unknown package or of a constraint that admits nothing
	Amiss     bool       `json:"-"`
	Overrides []string   `json:"overrides"` // what the manifest says of every edge to a name, each "NAME CONSTRAINT"
	Settling  []Settling `json:"settling,omitempty"`
	Next      *Next      `json:"next,omitempty"`
}

// A LagDoc is how far behind an application is in all: stable releases that it has not taken, and days.
type LagDoc struct {
	Releases int `json:"releases"`
	Days     int `json:"days"`
}

// A SurveyRow is one declared package of a survey.
type SurveyRow struct {
	Name     string `json:"name"`
	Group    string `json:"group"`
	Declared string `json:"declared"`
	Locked   string `json:"locked"`
	// the newest release that the constraint admits and that resolves with the rest
	Best     string         `json:"best"`
	Excluded *Excluded      `json:"excluded,omitempty"` // a newer one that it admits and that does not
	Newest   string         `json:"newest"`
	Jump     version.Jump   `json:"jump"`
	Releases int            `json:"releases"`
	Days     int            `json:"days"`
	Flags    []inspect.Flag `json:"flags"`
	Held     string         `json:"held"`   // the last day of a hold, "" for none or no end
	Reason   string         `json:"reason"` // of a hold
	Member   string         `json:"member"` // folder of a member of the workspace, "" for the application itself
	New      []string       `json:"new"`    // releases since
}

// A Settling is a package of which newer releases are not shown, since they have to settle first.
type Settling struct {
	Name     string `json:"name"`
	Newest   string `json:"newest"`
	Releases int    `json:"releases"` // how many wait
	Until    string `json:"until"`    // the day on which the newest has settled
}

// Excluded is a release that is not to be had, and why.
type Excluded struct {
	Version string   `json:"version"`
	Why     Sentence `json:"why"`
}

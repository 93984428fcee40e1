package doc

import "time"

// Report is "molt/report/1": everything about an application on one page.
type Report struct {
	Schema    string       `json:"schema"`
	Ecosystem string       `json:"ecosystem,omitempty"` // where the application has several
	On        string       `json:"on"`                  // the day
	Sentence  Sentence     `json:"sentence"`            // the application in one
	Survey    Survey       `json:"survey"`
	Assess    *Assess      `json:"assess,omitempty"` // without a goal there is none
	Plan      *Plan        `json:"plan,omitempty"`   // the plan's file, else what a plan would be
	Planned   bool         `json:"planned"`          // whether the plan is the file's
	Carried   []CarriedOut `json:"carried"`          // oldest first
	Lag       []LagPoint   `json:"lag"`              // oldest first
}

// NeedsAttention reports whether the goal is out of reach.
func (d Report) NeedsAttention() bool { return d.Assess != nil && !d.Assess.Reachable }

// A CarriedOut is something that was carried out, with what moved.
type CarriedOut struct {
	Stage  string       `json:"stage"`
	At     time.Time    `json:"at"`
	Commit string       `json:"commit,omitempty"`
	Moved  []Difference `json:"moved"`
}

// A LagPoint is how far behind the declared packages were at a time, measured against what is published now.
type LagPoint struct {
	At       time.Time `json:"at"`
	Releases int       `json:"releases"` // stable ones, of all declared packages
	Majors   int       `json:"majors"`   // packages that are behind by a major
}

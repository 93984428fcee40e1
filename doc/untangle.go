package doc

import "molt/core/conflict"

// Untangle is "molt/untangle/1".
type Untangle struct {
	Schema    string    `json:"schema"`
	Goal      string    `json:"goal"` // "" when it is the manifest that does not resolve
	Resolves  bool      `json:"resolves"`
	Tangles   int       `json:"tangles"`        // how many were found that share no demand
	More      int       `json:"more,omitempty"` // demands that are left out, since there are too many
	Contested []Contest `json:"contested"`
	Blocked   []string  `json:"blocked"`        // packages of which no release is compatible with the goal
	Held      []string  `json:"held,omitempty"` // those of them that people hold at a release that is not
	Ways      []Way     `json:"ways"`
	Remarks   []string  `json:"remarks,omitempty"` // on releases that rules or a platform keep out of it
	Unwanted  bool      `json:"-"`                 // it is about a change that was asked for, and not carried out
}

// A Contest is a package on which demands exclude each other.
type Contest struct {
	// why releases of the one package that the sides are about cannot be used; "" where the sides exclude each other
	Says  string  `json:"says,omitempty"`
	Name  string  `json:"name"`
	Sides []Party `json:"sides"`
}

// A Party is one demand of a contest. By is "" for the application, Releases which of By's releases ask so.
type Party struct {
	By         string `json:"by"`
	Releases   string `json:"releases"`
	Constraint string `json:"constraint"`
	Peer       bool   `json:"peer"`
	Admits     string `json:"admits"`
	Chain      []Link `json:"chain"`
}

// A Link is a demand on the way down from the manifest. Where is the place in the manifest of the first.
type Link struct {
	By         string `json:"by"`
	Name       string `json:"name"`
	Constraint string `json:"constraint"`
	Peer       bool   `json:"peer"`
	Where      string `json:"where"`
	// Because is "goal", "hold" or "lock" where one of these asks and not the line itself, which says what is Written.
	Because string `json:"because,omitempty"`
	Written string `json:"written,omitempty"`
}

// A Way is a way out that was solved, with the command that takes it, "" when only waiting or work by hand helps.
type Way struct {
	Kind     conflict.WayKind `json:"kind"`
	Title    Sentence         `json:"title"`
	Command  string           `json:"command"`
	Changes  []PlanChange     `json:"changes"`
	Previews []string         `json:"previews"`
	Unhold   []string         `json:"unhold"`
	Build    []string         `json:"build,omitempty"`
	Waive    []string         `json:"waive,omitempty"` // what is set aside, each "lamp on hull"
	Lines    int              `json:"lines"`
	Majors   int              `json:"majors"`
	Locked   int              `json:"locked"`
}

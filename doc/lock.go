package doc

import "molt/core/project"

// Lock is "molt/lock/1".
type Lock struct {
	Schema    string       `json:"schema"`
	Ecosystem string       `json:"ecosystem"`
	Folded    bool         `json:"folded"` // a peer leads to the right release, but not always to the right place
	Roots     []LockRoot   `json:"roots"`
	Packages  []LockedItem `json:"packages"`
	Wider     []string     `json:"wider,omitempty"`   // releases that only machines besides the deployed one need
	Took      []string     `json:"took,omitempty"`    // from which branch, when a conflict was resolved
	Outside   []string     `json:"outside,omitempty"` // what does not come from a registry and could not be locked
}

// A LockRoot is a declaration; Package is the id of what serves it, or null.
type LockRoot struct {
	Name       string  `json:"name"`
	Group      string  `json:"group"`
	Constraint string  `json:"constraint"`
	Package    *string `json:"package"`
}

// A LockedItem is one locked package.
type LockedItem struct {
	ID        string     `json:"id"`
	Name      string     `json:"name"`
	Version   string     `json:"version"`
	PURL      string     `json:"purl"`
	Integrity string     `json:"integrity"`
	Source    string     `json:"source"`
	Needs     []LockEdge `json:"needs"`
	Peers     []LockEdge `json:"peers"`
}

// A LockEdge is a need or a peer; Package is the id of what serves it, or null for an absent optional one and for
// what does not come from the registry.
type LockEdge struct {
	Name       string  `json:"name"`
	Constraint string  `json:"constraint"`
	Optional   bool    `json:"optional"`
	Package    *string `json:"package"`
}

// An Inventory is a lock with what a bill of materials says besides. It is printed in the standard's form only.
type Inventory struct {
	Lock
	Licences map[string]string          // as the registry states them, by ID
	Purposes map[string]project.Purpose // by ID
}

// Verify is "molt/verify/1".
type Verify struct {
	Schema    string    `json:"schema"`
	Ecosystem string    `json:"ecosystem,omitempty"` // where the application has several
	Agrees    bool      `json:"agrees"`
	Installed bool      `json:"installed"` // whether anything is
	Findings  []Finding `json:"findings"`
	OutOfDate []string  `json:"outOfDate"`         // "lock", "installed", "runtime"
	Unknown   string    `json:"unknown,omitempty"` // what cannot be verified, and why
	Looked    []string  `json:"looked"`            // what was looked at
	Next      *Next     `json:"next,omitempty"`
}

// Abouts lists what a finding can be about.
var Abouts = []string{"manifest", "lock", "checksum", "installed", "runtime", "rules"}

// A Finding is something on which manifest, lock, installed packages and runtime disagree.
type Finding struct {
	About  string   `json:"about"`
	Says   Sentence `json:"says"`
	File   string   `json:"file,omitempty"` // of the application; with line and column, from 1, where it is about a line
	Line   int      `json:"line,omitempty"`
	Column int      `json:"column,omitempty"`
}

// Back is "molt/back/1".
type Back struct {
	Schema string   `json:"schema"`
	Stages []string `json:"stages"` // taken back, latest first
}

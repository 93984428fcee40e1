package doc

import "molt/core/conflict"

// Change is "molt/change/1".
type Change struct {
	Schema  string       `json:"schema"`
	Written bool         `json:"written"` // false when it was for show
	Changes []PlanChange `json:"changes"` // of the manifest
	Lock    []Difference `json:"lock"`
	Uses    []Use        `json:"uses"` // of what was dropped
	Remarks []Sentence   `json:"remarks"`
}

// A Use is a place that still uses a package that was dropped: a line of the source, or, when File
// is "", another package.
type Use struct {
	Package string `json:"package"`
	File    string `json:"file"`
	Line    int    `json:"line"`
	By      string `json:"by"`
}

// A Keeping says whether people keep a package at its release.
type Keeping struct {
	Held   bool   `json:"held"`
	Reason string `json:"reason"`
	Until  string `json:"until"` // the last day, "" for no end
}

// Hold is "molt/hold/1"; a hold that was lifted is not held.
type Hold struct {
	Schema string `json:"schema"`
	Name   string `json:"name"`
	Keeping
}

// Taken is "molt/taken/1".
type Taken struct {
	Schema string           `json:"schema"`
	Kind   conflict.WayKind `json:"kind"`
	Title  Sentence         `json:"title"`
	Next   *Next            `json:"next,omitempty"`
}

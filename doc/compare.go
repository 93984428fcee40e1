package doc

import "molt/core/inspect"

// Compare is "molt/compare/1".
type Compare struct {
	Schema      string                         `json:"schema"`
	Before      string                         `json:"before"`
	After       string                         `json:"after"`
	Counts      map[inspect.DifferenceKind]int `json:"counts"` // every kind, also those of which there is none
	Differences []Difference                   `json:"differences"`
}

// A Difference is what became of one package. From and To are ascending, and empty where the package is not.
type Difference struct {
	Name     string                 `json:"name"`
	Declared bool                   `json:"declared"`
	Kind     inspect.DifferenceKind `json:"kind"`
	From     []string               `json:"from"`
	To       []string               `json:"to"`
}

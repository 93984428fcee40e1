package doc

import "molt/core/fact"

// A Located is something that people should look at, with its place in a file of the application: for SARIF.
type Located struct {
	Rule  string // one of Rules
	Level string // as SARIF has it: error, warning or note
	Says  fact.Fact
	File  string
	Line  int // from 1; 0 for the whole file
	// Column counts from 1; 0 for the whole line.
	Column int
}

// Rules are what a Located can be about, with what each means.
var Rules = map[string]string{
	"behind":     "The newest release of a declared package is another major.",
	"retiring":   "A declared package is renamed, abandoned or deprecated, or part of another package by then.",
	"unresolved": "No published release fits what the manifest asks for, or the registry has no such package.",
	"blocked":    "No release of a declared package is compatible with the goal.",
	"together":   "A declared package has to move in the same stage as the framework.",
	"runtime":    "A runtime that is deployed does not suit.",
	"manifest":   "Manifest and lock disagree.",
	"lock":       "The lock is missing or contradicts itself.",
	"checksum":   "The registry states another checksum than the lock.",
	"installed":  "What is installed is not what the lock says.",
	"rules":      "A locked package breaks the policy of molt.yaml.",
}

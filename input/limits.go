// Package input reads what comes from outside (files of a repository, documents of a registry, archives) within limits,
// and makes text from outside fit for a terminal. Everything here is hostile until it was checked.
//
// limits.go lists every limit. A limit that is exceeded is a *LimitError, whose message names it.
package input

import (
	"fmt"
	"time"
)

// A Limit bounds the size of one kind of input, in bytes.
type Limit struct {
	What  string // what is bounded, as messages name it
	Bytes int64
	Raise string // how people raise it, "" where they can't
}

// The limits of files: one beyond its limit is a mistake, or an attack.
var (
	Configuration = Limit{What: "a configuration", Bytes: 1 << 20}
	Manifest      = Limit{What: "a manifest", Bytes: 4 << 20}
	Lock          = Limit{What: "a lock", Bytes: 64 << 20}
	Plan          = Limit{What: "a plan", Bytes: 4 << 20}
	Advice        = Limit{What: "an advice file", Bytes: 1 << 20}
	Inventory     = Limit{What: "an inventory", Bytes: 16 << 20}
	Source        = Limit{What: "a source file", Bytes: 16 << 20}
	VersionFile   = Limit{What: "a version file", Bytes: 1 << 20}
	Universe      = Limit{What: "a universe file", Bytes: 64 << 20}
	// journal, ledger and backups, which Molt wrote itself
	State = Limit{What: "a file of Molt's own", Bytes: 256 << 20}
)

// The limits of what registries answer. That of documents can be configured.
var (
	Document = Limit{What: "a registry document", Bytes: 64 << 20, Raise: "\"largest-document:\" in molt.yaml raises that"}
	Archive  = Limit{What: "an archive", Bytes: 64 << 20}
	Unpacked = Limit{What: "the unpacked files of an archive", Bytes: 512 << 20}
	Log      = Limit{What: "a change log", Bytes: 20 << 20}
)

// Limits that are counts.
const (
	// Depth is how deep JSON and YAML may nest.
	Depth = 200
	// Aliases is how many times a YAML text may refer back to an anchor.
	Aliases = 1000
	// Expanded is how many values a YAML text may have once every alias stands for what it refers to.
	Expanded = 100_000
	// Entries is how many entries a mapping or a list in YAML may have.
	entries = 5000
	// Line is how many bytes a line of YAML may have.
	Line = 8 << 10
	// ArchiveEntries is how many entries an archive may have.
	ArchiveEntries = 200_000
)

// A LimitError reports input beyond a limit.
type LimitError struct {
	Name  string // of the input: a file or an address
	Limit string // which limit, with its size: "a manifest may hold at most 16 MB"
}

func (e *LimitError) Error() string { return fmt.Sprintf("%s: %s", e.Name, e.Limit) }

// Exceeded returns the error for an input beyond the limit.
func (l Limit) Exceeded(name string) *LimitError {
	says := fmt.Sprintf("%s may hold at most %s", l.What, Size(l.Bytes))
	if l.Raise != "" {
		says += "; " + l.Raise
	}
	return &LimitError{name, says}
}

// Size writes a number of bytes for people.
func Size(bytes int64) string {
	switch {
	case bytes >= 1<<30 && bytes%(1<<30) == 0:
		return fmt.Sprintf("%d GB", bytes>>30)
	case bytes >= 1<<20:
		return fmt.Sprintf("%d MB", bytes>>20)
	case bytes >= 1<<10:
		return fmt.Sprintf("%d kB", bytes>>10)
	}
	return fmt.Sprintf("%d bytes", bytes)
}

// Times that are waited for a server.
const (
	// Connect bounds how long a connection may take to come about, its encryption included.
	Connect = 10 * time.Second
	// Header bounds how long a server may think before its answer begins.
	Header = 20 * time.Second
	// Idle bounds how long an answer may pause.
	Idle = 15 * time.Second
	// SlowStart and LeastRate end an answer that drips: it may take SlowStart, and a second more
	// for every LeastRate bytes.
	SlowStart = 20 * time.Second
	LeastRate = 16 << 10
	// RetryAfter is the longest wait that a server may ask for; what is longer is said, and not waited for.
	RetryAfter = time.Minute
	// Redirects is how many redirections are followed.
	Redirects = 5
)

// What answers of registries may hold in memory at the same time, however many are asked for: each
// of at most Answers takes SmallAnswer, and few of them may be larger.
const (
	SmallAnswer = 4 << 20
	Answers     = 24
)

package ecosystem

import "fmt"

// A lockFormat is one version of the molt.lock format. Molt reads all that there have been, and
// writes the newest: a lock of an older one is rewritten by the next relock, and by nothing else.
type lockFormat struct {
	added string // what it has that the one before has not
	// convert makes of a lock of this format, as it was read, one of the next: it fills in what this one cannot tell.
	convert func(*Lock)
}

// lockFormats are the formats in their order; the first is number 1. A change of the format is one
// more entry here, with what it takes to convert the one before, and a sample in testdata/locks.
var lockFormats = []lockFormat{
	{added: "releases, edges, checksums and sources", convert: func(l *Lock) {
		for i := range l.Packages {
			l.Packages[i].Runs = RunsUntold
		}
	}},
	{added: "what the registry says that packages run"},
}

// newestLockFormat is the number of the format that is written.
func newestLockFormat() int64 { return int64(len(lockFormats)) }

// convertLock makes of a lock of one format one of the newest.
func convertLock(l *Lock, format int64) {
	for _, f := range lockFormats[format-1 : len(lockFormats)-1] {
		f.convert(l)
	}
}

// A NewerLockError reports a lock in a format of the future.
type NewerLockError struct {
	File          string
	Format, Reads int64 // that of the file, and the newest that can be read
}

func (e *NewerLockError) Error() string {
	return fmt.Sprintf("%s is written in format %d; this Molt reads up to %d: it needs a newer Molt", e.File, e.Format,
		e.Reads)
}

package doc

// Fetch is "molt/fetch/1".
type Fetch struct {
	Schema    string   `json:"schema"`
	Goals     []string `json:"goals"`
	Stages    int      `json:"stages"`    // of the plan, which the archives are for besides the lock
	Documents int      `json:"documents"` // of registries, at hand now
	Releases  int      `json:"releases"`  // unpacked in the store, at hand now
	Fetched   int      `json:"fetched"`   // archives that were downloaded for that
	Bytes     int64    `json:"bytes"`     // that came over the wire
	Snapshot  string   `json:"snapshot,omitempty"`
	Archives  int      `json:"archives,omitempty"` // in the snapshot
	Notes     []string `json:"notes"`
	Seconds   float64  `json:"seconds"`
}

// NeedsAttention reports whether something could not be looked at.
func (d Fetch) NeedsAttention() bool { return len(d.Notes) > 0 }

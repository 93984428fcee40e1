package doc

// Install is "molt/install/1".
type Install struct {
	Schema    string    `json:"schema"`
	Ecosystem string    `json:"ecosystem,omitempty"` // where the application has several
	DryRun    bool      `json:"dryRun"`
	Into      string    `json:"into"`      // the folder
	Folders   int       `json:"folders"`   // of packages, afterwards
	Untouched bool      `json:"untouched"` // all was there as it should be
	Added     []string  `json:"added"`     // name@version
	Moved     []Moved   `json:"moved"`
	Removed   []string  `json:"removed"`
	Mended    []string  `json:"mended"`  // what was not as it had been laid out
	Edited    []string  `json:"edited"`  // files that somebody edited and that were replaced
	Left      []string  `json:"left"`    // files that somebody edited, in packages that stay: left as they are
	LeftOut   []string  `json:"leftOut"` // releases for other platforms
	Unbuilt   []Unbuilt `json:"unbuilt"`
	Built     []string  `json:"built"`             // releases of which the build steps ran
	Claimed   []string  `json:"claimed"`           // executables that several packages have
	Odd       []string  `json:"odd"`               // files with names that something may take amiss
	Outside   []string  `json:"outside,omitempty"` // what does not come from a registry, and was not laid out
	Archives  int       `json:"archives"`
	Bytes     int64     `json:"bytes"`             // of the archives that were fetched
	Files     int       `json:"files"`             // that were linked or copied
	Copied    int       `json:"copied"`            // files of the application, into another folder
	Current   string    `json:"current,omitempty"` // the link that leads there now
	Former    string    `json:"former,omitempty"`  // where it led before
	Seconds   float64   `json:"seconds"`
}

// Moved is a package that stands at another release.
type Moved struct {
	Name string `json:"name"`
	From string `json:"from"`
	To   string `json:"to"`
}

// Unbuilt is a release whose author wants scripts run, which were not.
type Unbuilt struct {
	Release string   `json:"release"`
	Steps   []string `json:"steps"`
}

// Cache is "molt/cache/1".
type Cache struct {
	Schema    string   `json:"schema"`
	Folder    string   `json:"folder"`
	Documents int      `json:"documents"` // answers of registries
	Bytes     int64    `json:"bytes"`     // of these
	Releases  int      `json:"releases"`  // unpacked
	Files     int      `json:"files"`     // of these
	Unpacked  int64    `json:"unpacked"`  // bytes of these
	Removed   []string `json:"removed"`   // releases that were not as they had been made, when they were looked at
	Cleared   bool     `json:"cleared"`
}

// NeedsAttention is false: what was taken away is made again when somebody needs it.
func (d Cache) NeedsAttention() bool { return false }

// NeedsAttention reports whether something that the application needs was not laid out.
func (d Install) NeedsAttention() bool { return len(d.Outside) > 0 }

package doc

// Dossier is "molt/dossier/1".
type Dossier struct {
	Schema     string `json:"schema"`
	Name       string `json:"name"`
	About      string `json:"about"`
	Homepage   string `json:"homepage"`
	Repository string `json:"repository"`
	Deprecated string `json:"deprecated"` // what the newest release says, "" when nothing
	Successor  string `json:"successor"`  // of a renamed package
	Keeping
	Declared  []DossierLine     `json:"declared"`
	Locked    []TraceRelease    `json:"locked"`
	Settling  []Settling        `json:"settling,omitempty"`
	Tags      map[string]string `json:"tags"`
	Framework string            `json:"framework"` // the package that "framework" of a release is about, "" for none
	Releases  []DossierRelease  `json:"releases"`  // the newest first
	Hidden    int               `json:"hidden"`    // older releases and previews that are not shown
	// the release up to which the change log is shown, and whose needs are listed
	To    string        `json:"to"`
	Needs []DossierNeed `json:"needs"`
	Log   []Log         `json:"log"`            // the newest first
	NoLog Sentence      `json:"noLog"`          // why there is none, "" when there is one or nothing to tell
	Runs  []Run         `json:"runs,omitempty"` // of the locked releases
	// locked releases of which nobody can tell what runs: their archives are not at hand
	Unread int `json:"unread,omitempty"`
}

// A Run is something of a release that runs without being called by its name, or a program.
type Run struct {
	Release string `json:"release"`
	// "start" of the runtime, every one; "install", where that is allowed; "call", by its name
	When string `json:"when"`
	What string `json:"what"` // a file, a script of the manifest, or a program
}

// A DossierLine is a line of the manifest.
type DossierLine struct {
	Group      string `json:"group"`
	Constraint string `json:"constraint"`
}

// A DossierNeed is something that a release needs or has as a peer.
type DossierNeed struct {
	Name       string `json:"name"`
	Constraint string `json:"constraint"`
	Peer       bool   `json:"peer"`
	Optional   bool   `json:"optional"`
}

// A DossierRelease is one release.
type DossierRelease struct {
	Version    string            `json:"version"`
	Published  string            `json:"published"` // a day, "" when the registry does not tell
	Jump       string            `json:"jump"`      // from the locked release, "" without one
	Needs      int               `json:"needs"`
	Peers      int               `json:"peers"`
	Runtimes   map[string]string `json:"runtimes"`
	Framework  string            `json:"framework"` // what it asks of the framework, "" for nothing
	Deprecated string            `json:"deprecated"`
	Locked     bool              `json:"locked"`
}

// A Log is what the change log says of one release, as lines of Markdown.
type Log struct {
	Release  string   `json:"release"`
	Breaking []string `json:"breaking"`
	Rest     []string `json:"rest"`
}

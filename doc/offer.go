package doc

// Offers is "molt/offers/1": what is new, as sets of changes that do not collide.
type Offers struct {
	Schema    string       `json:"schema"`
	Ecosystem string       `json:"ecosystem,omitempty"` // where the application has several
	DryRun    bool         `json:"dryRun"`
	Offers    []Offer      `json:"offers"`
	Waiting   []PlanBehind `json:"waiting"` // what is newer and not offered, with the reason
	Next      *Next        `json:"next,omitempty"`
}

// NeedsAttention is false: whoever reviews the branches decides.
func (d Offers) NeedsAttention() bool { return false }

// An Offer is one set of changes, with its branch.
type Offer struct {
	ID      string       `json:"id"`
	Title   Sentence     `json:"title"`
	Branch  string       `json:"branch"`
	Commit  string       `json:"commit"` // "" where nothing was written
	State   string       `json:"state"`  // new, renewed, as it was, gone, worked on
	Changes []PlanChange `json:"changes"`
	Lock    int          `json:"lock"` // packages that change in it
	Notes   []string     `json:"notes"`
	Runs    []Run        `json:"runs,omitempty"` // what would run that does not now
	// releases of which nobody can tell that: their archives are not at hand
	Unread int `json:"unread,omitempty"`
}

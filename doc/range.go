package doc

// Range is "molt/range/1". What begins with Of is there when the versions are the releases of a package.
type Range struct {
	Schema     string     `json:"schema"`
	Ecosystem  string     `json:"ecosystem"`
	Constraint string     `json:"constraint"`
	Admits     []string   `json:"admits"`
	Refuses    []string   `json:"refuses"`
	Of         string     `json:"of,omitempty"`
	Today      string     `json:"today,omitempty"`   // what it would resolve to
	Refused    string     `json:"refused,omitempty"` // the first release above those that it admits
	Bounded    *bool      `json:"bounded,omitempty"` // whether it refuses every release above some release
	Advice     *Advice    `json:"advice,omitempty"`
	Settling   []Settling `json:"settling,omitempty"`

	Lanes []Lane `json:"-"`
}

// An Advice is a constraint that would serve better; the given one, when it can stay.
type Advice struct {
	Constraint string   `json:"constraint"`
	Reason     Sentence `json:"reason"`
	Breaking   bool     `json:"breaking"` // following it is a breaking move from what is locked
}

// A Lane is the releases of one major.
type Lane struct {
	Major, Marks string
	Admitted, Of int
	Hidden       int // previews that are refused, which are not drawn
	Runs         string
}

package doc

// Plan is "molt/plan/1".
type Plan struct {
	Schema    string      `json:"schema"`
	Goal      string      `json:"goal"`
	Note      string      `json:"note,omitempty"`
	Branch    string      `json:"branch,omitempty"`
	Reachable bool        `json:"reachable"`
	Stages    []PlanStage `json:"stages"`
	Wall      []string    `json:"wall"`
	Beyond    []PlanStage `json:"beyond,omitempty"`   // a sketch of what comes after the wall
	Costs     []string    `json:"costs,omitempty"`    // what decisions of people cost
	Untangle  *Untangle   `json:"untangle,omitempty"` // when it is out of reach
	Renewal   *Renewal    `json:"renewal,omitempty"`  // when it was made anew
}

// A Renewal says what became of a plan that was made anew.
type Renewal struct {
	Kept    []string `json:"kept"`
	Lost    []string `json:"lost"`
	Changed []string `json:"changed"`
}

// A PlanStage is one stage of a plan.
type PlanStage struct {
	ID      string       `json:"id"`
	Kind    string       `json:"kind"`
	Title   string       `json:"title"`
	Note    string       `json:"note,omitempty"`
	Family  string       `json:"family,omitempty"` // why its packages move in step
	Changes []PlanChange `json:"changes"`
	Raise   []Runtime    `json:"raise,omitempty"`
	Advice  []Guidance   `json:"advice,omitempty"`
	Locked  PlanLocked   `json:"locked"`
	Effort  *Effort      `json:"effort,omitempty"`
	Aims    []PlanAim    `json:"aims,omitempty"`
	Status  string       `json:"status"`
}

// A Guidance is something that an upgrade guide has to say.
type Guidance struct {
	Says   string   `json:"says"`
	Run    string   `json:"run,omitempty"`
	Found  []string `json:"found,omitempty"`
	Link   string   `json:"link,omitempty"`
	Source string   `json:"source"`
}

// An Effort says at a glance what a stage means for people.
type Effort struct {
	Jump     string  `json:"jump"`
	Files    int     `json:"files"`
	Evidence string  `json:"evidence"`
	Seconds  float64 `json:"seconds"` // that its checks took when they last ran here, 0 for never
}

// A PlanChange is a change to one declaration; From or To is null for one that is added or removed.
type PlanChange struct {
	Name     string     `json:"name"`
	Group    string     `json:"group"`
	From     *PlanPoint `json:"from"`
	To       *PlanPoint `json:"to"`
	Jump     string     `json:"jump"`
	Standing string     `json:"standing"`
	Reason   string     `json:"reason"`
	Note     string     `json:"note,omitempty"`
	Notes    []string   `json:"notes,omitempty"` // what the change log calls breaking on the way
}

// A PlanPoint is a constraint and the release it leads to.
type PlanPoint struct {
	Constraint string `json:"constraint"`
	Version    string `json:"version"`
}

// PlanLocked counts what a stage does to the lock.
type PlanLocked struct {
	Added   int `json:"added"`
	Removed int `json:"removed"`
	Moved   int `json:"moved"`
}

// A PlanAim is something that a stage has as little of as can be: how much, and the least that is proven to be needed
// given the aims before it.
type PlanAim struct {
	Aim   string `json:"aim"`
	Cost  int    `json:"cost"`
	Least int    `json:"least"`
}

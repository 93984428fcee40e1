package doc

// Plan is "molt/plan/1", and what molt-plan.yaml holds of it.
type Plan struct {
	Schema    string      `json:"schema" yaml:"-"`
	Format    int         `json:"-" yaml:"molt-plan"`                             // of the file
	Ecosystem string      `json:"ecosystem,omitempty" yaml:"ecosystem,omitempty"` // where the application has several
	Goal      string      `json:"goal" yaml:"goal"`
	Note      string      `json:"note,omitempty" yaml:"note,omitempty"` // what people have to say
	Branch    string      `json:"branch,omitempty" yaml:"branch,omitempty"`
	Reachable bool        `json:"reachable" yaml:"reachable"`
	Made      *PlanMade   `json:"-" yaml:"made,omitempty"`
	Costs     []Sentence  `json:"costs,omitempty" yaml:"costs,omitempty"` // what decisions of people cost
	Wall      []Sentence  `json:"wall" yaml:"wall,omitempty"`
	Stages    []PlanStage `json:"stages" yaml:"stages"`
	Settling  []Settling  `json:"settling,omitempty" yaml:"-"`
	// declared packages that do not get to their newest major
	Behind  []PlanBehind `json:"behind,omitempty" yaml:"behind,omitempty"`
	Beyond  []PlanStage  `json:"beyond,omitempty" yaml:"beyond,omitempty"` // a sketch of what comes after the wall
	Remarks []Sentence   `json:"remarks,omitempty" yaml:"-"`               // what is to be known of all of it
	// what the checks warn of where things stand
	Deprecated []Deprecation `json:"deprecated,omitempty" yaml:"-"`
	Untangle   *Untangle     `json:"untangle,omitempty" yaml:"-"` // when it is out of reach
	Renewal    *Renewal      `json:"renewal,omitempty" yaml:"-"`  // when it was made anew
	Next       *Next         `json:"next,omitempty" yaml:"-"`
}

// A PlanBehind is a declared package that stays before its newest major, with the reason.
type PlanBehind struct {
	Name   string   `json:"name" yaml:"name"`
	At     string   `json:"at" yaml:"at"`
	Newest string   `json:"newest" yaml:"newest"`
	Why    Sentence `json:"why" yaml:"why"`
}

// A PlanMade is the state that a plan was made on, and how.
type PlanMade struct {
	On       string `yaml:"on"`       // a day; releases that are younger are news
	Lock     string `yaml:"lock"`     // SHA-256 of the lock that the next stage goes on from
	Registry string `yaml:"registry"` // SHA-256 of what the registry had of the declared packages
	Fresh    string `yaml:"fresh,omitempty"`
	Leap     bool   `yaml:"leap,omitempty"`
	// what each stage would move, NAME@RELEASE or NAME@removed, to tell what people decided
	Offered map[string][]string `yaml:"offered,omitempty"`
}

// A Renewal says what became of a plan that was made anew.
type Renewal struct {
	Kept    []Sentence `json:"kept"`
	Lost    []Sentence `json:"lost"`
	Changed []Sentence `json:"changed"`
}

// A PlanStage is one stage of a plan.
type PlanStage struct {
	ID     string   `json:"id" yaml:"id"`
	Kind   string   `json:"kind" yaml:"kind"`
	Title  Sentence `json:"title" yaml:"title"`
	Note   string   `json:"note,omitempty" yaml:"note,omitempty"` // what people have to say
	Status string   `json:"status" yaml:"status"`                 // Pending or Done
	// it comes after the goal, which does not need it
	After   bool         `json:"after,omitempty" yaml:"after,omitempty"`
	Family  Sentence     `json:"family,omitzero" yaml:"family,omitempty"` // why its packages move in step
	Raise   []Runtime    `json:"raise,omitempty" yaml:"raise,omitempty"`
	Changes []PlanChange `json:"changes" yaml:"changes,omitempty"`
	Advice  []Guidance   `json:"advice,omitempty" yaml:"advice,omitempty"`
	Locked  *PlanLocked  `json:"locked" yaml:"lock,omitempty"`
	Effort  *Effort      `json:"effort,omitempty" yaml:"effort,omitempty"`
	Aims    []PlanAim    `json:"aims,omitempty" yaml:"aims,omitempty"`
}

// What became of a stage.
const (
	Pending = "pending"
	Done    = "done"
)

// A Guidance is something to do or to know that an upgrade guide has for a stage.
type Guidance struct {
	Says   Sentence `json:"says" yaml:"says"`
	Run    string   `json:"run,omitempty" yaml:"run,omitempty"`     // a command; it is for people to run
	Found  []string `json:"found,omitempty" yaml:"found,omitempty"` // where in the source it matters, FILE:LINE
	Link   string   `json:"link,omitempty" yaml:"link,omitempty"`
	Source Sentence `json:"source" yaml:"source"`
}

// An Effort says at a glance what a stage means for people.
type Effort struct {
	Jump     string  `json:"jump" yaml:"jump"`         // the greatest
	Files    int     `json:"files" yaml:"files"`       // of the source that import what moves
	Evidence string  `json:"evidence" yaml:"evidence"` // the weakest grade, "" where no change has evidence
	Seconds  float64 `json:"seconds" yaml:"-"`         // that its checks took when they last ran here, 0 for never
}

// A PlanChange is a change to one declaration. Without From it is added, without To it is removed.
type PlanChange struct {
	Name     string     `json:"name" yaml:"name"`
	Group    string     `json:"group" yaml:"group"`
	From     *PlanPoint `json:"from" yaml:"from,omitempty"`
	To       *PlanPoint `json:"to" yaml:"to,omitempty"`
	Jump     string     `json:"jump" yaml:"jump,omitempty"`
	Standing string     `json:"standing" yaml:"standing,omitempty"`
	Reason   Sentence   `json:"reason" yaml:"reason,omitempty"`
	Note     string     `json:"note,omitempty" yaml:"note,omitempty"`   // what people have to say
	Notes    []string   `json:"notes,omitempty" yaml:"notes,omitempty"` // what the change log calls breaking on the way
	// of one that is removed: where the source still imports it, FILE:LINE
	Uses []string `json:"uses,omitempty" yaml:"uses,omitempty"`
}

// A PlanPoint is a constraint and the release it leads to.
type PlanPoint struct {
	Constraint string `json:"constraint" yaml:"constraint"`
	Version    string `json:"version" yaml:"version"`
}

// PlanLocked counts what a stage does to the lock.
type PlanLocked struct {
	Added   int `json:"added" yaml:"added"`
	Removed int `json:"removed" yaml:"removed"`
	Moved   int `json:"moved" yaml:"moved"`
}

// A PlanAim is something that a stage has as little of as can be: how much, and the least that is proven to be needed
// given the aims before it.
type PlanAim struct {
	Aim   string `json:"aim" yaml:"aim"`
	Cost  int    `json:"cost" yaml:"cost"`
	Least int    `json:"least" yaml:"least"`
}

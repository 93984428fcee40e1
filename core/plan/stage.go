package plan

import (
	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
)

// A StageKind says why a stage is there.
type StageKind string

// The kinds of stage, in the order in which a plan has them. The last four repeat for every hop.
const (
	BaselineStage StageKind = "baseline" // lock what is there
	PatchStage    StageKind = "patch"    // patch releases, together
	MinorStage    StageKind = "minor"    // minor releases, together
	BridgeStage   StageKind = "bridge"   // a package that is compatible with both, before the framework
	RuntimeStage  StageKind = "runtime"  // raise a runtime; by hand
	GoalStage     StageKind = "goal"     // the framework, with exactly what cannot go before or wait
	AfterStage    StageKind = "after"    // what the goal opens
	RetireStage   StageKind = "retire"   // what the goal makes superfluous
)

// StageKinds lists the kinds of stage.
var StageKinds = []StageKind{BaselineStage, PatchStage, MinorStage, BridgeStage, RuntimeStage, GoalStage, AfterStage,
	RetireStage}

// A Stage is a set of manifest changes after which the whole resolves.
type Stage struct {
	ID         string
	Kind       StageKind
	Title      fact.Fact
	Changes    []project.Change
	Raise      []assess.RuntimeNeed // of a runtime stage
	After      *solve.Resolution    // nil for a runtime stage, which changes no package
	Locked     project.Moves
	Optimum    *assess.Optimum // of a goal stage
	Family     fact.Fact       // the ground on which its packages move in step, none where they do not
	Companions []Companion     // what its moves newly require and nobody declares
	Weakest    project.Grade   // of the evidence for where its packages go, "" where there is none to be had
}

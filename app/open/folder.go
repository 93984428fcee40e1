package open

import (
	"molt/doc"
	"molt/ecosystem"
)

// NextOfOtherSides returns the first stage that is still to do in the plans of other sides; nil where
// there is none, or where they cannot be read.
func NextOfOtherSides(a *View) *doc.PlanStage {
	plans, _ := plans(a)
	for _, s := range a.OtherSides() {
		if p := plans[s.Ecosystem.Name()]; p != nil && p.Next() != nil {
			return p.Next()
		}
	}
	return nil
}

// OpenSide opens another side of the application.
func OpenSide(a *View, e ecosystem.Ecosystem) (*View, error) {
	settings := a.Settings
	settings.Ecosystem = e.Name()
	return Open(settings)
}

// EachSide returns the application's side and the others, in the order of Ecosystems.
func EachSide(a *View) (all []*View, err error) {
	for _, e := range a.Ecosystems() {
		side := a
		if e.Name() != a.Eco.Name() {
			if side, err = OpenSide(a, e); err != nil {
				return nil, err
			}
		}
		all = append(all, side)
	}
	return all, nil
}

// SideOfPlan says how many stages are left in the plan of a side: in all, and up to its goal. The
// second result is false where it has no plan that can be read, or no such stage; the stage is ""
// for any.
func SideOfPlan(a *View, stage string) (left, toGoal int, ok bool) {
	file, err := a.ReadPlan()
	if err != nil || stage != "" && file.Stage(stage) == nil {
		return 0, 0, false
	}
	return file.Left(), file.ToGoal(), true
}

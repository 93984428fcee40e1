package plan

import (
	"maps"
	"slices"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/version"
)

// runtime adds a stage for the runtimes that the goal's resolution requires and that are not known to be there.
func (p *planner) runtime(h hop, r *solve.Resolution) error {
	needs, err := assess.RuntimeNeeds(p.Ctx, p.Real, p.App, p.now.Locked, r)
	if err != nil {
		return err
	}
	st := Stage{ID: p.freeID("runtime-" + h.major), Kind: RuntimeStage, Title: fact.New(RaiseRuntime)}
	for _, n := range p.AdvisedRuntimes(h.major) {
		if !slices.ContainsFunc(needs, func(x assess.RuntimeNeed) bool { return x.Name == n.Name && x.Needs == n.Needs }) {
			needs = append(needs, n)
		}
	}
	needs = append(p.Raises(), needs...)
	for _, n := range needs {
		if n.Deployed != nil && !n.Met &&
			!slices.ContainsFunc(st.Raise, func(x assess.RuntimeNeed) bool {
				return x.Name == n.Name && x.By == assess.TheGoal
			}) {
			st.Raise = append(st.Raise, n)
		}
	}
	if st.Raise != nil {
		p.plan.Stages = append(p.plan.Stages, st)
		for _, n := range st.Raise { // from here on it is taken to be done
			if err := p.raise(n.Name, r); err != nil {
				return err
			}
		}
	}
	return nil
}

// raise takes a runtime to be at the version to which people will raise it where the lowest that
// suits a resolution would do, or, when that cannot be told, at whatever will be asked for.
func (p *planner) raise(name string, r *solve.Resolution) error {
	runtime := p.App.Runtime(name)
	to, err := project.LeastRuntime(p.Ctx, p.Real, runtime, r)
	if err != nil {
		return err
	}
	v, asked := p.Raised[name]
	if asked {
		to = v.String()
	}
	least, unknown := version.Complete(runtime.Scheme, to)
	if unknown == nil && !asked {
		to = runtime.Deployable(least)
	}
	raised := maps.Clone(p.App.Assumed()[name])
	for environment, v := range raised {
		if at, err := version.Complete(runtime.Scheme, v); unknown == nil && (err != nil || at.Compare(least) < 0) {
			raised[environment] = to
		}
	}
	if to == "" {
		raised = nil
	}
	p.Judgement = p.Raising(name, raised)
	return nil
}

package plan

import (
	"molt/core/fact"
	"molt/core/project"
	"molt/core/universe"
)

// capOf is Application.CapOf at this point of the plan.
func (p *planner) capOf(name string, pkg *universe.Package) string {
	at := pkg.Index(project.VersionOf(p.now.Locked, name))
	return p.App.CapOf(name, pkg, at, func(d project.Declared) string { return p.now.Lines[d.Line()] })
}

// below reports whether a release is one to which a package may freshen: the line that is its cap
// admits it, where there is one.
func below(pkg *universe.Package, line string, i int) bool {
	if line == "" {
		return true
	}
	admitted, _ := pkg.Admit(line) // it was read
	return admitted.Has(i)
}

// lifting adds to a reason that a move goes past the package's line.
func (p *planner) lifting(name string, reason fact.Fact) fact.Fact {
	pkg, err := p.Pkg(name)
	if err != nil || name == p.Goal.Name {
		return reason
	}
	if line := p.capOf(name, pkg); line != "" {
		return fact.New(PastItsLine, reason, line)
	}
	return reason
}

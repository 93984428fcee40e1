package plan

import (
	"fmt"

	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// capOf returns the line of a declared package that ends before its next major, and shuts out a release that does not
// break: "~2.1.0" where there is 2.2.0. Somebody decided that, so only what the goal needs goes past it. A line that
// asks for one release exactly is a style (rule 8 of docs/judgement.md). It returns "" for none, and where people said
// that such lines count for nothing.
func (p *planner) capOf(name string, pkg *universe.Package) string {
	at := pkg.Index(project.VersionOf(p.now.Locked, name))
	if p.cut.Uncapped || at < 0 {
		return ""
	}
	for _, d := range p.App.Declared {
		line := p.now.Lines[d.Line()]
		if style := p.App.Scheme.StyleOf(line); d.As != name || style == version.Exact || style == version.Any {
			continue
		}
		admitted, err := pkg.Admit(line)
		if err != nil || !admitted.Has(at) {
			continue
		}
		for i := admitted.Max() + 1; i < pkg.Len(); i++ {
			if v := pkg.Version(i); !v.Prerelease() && !pkg.Withdrawn(i) && !p.App.Breaking(name, pkg.Version(at), v) {
				return line
			}
		}
	}
	return ""
}

// below reports whether a release is one to which a package may freshen: the line that is its cap admits it, where there
// is one.
func below(pkg *universe.Package, line string, i int) bool {
	if line == "" {
		return true
	}
	admitted, _ := pkg.Admit(line) // it was read
	return admitted.Has(i)
}

// lifting adds to a reason that a move goes past the package's line.
func (p *planner) lifting(name, reason string) string {
	pkg, err := p.Pkg(name)
	if err != nil || name == p.Goal.Name {
		return reason
	}
	if line := p.capOf(name, pkg); line != "" {
		return fmt.Sprintf("%s; only the goal takes it past its line %s", reason, line)
	}
	return reason
}

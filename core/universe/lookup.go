package universe

import (
	"context"

	"molt/core/version"
)

// NewestStable returns the newest release that is no prerelease, or nil.
func NewestStable(p *Package) *Release {
	if i := p.Stable().Max(); i >= 0 {
		return p.At(i)
	}
	return nil
}

// LookUp returns a package, or nil for one that does not exist.
func LookUp(ctx context.Context, source Source, name string) (*Package, error) {
	p, err := source.Package(ctx, name)
	if _, unknown := err.(*UnknownError); unknown {
		return nil, nil
	}
	return p, err
}

// BestOf returns the newest member that is not deprecated, else the newest, or -1.
func BestOf(p *Package, s version.Set) int {
	best := -1
	for i := range s.All() {
		if !p.Deprecated(i) {
			best = i
		}
	}
	if best < 0 {
		return s.Max()
	}
	return best
}

package stages

import (
	"strings"
	"testing"

	"molt/app/locking"
	"molt/app/open"
	"molt/core/solve"
	"molt/ecosystem"
)

// TestWeakDigests: a release of which the registry states SHA-1 alone is said, and refused where the rules say so.
func TestWeakDigests(t *testing.T) {
	l := &ecosystem.Lock{}
	for id, integrity := range map[string]string{
		"keel@1.0.0": "sha1-AAAA", "mast@1.0.0": "sha1-AAAA sha512-BBBB", "oar@1.0.0": "sha512-CCCC"} {
		l.Packages = append(l.Packages, ecosystem.LockedPackage{Node: solve.Node{ID: id}, Integrity: integrity})
	}
	a := &open.View{}
	if says := locking.Weak(a, l); !strings.Contains(says, "SHA-1 alone of keel@1.0.0,") ||
		strings.Contains(says, "mast") {
		t.Errorf("it says %q", says)
	}
	if err := locking.StrongEnough(a, l); err != nil {
		t.Errorf("without a rule: %v", err)
	}
	a.Config.Rules.Digests = "strong"
	if err := locking.StrongEnough(a, l); err == nil || !strings.Contains(err.Error(), "keel@1.0.0") {
		t.Errorf("with the rule: %v", err)
	}
}

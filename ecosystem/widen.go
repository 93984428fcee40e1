package ecosystem

import "molt/core/universe"

// A Widener is an ecosystem whose locks can be for more environments than the one that is deployed:
// people who work on an application have other machines.
type Widener interface {
	// Wider lists environments besides the deployed one in which people may work on an application that requires something
	// of runtimes: the versions of the runtime that it admits, and the platforms that there are.
	Wider(deployed Environment, requires []universe.Requirement) (runtimes []map[string]string, platforms []string)
	// Narrow returns what a lock has for the environments that are deployed, as if it had been made
	// for these only. Its Wide is the lock.
	Narrow(l *Lock) *Lock
}

// Whole returns the lock for all environments that it is for, and not for the deployed ones only.
func (l *Lock) Whole() *Lock {
	if l == nil || l.Wide == nil {
		return l
	}
	return l.Wide
}

// Everywhere lists the environments that a lock is for: the deployed ones, and the others.
func (l *Lock) Everywhere() []Environment {
	all := append([]Environment{}, l.Environments...)
	return append(all, l.Wider...)
}

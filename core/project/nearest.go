package project

import (
	"errors"
	"slices"

	"molt/core/universe"
)

// Nearest returns the name with the least edit distance to a given one, or "" when none is near.
func Nearest(name string, names []string) string {
	best, distance := "", len(name)/2+1
	for _, n := range slices.Sorted(slices.Values(names)) {
		if d := editDistance(name, n); d < distance {
			best, distance = n, d
		}
	}
	return best
}

// editDistance is the Levenshtein distance in bytes.
func editDistance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		diagonal := row[0]
		row[0] = i + 1
		for j := range len(b) {
			change := diagonal
			if a[i] != b[j] {
				change++
			}
			diagonal = row[j+1]
			row[j+1] = min(change, row[j]+1, row[j+1]+1)
		}
	}
	return row[len(b)]
}

// A NameError says why a package cannot be declared so.
type NameError struct{ Name, Reason string }

func (e *NameError) Error() string { return e.Name + ": " + e.Reason }

// UnknownName turns the error of a package that the registry does not have into one that names the
// nearest of some names.
func UnknownName(err error, name string, names []string) error {
	var unknown *universe.UnknownError
	if !errors.As(err, &unknown) {
		return err
	}
	return &NameError{name, NotAmong("the registry has no such package", name, names)}
}

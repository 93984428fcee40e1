// Package archive deals with the archives of releases: whether they are what a lock or a registry says they are, and what
// they hold. It reads them within the limits of package input.
package archive

import (
	"bytes"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"
)

// The algorithms of integrity strings, strongest first. W3C Subresource Integrity names the first three; the last one is
// all that old releases have.
var algorithms = []string{"sha512", "sha384", "sha256", "sha1"}

func sum(algorithm string, data []byte) []byte {
	switch algorithm {
	case "sha512":
		s := sha512.Sum512(data)
		return s[:]
	case "sha384":
		s := sha512.Sum384(data)
		return s[:]
	case "sha256":
		s := sha256.Sum256(data)
		return s[:]
	}
	s := sha1.Sum(data)
	return s[:]
}

// A DigestError reports an archive whose bytes are not what is stated of them, or of which nothing is stated by which
// they could be checked.
type DigestError struct{ Name, Reason string }

func (e *DigestError) Error() string { return e.Name + ": " + e.Reason }

// strongest returns the digests of the strongest known algorithm in an integrity string (W3C Subresource Integrity,
// section 3.3), with that algorithm; "" when it knows none.
func strongest(integrity string) (algorithm string, digests []string) {
	best := len(algorithms)
	for _, one := range strings.Fields(integrity) {
		name, digest, _ := strings.Cut(one, "-")
		digest, _, _ = strings.Cut(digest, "?") // options, of which there are none yet
		at := slices.Index(algorithms, name)
		switch {
		case at < 0 || at > best:
		case at < best:
			best, digests = at, []string{digest}
		default:
			digests = append(digests, digest)
		}
	}
	if best == len(algorithms) {
		return "", nil
	}
	return algorithms[best], digests
}

// Check compares data with an integrity string. Of several algorithms the strongest decides alone, and one of its digests
// has to match. Without any that is known the data cannot be trusted, which is an error too.
func Check(name string, data []byte, integrity string) error {
	algorithm, digests := strongest(integrity)
	switch {
	case strings.TrimSpace(integrity) == "":
		return &DigestError{name, "nothing states its checksum, so it is not used"}
	case algorithm == "":
		return &DigestError{name, fmt.Sprintf("its checksum %q is of no kind that is known (%s), so it is not used", integrity, strings.Join(algorithms, ", "))}
	}
	got := sum(algorithm, data)
	for _, d := range digests {
		want, err := base64.StdEncoding.DecodeString(d)
		if err == nil && bytes.Equal(got, want) {
			return nil
		}
	}
	return &DigestError{name, fmt.Sprintf("it does not match its checksum: it is %s-%s, and should be %s-%s", algorithm,
		base64.StdEncoding.EncodeToString(got), algorithm, strings.Join(digests, " or "))}
}

// Differ reports whether two integrity strings cannot be of the same bytes, as far as they tell. One that states nothing
// differs from none. Strings without a common algorithm cannot be compared, and differ when both state something: whoever
// changes what is stated has to say so.
func Differ(a, b string) bool {
	if strings.TrimSpace(a) == "" || strings.TrimSpace(b) == "" {
		return false
	}
	common := false
	x, y := digestsOf(a), digestsOf(b)
	for algorithm, digests := range x {
		others, both := y[algorithm]
		if !both {
			continue
		}
		common = true
		if !slices.ContainsFunc(digests, func(d string) bool { return slices.Contains(others, d) }) {
			return true
		}
	}
	return !common && strings.TrimSpace(a) != strings.TrimSpace(b)
}

func digestsOf(integrity string) map[string][]string {
	all := map[string][]string{}
	for _, one := range strings.Fields(integrity) {
		name, digest, _ := strings.Cut(one, "-")
		digest, _, _ = strings.Cut(digest, "?")
		all[name] = append(all[name], digest)
	}
	return all
}

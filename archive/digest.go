// Package archive deals with the archives of releases: whether they are what a lock or a registry
// says they are, and what they hold. It reads them within the limits of package input.
package archive

import (
	"bytes"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"hash"
	"slices"
	"strings"
)

// The algorithms of integrity strings, strongest first. W3C Subresource Integrity names the first
// three; the last one is all that old releases have.
var algorithms = []string{"sha512", "sha384", "sha256", "sha1"}

var hashes = map[string]func() hash.Hash{
	"sha512": sha512.New, "sha384": sha512.New384, "sha256": sha256.New, "sha1": sha1.New}

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

// Weak reports whether the best that an integrity string states is SHA-1, which no longer proves
// what an archive is (RFC 6194).
func Weak(integrity string) bool {
	algorithm, _ := strongest(integrity)
	return algorithm == "sha1"
}

// A Digest is written the bytes of an archive, and compares them with what is stated.
type Digest struct {
	hash.Hash
	name      string
	algorithm string
	wanted    []string
}

// NewDigest begins with no bytes. Of several algorithms in the integrity string the strongest
// decides by itself. Without any that is known the bytes could not be trusted, which is a *DigestError.
func NewDigest(name, integrity string) (*Digest, error) {
	algorithm, digests := strongest(integrity)
	switch {
	case strings.TrimSpace(integrity) == "":
		return nil, &DigestError{name, "nothing states its checksum, so it is not used"}
	case algorithm == "":
		return nil, &DigestError{name,
			fmt.Sprintf("its checksum %q is of no kind that is known (%s), so it is not used", integrity,
				strings.Join(algorithms, ", "))}
	}
	return &Digest{hashes[algorithm](), name, algorithm, digests}, nil
}

// Check reports as a *DigestError when none of the stated digests is that of the bytes.
func (d *Digest) Check() error {
	got := d.Sum(nil)
	for _, text := range d.wanted {
		want, err := decode(text)
		if err == nil && bytes.Equal(got, want) {
			return nil
		}
	}
	return &DigestError{d.name, fmt.Sprintf("it does not match its checksum: it is %s-%s, and should be %s-%s",
		d.algorithm,
		base64.StdEncoding.EncodeToString(got), d.algorithm, strings.Join(d.wanted, " or "))}
}

func decode(text string) ([]byte, error) { return base64.StdEncoding.DecodeString(text) }

// Check compares data with an integrity string, as a Digest does.
func Check(name string, data []byte, integrity string) error {
	d, err := NewDigest(name, integrity)
	if err != nil {
		return err
	}
	_, _ = d.Write(data) // a hash takes everything
	return d.Check()
}

// Differ reports whether two integrity strings cannot be of the same bytes, as far as they tell.
// One that states nothing differs from none. Strings without a common algorithm cannot be compared,
// and differ when both state something: whoever changes what is stated has to say so.
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

// Hashes writes the digests of an integrity string as ALGORITHM:HEX.
func Hashes(integrity string) (all []string) {
	for algorithm, digests := range digestsOf(integrity) {
		for _, text := range digests {
			if sum, err := decode(text); err == nil {
				all = append(all, algorithm+":"+hex.EncodeToString(sum))
			}
		}
	}
	slices.Sort(all)
	return all
}

// SRI writes a digest as an integrity string.
func SRI(algorithm string, sum []byte) string {
	return algorithm + "-" + base64.StdEncoding.EncodeToString(sum)
}

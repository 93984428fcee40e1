package python

import (
	"strings"

	"molt/ecosystem/python/specifiers"
)

// A wheel is what the name of a wheel says, by the specification "Binary distribution format": what
// it is of, and for which interpreters and platforms it can be used.
type wheel struct {
	name                        string
	version                     *specifiers.Version
	interpreters, abis, systems []string
}

// parseWheel reads NAME-VERSION[-BUILD]-INTERPRETERS-ABIS-SYSTEMS.whl.
func parseWheel(file string) (wheel, bool) {
	parts := strings.Split(strings.TrimSuffix(file, ".whl"), "-")
	if len(parts) != 5 && len(parts) != 6 || len(parts) == 6 &&
		(parts[2] == "" || parts[2][0] < '0' || parts[2][0] > '9') {
		return wheel{}, false
	}
	v, err := specifiers.Parse(strings.ReplaceAll(parts[1], "_", "-"))
	if err != nil {
		return wheel{}, false
	}
	tags := parts[len(parts)-3:]
	w := wheel{name: parts[0], version: v, interpreters: strings.Split(tags[0], "."), abis: strings.Split(tags[1], "."),
		systems: strings.Split(tags[2], ".")}
	return w, w.name != "" && tags[0] != "" && tags[1] != "" && tags[2] != ""
}

// tags writes the tags as the name has them.
func (w wheel) tags() string {
	return strings.Join(w.interpreters, ".") + "-" + strings.Join(w.abis, ".") + "-" + strings.Join(w.systems, ".")
}

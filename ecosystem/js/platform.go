package js

import (
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"github.com/tidwall/gjson"

	"molt/ecosystem"
)

// platforms writes for which platforms a release is, "os:linux,darwin cpu:x64"; "" for all. A name
// with "!" before it is excluded.
func platforms(os, cpu, libc []string) string {
	var parts []string
	for _, one := range []struct {
		field string
		names []string
	}{{"os", os}, {"cpu", cpu}, {"libc", libc}} {
		if len(one.names) > 0 {
			parts = append(parts, one.field+":"+strings.Join(one.names, ","))
		}
	}
	return strings.Join(parts, " ")
}

// stringsIn returns the strings of a JSON list, or the one string that stands in its place, without
// those that could not be written into a condition.
func stringsIn(v gjson.Result) (all []string) {
	v.ForEach(func(_, x gjson.Result) bool {
		if x.Type == gjson.String && x.String() != "" && !strings.ContainsAny(x.String(), " ,:\n\t") {
			all = append(all, x.String())
		}
		return true
	})
	return all
}

// The runtime's names for what Go calls otherwise.
var (
	systems    = map[string]string{"windows": "win32", "solaris": "sunos", "illumos": "sunos"}
	processors = map[string]string{"amd64": "x64", "386": "ia32", "ppc64le": "ppc64", "mipsle": "mipsel"}
)

// Fits compares the platforms of a release with this machine.
func (JS) Fits(p *ecosystem.LockedPackage) bool {
	if p.When == "" {
		return true
	}
	here := map[string]string{"os": runtime.GOOS, "cpu": runtime.GOARCH, "libc": libc()}
	if name := systems[here["os"]]; name != "" {
		here["os"] = name
	}
	if name := processors[here["cpu"]]; name != "" {
		here["cpu"] = name
	}
	return fitsPlatform(p.When, here)
}

// fitsPlatform reports whether a condition holds on a platform. Of a field that the platform does
// not have, no name holds.
func fitsPlatform(when string, here map[string]string) bool {
	for _, part := range strings.Fields(when) {
		field, list, _ := strings.Cut(part, ":")
		is, known := here[field]
		if !known {
			continue
		}
		names := strings.Split(list, ",")
		if slices.Contains(names, "!"+is) {
			return false
		}
		wanted := slices.ContainsFunc(names, func(n string) bool { return !strings.HasPrefix(n, "!") })
		if wanted && !slices.Contains(names, is) && !slices.Contains(names, "any") && (field != "libc" || is != "") {
			return false
		}
	}
	return true
}

// libc names the C library of this machine, "" where that is no question.
var libc = sync.OnceValue(func() string {
	if runtime.GOOS != "linux" {
		return ""
	}
	if musl, err := filepath.Glob("/lib/ld-musl-*"); err == nil && len(musl) > 0 {
		return "musl"
	}
	return "glibc"
})

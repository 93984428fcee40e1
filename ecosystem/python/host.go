package python

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
)

// A hostDetail is what an interpreter says of itself.
type hostDetail struct {
	Executable string                  `json:"executable"`
	Markers    requirement.Environment `json:"markers"`
	System     string                  `json:"system"` // such as linux-x86_64 or macosx-14.0-arm64
	Libc       []string                `json:"libc"`   // name and version
	Site       string                  `json:"site"`   // of an environment, relative to it, with slashes
}

// probe is what an interpreter is asked. It prints one line of JSON.
const probe = `
import json, os, platform, sys, sysconfig
def version(info):
    text = "%d.%d.%d" % tuple(info[:3])
    kind = info.releaselevel
    return text if kind == "final" else text + kind[0] + str(info.serial)
base = os.path.join(os.sep, "base")
names = {"base": base, "platbase": base, "installed_base": base}
scheme = "nt" if os.name == "nt" else "posix_prefix"
print(json.dumps({
    "executable": sys.executable,
    "system": sysconfig.get_platform(),
    "libc": list(platform.libc_ver()),
    "site": os.path.relpath(sysconfig.get_path("purelib", scheme, names), base).replace(os.sep, "/"),
    "markers": {
        "os_name": os.name, "sys_platform": sys.platform, "platform_machine": platform.machine(),
        "platform_python_implementation": platform.python_implementation(), "platform_release": platform.release(),
        "platform_system": platform.system(), "platform_version": platform.version(),
        "python_version": ".".join(platform.python_version_tuple()[:2]), "python_full_version": platform.python_version(),
        "implementation_name": sys.implementation.name, "implementation_version": version(sys.implementation.version),
    },
}))
`

// An interpreter that may be there is called by a file, with arguments before all others.
type callable struct {
	file string
	args []string
}

func (c callable) String() string { return strings.Join(append([]string{c.file}, c.args...), " ") }

// callables lists what can be called of an interpreter of a version, or of the usual one for "":
// each file of its names in the folders of the path, since one that stands for a version that a
// manager does not have fails and may hide another one; and last the launcher (PEP 397).
func callables(minor string) (all []callable) {
	names := []string{"python3", "python"}
	if minor != "" {
		names = []string{"python" + minor}
	}
	for _, name := range names {
		for _, dir := range filepath.SplitList(os.Getenv("PATH")) {
			if !filepath.IsAbs(dir) { // what lies in the folder of an application is no interpreter
				continue
			}
			if file, err := exec.LookPath(filepath.Join(dir, name)); err == nil {
				all = append(all, callable{file, nil})
			}
		}
	}
	if file, err := exec.LookPath("py"); err == nil && minor != "" {
		all = append(all, callable{file, []string{"-" + minor}})
	}
	return all
}

// Probe asks the interpreters that an environment of the lock would have, then the usual one.
func (Python) Probe(ctx context.Context, l *ecosystem.Lock) (*ecosystem.Host, error) {
	var minors []string
	for _, e := range l.Environments {
		if m, err := markersOf(e); err == nil && !slices.Contains(minors, m["python_version"]) {
			minors = append(minors, m["python_version"])
		}
	}
	var found, names []string
	var all []callable
	for _, minor := range append(minors, "") {
		all = append(all, callables(minor)...)
		if minor != "" {
			names = append(names, "python"+minor)
		}
	}
	names = append(names, "python3", "python")
	for _, c := range all {
		h, err := ask(ctx, c)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		file := c.String()
		if err != nil {
			found = append(found, fmt.Sprintf("%s does not say what it is: %v", file, err))
			continue
		}
		unsuited := ""
		for _, q := range l.Requires {
			if holds, ok := specifiers.Satisfies(h.Version, q.Text); q.Name == runtimeName && ok && !holds {
				unsuited = fmt.Sprintf("%s is Python %s, and the application requires %s", file, h.Version, q.Text)
			}
		}
		if unsuited == "" {
			return h, nil
		}
		if !slices.Contains(found, unsuited) {
			found = append(found, unsuited)
		}
	}
	if found == nil {
		return nil, fmt.Errorf("there is no Python on this machine: looked for %s", strings.Join(names, ", "))
	}
	return nil, fmt.Errorf("no Python on this machine will do: %s", strings.Join(found, "; "))
}

// mostAsked is how long an interpreter may take to answer.
const mostAsked = 20 * time.Second

// ask asks one interpreter, in a mode in which nothing of the user's is loaded.
func ask(ctx context.Context, c callable) (*ecosystem.Host, error) {
	ctx, cancel := context.WithTimeout(ctx, mostAsked)
	defer cancel()
	out, err := exec.CommandContext(ctx, c.file, append(slices.Clone(c.args), "-I", "-c", probe)...).Output()
	if err != nil {
		return nil, err
	}
	d := &hostDetail{}
	if err := json.Unmarshal(out, d); err != nil {
		return nil, err
	}
	v, err := specifiers.Parse(d.Markers["python_full_version"])
	if err != nil || !filepath.IsLocal(filepath.FromSlash(d.Site)) {
		return nil, fmt.Errorf("it answers %q", strings.TrimSpace(string(out)))
	}
	if d.Executable == "" {
		d.Executable = c.file
	}
	h := &ecosystem.Host{Name: runtimeName, Runtime: d.Executable, Version: v.Normal(), Detail: d}
	for name, m := range platforms {
		if m["sys_platform"] == d.Markers["sys_platform"] && m["platform_machine"] == d.Markers["platform_machine"] {
			h.Platform = name
		}
	}
	return h, nil
}

// makeEnvironment has the interpreter's own module make an empty environment, with links to the
// interpreter where the system has them.
const makeEnvironment = "import os, sys, venv; venv.create(sys.argv[1], symlinks=os.name != 'nt')"

// Make is a call of the interpreter's own module for environments.
func (Python) Make(h *ecosystem.Host, dir string) []string {
	return []string{h.Runtime, "-I", "-c", makeEnvironment, dir}
}

// Compile is a call of the interpreter's own module for that, on all processors, without what the
// environment has run at a start.
func (Python) Compile(h *ecosystem.Host, dir, place string) []string {
	site := filepath.FromSlash(h.Detail.(*hostDetail).Site)
	return []string{h.Runtime, "-I", "-S", "-m", "compileall", "-q", "-j", "0", "-d", filepath.Join(place, site),
		filepath.Join(dir, site)}
}

// Moved replaces the folder in scripts and in the environment's configuration.
func (Python) Moved(text []byte, from, to string) []byte {
	return []byte(strings.ReplaceAll(string(text), from, to))
}

// Wanted follows the demands whose markers hold here.
func (Python) Wanted(l *ecosystem.Lock, h *ecosystem.Host) []*ecosystem.LockedPackage {
	e := h.Detail.(*hostDetail).Markers
	if l.Edgeless {
		return markedFor(l, e)
	}
	nodes := map[string]*ecosystem.LockedPackage{}
	for i := range l.Packages {
		nodes[l.Packages[i].ID] = &l.Packages[i]
	}
	wanted := map[string]*ecosystem.LockedPackage{}
	named, envs, _ := cellsOf(l) // where they cannot be read, nothing is forked
	apart := forksOf(l.Forks, named, envs)
	choices := groupMarkersOf(l)
	var groups []string
	for _, group := range slices.Concat(l.Alternatives...) {
		if slices.ContainsFunc(l.Roots, func(r solve.Edge) bool { return r.Group == group }) {
			groups = append(groups, group)
		}
	}
	e = maps.Clone(e)
	withGroups(e, groups)
	seen := map[string]bool{}
	todo := slices.Clone(l.Roots)
	for len(todo) > 0 {
		edge := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		n := nodes[edge.To]
		if m, err := requirement.ParseMarker(edge.When); n == nil || seen[n.ID] || edge.When != "" && err == nil &&
			!m.Holds(e) {
			continue
		}
		seen[n.ID] = true
		of := universe.NameOf(n.Name)
		base, extra := of.Base(), of.Extra
		if f, forked := apart.at(base); forked && !f.marker(envs, choices).Holds(e) {
			continue
		}
		if extra == "" {
			plain := *n // in an environment, there is one
			plain.Name = universe.Plain(n.Name)
			plain.ID = plain.Name + "@" + n.Version
			wanted[plain.ID] = &plain
		} else if p := nodes[base+"@"+n.Version]; p != nil {
			todo = append(todo, edge)
			todo[len(todo)-1].To = p.ID
		}
		todo = append(todo, n.Needs...)
	}
	var all []*ecosystem.LockedPackage
	for _, p := range wanted {
		all = append(all, p)
	}
	slices.SortFunc(all, func(a, b *ecosystem.LockedPackage) int { return strings.Compare(a.ID, b.ID) })
	return all
}

// markedFor lists the packages of a foreign lock whose markers hold on this machine, whichever
// groups and extras they are for: so the specification has a lock installed, which needs no
// resolution.
func markedFor(l *ecosystem.Lock, e requirement.Environment) (all []*ecosystem.LockedPackage) {
	for i := range l.Packages {
		p := l.Packages[i]
		if m, err := requirement.ParseMarker(p.Only); p.Only != "" && (err != nil || !m.Holds(e)) {
			continue
		}
		p.Name = universe.Plain(p.Name)
		p.ID = p.Name + "@" + p.Version
		all = append(all, &p)
	}
	slices.SortFunc(all, func(a, b *ecosystem.LockedPackage) int { return strings.Compare(a.ID, b.ID) })
	return all
}

// Lacks reads the requirements in the metadata of a release.
func (Python) Lacks(h *ecosystem.Host, p *ecosystem.LockedPackage, metadata []byte,
	wanted []*ecosystem.LockedPackage) string {
	e := h.Detail.(*hostDetail).Markers
	m, _, err := readMetadata(p.Name, p.Version, metadata)
	if err != nil {
		return err.Error()
	}
	for _, text := range m.Needs {
		r, err := requirement.Parse(text)
		if err != nil || r.Address != "" || !r.Marker.Holds(e) {
			continue
		}
		name := requirement.Canonical(r.Name)
		i := slices.IndexFunc(wanted, func(x *ecosystem.LockedPackage) bool { return x.Name == name })
		if i < 0 {
			return fmt.Sprintf("%s needs %s here, which is not in the lock", p.ID, text)
		}
		if holds, ok := specifiers.Satisfies(wanted[i].Version, r.Specifier); ok && !holds {
			return fmt.Sprintf("%s needs %s here, and the lock has %s", p.ID, text, wanted[i].Version)
		}
	}
	return ""
}

// FileFor returns the wheel whose tags this machine prefers, by the specification "Platform compatibility tags".
func (Python) FileFor(p *ecosystem.LockedPackage, h *ecosystem.Host) (universe.File, bool) {
	d := h.Detail.(*hostDetail)
	var best universe.File
	rank := -1
	for _, f := range p.Files {
		if w, ok := parseWheel(nameOf(f)); ok && f.Kind == wheelKind {
			if r := d.rank(w); r > rank {
				best, rank = f, r
			}
		}
	}
	return best, rank >= 0
}

// rank says how well a wheel suits: more is better, negative is not at all. What is made for
// exactly this interpreter comes first, then what is for a stable interface or an older
// interpreter, then what is not compiled.
func (d *hostDetail) rank(w wheel) int {
	system := -1
	for _, tag := range w.systems {
		system = max(system, d.systemRank(tag))
	}
	if system < 0 {
		return -1
	}
	v, err := specifiers.Parse(d.Markers["python_version"])
	if err != nil {
		return -1
	}
	major, minor := v.Numbers()
	best := -1
	for _, interpreter := range w.interpreters {
		for _, abi := range w.abis {
			best = max(best, interpreterRank(interpreter, abi, d.Markers["implementation_name"], major, minor))
		}
	}
	if best < 0 {
		return -1
	}
	return best*1_000_000 + system
}

var interpreterTag = regexp.MustCompile(`^(py|cp)(\d)(\d*)$`)

func interpreterRank(interpreter, abi, implementation string, major, minor int) int {
	m := interpreterTag.FindStringSubmatch(interpreter)
	if m == nil {
		return -1
	}
	tagMajor, _ := strconv.Atoi(m[2])
	tagMinor, err := strconv.Atoi(m[3])
	exact := err == nil && tagMinor == minor
	if tagMajor != major || err == nil && tagMinor > minor || m[1] == "cp" && implementation != "cpython" {
		return -1
	}
	switch {
	case m[1] == "cp" && exact && abi == interpreter:
		return 400
	case m[1] == "cp" && abi == "abi3" && err == nil:
		return 200 + tagMinor
	case m[1] == "cp" && exact && abi == "none":
		return 190
	case m[1] == "py" && abi == "none":
		return 10 + tagMinor
	}
	return -1
}

var (
	manylinuxTag = regexp.MustCompile(`^manylinux_(\d+)_(\d+)_(\w+)$`)
	musllinuxTag = regexp.MustCompile(`^musllinux_(\d+)_(\d+)_(\w+)$`)
	macosTag     = regexp.MustCompile(`^macosx_(\d+)_(\d+)_(\w+)$`)
	macosSystem  = regexp.MustCompile(`^macosx-(\d+)\.(\d+)-(\w+)$`)
)

// oldManylinux are older names of tags.
var oldManylinux = strings.NewReplacer("manylinux1_", "manylinux_2_5_", "manylinux2010_", "manylinux_2_12_",
	"manylinux2014_", "manylinux_2_17_")

// systemRank says how well the tag of a platform suits; negative is not at all.
func (d *hostDetail) systemRank(tag string) int {
	if tag == "any" {
		return 0
	}
	number := func(major, minor string) int {
		a, _ := strconv.Atoi(major)
		b, _ := strconv.Atoi(minor)
		return a*1000 + b
	}
	upTo := func(m []string, name, version string) int {
		major, rest, _ := strings.Cut(version, ".")
		minor, _, _ := strings.Cut(rest, ".")
		if len(d.Libc) == 2 && d.Libc[0] == name && m[3] == d.Markers["platform_machine"] &&
			number(m[1], m[2]) <= number(major, minor) {
			return number(m[1], m[2])
		}
		return -1
	}
	libc := ""
	if len(d.Libc) == 2 {
		libc = d.Libc[1]
	}
	if m := manylinuxTag.FindStringSubmatch(oldManylinux.Replace(tag)); m != nil {
		return upTo(m, "glibc", libc)
	}
	if m := musllinuxTag.FindStringSubmatch(tag); m != nil {
		return upTo(m, "musl", libc)
	}
	if m, here := macosTag.FindStringSubmatch(tag), macosSystem.FindStringSubmatch(d.System); m != nil {
		if here == nil || m[3] != here[3] && m[3] != "universal2" || number(m[1], m[2]) > number(here[1], here[2]) {
			return -1
		}
		return number(m[1], m[2])
	}
	if tag == strings.NewReplacer("-", "_", ".", "_").Replace(d.System) {
		return 1
	}
	return -1
}

var _ ecosystem.Flat = Python{}

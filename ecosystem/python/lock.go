package python

import (
	"cmp"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"maps"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/pelletier/go-toml/v2"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
)

// lockVersion is the version of the specification "pylock.toml" (PEP 751) that is written.
const lockVersion = "1.0"

// ListsFiles says that a lock lists every file of a release.
func (Python) ListsFiles() {}

// EncodeLock writes pylock.toml as the specification has it, the same bytes for the same lock. What
// the specification has no place for, which is what each package and the application ask for,
// stands in the tables of "tool" that are for that. Packages with extras are part of the package.
func (Python) EncodeLock(l *ecosystem.Lock) []byte {
	l = l.Whole()
	w := &lockWriter{lock: l}
	w.head()
	releases := l.Releases()
	slices.SortStableFunc(releases, func(a, b ecosystem.LockedPackage) int {
		// the first fork of a package before the others
		return cmp.Or(strings.Compare(universe.Plain(a.Name)+"@", universe.Plain(b.Name)+"@"), len(a.Name)-len(b.Name))
	})
	for i := range releases {
		w.pkg(&releases[i])
	}
	kept, _ := l.Kept.(unknown)
	others, _ := kept["packages"].([]any)
	if len(releases) == 0 && len(others) == 0 {
		w.line("packages = []") // the specification asks for the key
	}
	for _, p := range others {
		w.line("")
		w.table("[[packages]]", p)
	}
	w.application()
	return []byte(w.String())
}

type lockWriter struct {
	strings.Builder
	lock    *ecosystem.Lock
	markers map[string]*requirement.Marker // by package, where it is not installed always
	apart   forks
}

func (w *lockWriter) line(format string, args ...any) { fmt.Fprintf(w, format+"\n", args...) }

// unknown are the keys that a reader kept since it does not know them.
type unknown = map[string]any

// derived are keys that are made of what the application asks for, and kept of a lock that does not tell that.
var derived = []string{"environments", "extras", "dependency-groups"}

func (w *lockWriter) head() {
	l := w.lock
	cells, envs, err := cellsOf(l)
	if err == nil {
		w.apart = forksOf(l.Forks, cells, envs)
		w.markers = markersIn(l, cells, envs, w.apart)
	}
	w.line("# The releases that this application is locked to. Molt writes this file; people review and commit it.")
	w.line("lock-version = %s", quoteTOML(lockVersion))
	if len(l.Environments) > 0 && err == nil {
		w.line("environments = [")
		var texts []string
		for _, m := range environmentMarkers(l, envs) {
			texts = appendNew(texts, literal(m.String()))
		}
		for _, text := range texts {
			w.line("    %s,", text)
		}
		w.line("]")
	}
	for _, q := range l.Requires {
		if q.Name == runtimeName {
			w.line("requires-python = %s", quoteTOML(q.Text))
			break
		}
	}
	var extras, groups []string
	named := slices.Sorted(maps.Keys(l.Included))
	for _, r := range l.Roots {
		named = append(named, r.Group)
	}
	for _, group := range named {
		m := groupMarker(group)
		if m == nil {
			continue
		}
		list := &groups
		if m.Right.Variable == "extras" {
			list = &extras
		}
		if !slices.Contains(*list, m.Left.Text) {
			*list = append(*list, m.Left.Text)
		}
	}
	slices.Sort(extras)
	slices.Sort(groups)
	if extras != nil {
		w.line("extras = %s", inlineTOML(extras))
	}
	if groups != nil {
		w.line("dependency-groups = %s", inlineTOML(groups))
	}
	w.line("created-by = \"molt\"")
	kept, _ := l.Kept.(unknown)
	for _, key := range slices.Sorted(maps.Keys(kept)) {
		if key != "tool" && key != "packages" && (l.Edgeless || !slices.Contains(derived, key)) {
			w.line("%s = %s", tomlKey(key), inlineTOML(kept[key]))
		}
	}
}

func (w *lockWriter) pkg(p *ecosystem.LockedPackage) {
	kept, _ := p.Kept.(unknown)
	w.line("\n[[packages]]\nname = %s\nversion = %s", quoteTOML(universe.Plain(p.Name)), quoteTOML(p.Version))
	if m := w.markers[p.Name]; m != nil {
		w.line("marker = %s", literal(m.String()))
	} else if text, ok := kept["marker"].(string); ok && w.lock.Edgeless {
		w.line("marker = %s", literal(text))
	}
	for _, q := range p.Runtimes {
		if q.Name == runtimeName {
			w.line("requires-python = %s", quoteTOML(q.Text))
		}
	}
	var needs []string
	extras := map[string][]string{}
	names := map[string]bool{}
	for i := range w.lock.Packages {
		other := &w.lock.Packages[i]
		of := universe.NameOf(other.Name)
		base, extra := of.Base(), of.Extra
		if base != p.Name {
			continue
		}
		for _, e := range other.Needs {
			to := universe.NameOf(e.Package).Base()
			if to == p.Name && e.Package == to {
				continue // of an extra on its own package
			}
			text := edgeText(e)
			if extra == "" {
				needs = appendNew(needs, text)
			} else {
				extras[extra] = appendNew(extras[extra], text)
			}
			if to != p.Name {
				names[w.dependency(e)] = true
			}
		}
		if _, there := extras[extra]; extra != "" && !there {
			extras[extra] = nil
		}
	}
	if len(names) > 0 {
		w.line("dependencies = [")
		for _, text := range slices.Sorted(maps.Keys(names)) {
			w.line("    { %s },", text)
		}
		w.line("]")
	}
	direct := isDirect(p)
	if w.lock.Index != "" && kept["index"] == nil && !direct {
		w.line("index = %s", quoteTOML(w.lock.Index))
	}
	for _, key := range slices.Sorted(maps.Keys(kept)) {
		if key != "tool" && key != "marker" {
			w.line("%s = %s", tomlKey(key), inlineTOML(kept[key]))
		}
	}
	if direct {
		w.direct(p)
	} else {
		w.files(p)
	}
	tools, _ := kept["tool"].(unknown)
	for _, tool := range slices.Sorted(maps.Keys(tools)) {
		w.table("[packages.tool."+tomlKey(tool)+"]", tools[tool])
	}
	f := w.lock.Forks.Of(p.Name)
	if w.lock.Edgeless { // it stays one that does not tell
		return
	}
	commit := direct && strings.HasPrefix(p.Source, "git+")
	if len(needs) > 0 || len(extras) > 0 || f != nil || commit {
		w.line("[packages.tool.molt]")
	}
	if commit {
		w.line("integrity = %s", quoteTOML(p.Integrity)) // the standard has no digest of a commit's files
	}
	if f != nil {
		w.line("environments = %s", inlineTOML(f.Environments))
	}
	w.list("needs", needs)
	for _, extra := range slices.Sorted(maps.Keys(extras)) {
		if extras[extra] == nil {
			w.line("extras.%s = []", tomlKey(extra))
		}
		w.list("extras."+tomlKey(extra), extras[extra])
	}
}

// dependency names a package that another one needs, with the version where the name does not tell which is meant.
func (w *lockWriter) dependency(e solve.Edge) string {
	name := universe.Plain(e.Package)
	text := "name = " + quoteTOML(name)
	several, version := 0, ""
	for i := range w.lock.Packages {
		p := &w.lock.Packages[i]
		if universe.NameOf(p.Name).Extra == "" && universe.Plain(p.Name) == name {
			several++
			if base := universe.NameOf(e.Package).Base(); p.Name == base {
				version = p.Version
			}
		}
	}
	if several > 1 {
		text += ", version = " + quoteTOML(version)
	}
	return text
}

// isDirect reports whether a package is an archive or a commit that the application names by its address.
func isDirect(p *ecosystem.LockedPackage) bool { return len(p.Files) == 1 && p.Files[0].Direct }

// isReference reports whether a constraint is an address or a path.
func isReference(constraint string) bool {
	return constraint != "" && !strings.ContainsRune("<>=!~(", rune(constraint[0]))
}

// direct writes where such a package comes from: the specification's tables "archive" and "vcs".
func (w *lockWriter) direct(p *ecosystem.LockedPackage) {
	f := p.Files[0]
	if repository, git := strings.CutPrefix(f.Address, "git+"); git {
		address, commit, _ := strings.Cut(repository, "#")
		w.line("vcs = { type = \"git\", url = %s, commit-id = %s }", quoteTOML(address), quoteTOML(commit))
		return
	}
	where := "url = " + quoteTOML(f.Address)
	if file, local := strings.CutPrefix(f.Address, "file:"); local {
		where = "path = " + quoteTOML(file)
	}
	if f.Size > 0 {
		where += ", size = " + strconv.FormatInt(f.Size, 10)
	}
	w.line("archive = { %s, hashes = %s }", where, hashesOf(f.Integrity))
}

// files lists the files of a release.
func (w *lockWriter) files(p *ecosystem.LockedPackage) {
	entry := func(f universe.File) string {
		where, address := "url", f.Address
		switch {
		case isPath(address):
			where = "path"
		case !strings.Contains(address, "://") && w.lock.Index != "":
			address = strings.TrimSuffix(w.lock.Index, "/") + "/" + address
		}
		text := "{ name = " + quoteTOML(nameOf(f)) + ", " + where + " = " + quoteTOML(address)
		if f.Size > 0 {
			text += ", size = " + strconv.FormatInt(f.Size, 10)
		}
		return text + ", hashes = " + hashesOf(f.Integrity) + " }"
	}
	wheels := false
	for _, f := range p.Files {
		switch {
		case f.Kind == sourceKind:
			if wheels {
				w.line("]")
				wheels = false
			}
			w.line("sdist = %s", entry(f))
			return // the first is enough, and there is no place for another
		case !wheels:
			w.line("wheels = [")
			wheels = true
			fallthrough
		default:
			w.line("    %s,", entry(f))
		}
	}
	if wheels {
		w.line("]")
	}
}

func (w *lockWriter) list(key string, all []string) {
	if len(all) == 0 {
		return
	}
	w.line("%s = [", key)
	for _, text := range all {
		w.line("    %s,", literal(text))
	}
	w.line("]")
}

// table writes a table of which nothing is known.
func (w *lockWriter) table(head string, v any) {
	w.line("%s", head)
	all, _ := v.(unknown)
	for _, key := range slices.Sorted(maps.Keys(all)) {
		w.line("%s = %s", tomlKey(key), inlineTOML(all[key]))
	}
}

// application writes what the application asks for, and for which environments the lock was made.
func (w *lockWriter) application() {
	kept, _ := w.lock.Kept.(unknown)
	tools, _ := kept["tool"].(unknown)
	for _, tool := range slices.Sorted(maps.Keys(tools)) {
		w.line("")
		w.table("[tool."+tomlKey(tool)+"]", tools[tool])
	}
	if w.lock.Edgeless {
		return
	}
	w.line("\n[tool.molt]")
	if len(w.lock.Environments) > 0 {
		w.line("environments = [")
		for _, e := range w.lock.Environments {
			platform := e.Platform
			if platform == "" {
				platform = usualPlatform
			}
			text := fmt.Sprintf("python = %s, platform = %s", quoteTOML(e.Runtimes[runtimeName]), quoteTOML(platform))
			if e.Name != "" {
				text = "name = " + quoteTOML(e.Name) + ", " + text
			}
			w.line("    { %s },", text)
		}
		w.line("]")
	}
	if len(w.lock.Wider) > 0 {
		var minors, on []string
		for _, e := range w.lock.Everywhere() {
			minors, on = appendNew(minors, e.Runtimes[runtimeName]), appendNew(on, cmp.Or(e.Platform, usualPlatform))
		}
		slices.SortFunc(minors, byVersion)
		slices.Sort(on)
		w.line("wider = { python = %s, platform = %s }", inlineTOML(minors), inlineTOML(on))
	}
	if len(w.lock.Members) > 0 {
		members := unknown{}
		for folder, name := range w.lock.Members {
			members[folder] = name
		}
		w.line("members = %s", inlineTOML(members))
	}
	if len(w.lock.Alternatives) > 0 {
		var lists []string
		for _, list := range w.lock.Alternatives {
			lists = append(lists, inlineTOML(list))
		}
		w.line("alternatives = [%s]", strings.Join(lists, ", "))
	}
	group := ""
	var texts []string
	flush := func() {
		if texts == nil {
			return
		}
		if strings.Count(w.String(), "[tool.molt.application]") == 0 {
			w.line("\n[tool.molt.application]")
		}
		w.list(quoteTOML(group), texts)
		texts = nil
	}
	for _, r := range w.lock.Roots {
		if r.Group != group {
			flush()
			group = r.Group
		}
		texts = appendNew(texts, edgeText(r))
	}
	flush()
	w.forkEntries()
	if len(w.lock.Waived) > 0 {
		w.line("\n[tool.molt.waived]")
		for _, key := range slices.Sorted(maps.Keys(w.lock.Waived)) {
			w.line("%s = %s", quoteTOML(key), quoteTOML(w.lock.Waived[key]))
		}
	}
	if len(w.lock.Origins) > 0 {
		w.line("\n[tool.molt.registries]")
		for _, key := range slices.Sorted(maps.Keys(w.lock.Origins)) {
			w.line("%s = %s", quoteTOML(key), quoteTOML(w.lock.Origins[key]))
		}
	}
}

// appendNew adds a text unless it is there, as that of a demand on another fork of the package may be.
func appendNew(all []string, text string) []string {
	if slices.Contains(all, text) {
		return all
	}
	return append(all, text)
}

// edgeText writes a demand as a requirement.
func edgeText(e solve.Edge) string {
	name := universe.Plain(e.Package)
	if extra := universe.NameOf(e.Package).Extra; extra != "" {
		name = universe.NameOf(name).With(extra)
	}
	text := name + e.Constraint
	if e.Foreign || isReference(e.Constraint) {
		text = name + " @ " + e.Constraint
	}
	if e.When != "" {
		text += " ; " + e.When
	}
	return text
}

// readEdge reads one.
func readEdge(text, group string) (solve.Edge, error) {
	r, err := requirement.Parse(text)
	if err != nil {
		return solve.Edge{}, err
	}
	d := demandOf(r)
	e := solve.Edge{Name: d.Package, Package: d.Package, Constraint: r.Specifier, Group: group, When: d.When}
	if len(r.Extras) == 1 {
		e.Name = universe.NameOf(d.Package).With(r.Extras[0])
		e.Package = e.Name
	}
	if r.Address != "" {
		e.Constraint, e.Foreign = r.Address, true
	}
	return e, nil
}

// nameOf returns the name of a file of a release.
func nameOf(f universe.File) string { return cmp.Or(f.Name, fileName(f.Address)) }

// fileName returns the last part of an address, as it is written in a file system.
func fileName(address string) string {
	name := path.Base(address)
	if plain, err := unescaped(name); err == nil {
		return plain
	}
	return name
}

// isPath reports whether the address of a file is a path relative to the lock.
func isPath(address string) bool {
	return strings.HasPrefix(address, "./") || strings.HasPrefix(address, "../") || strings.HasPrefix(address, "/")
}

// hashesOf writes digests the way that the lock has them: by algorithm, in hexadecimal digits.
func hashesOf(integrity string) string {
	var all []string
	for one := range strings.FieldsSeq(integrity) {
		algorithm, text, _ := strings.Cut(one, "-")
		if sum, err := base64.StdEncoding.DecodeString(text); err == nil {
			all = append(all, algorithm+" = "+quoteTOML(hex.EncodeToString(sum)))
		}
	}
	if all == nil {
		return "{}"
	}
	return "{ " + strings.Join(all, ", ") + " }"
}

// Purpose tells groups apart by when a lock has them installed.
func (Python) Purpose(group string) project.Purpose {
	switch m := groupMarker(group); {
	case m == nil:
		return project.ToRun
	case m.Right.Variable == "extras":
		return project.ToChoose
	}
	return project.ToDevelop
}

// Prune takes out of a lock what is needed in no environment: each demand on the way to it holds
// somewhere, and all of them together nowhere.
func (Python) Prune(l *ecosystem.Lock) {
	named, envs, err := cellsOf(l)
	if err != nil || len(envs) == 0 {
		return
	}
	reached := map[string]bool{}
	reaching(l, named, envs, forksOf(l.Forks, named, envs), func(_ solve.Edge, _ int, p *ecosystem.LockedPackage) {
		reached[p.ID] = true
	})
	unreached := func(e solve.Edge) bool { return e.To != "" && !reached[e.To] }
	l.Packages = slices.DeleteFunc(l.Packages, func(p ecosystem.LockedPackage) bool { return !reached[p.ID] })
	for i := range l.Packages {
		if p := &l.Packages[i]; slices.ContainsFunc(p.Needs, unreached) { // the list is that of the resolution, too
			p.Needs = slices.DeleteFunc(slices.Clone(p.Needs), unreached)
		}
	}
}

// literal writes a text in single quotes where it has double ones.
func literal(text string) string {
	if strings.Contains(text, `"`) && !strings.ContainsAny(text, "'\n\r\t") {
		return "'" + text + "'"
	}
	return quoteTOML(text)
}

var bareKey = regexp.MustCompile(`^[A-Za-z0-9_-]+$`)

func tomlKey(key string) string {
	if bareKey.MatchString(key) {
		return key
	}
	return quoteTOML(key)
}

// inlineTOML writes a value on one line.
func inlineTOML(v any) string {
	switch v := v.(type) {
	case string:
		return quoteTOML(v)
	case []string:
		var all []any
		for _, one := range v {
			all = append(all, one)
		}
		return inlineTOML(all)
	case []any:
		var all []string
		for _, one := range v {
			all = append(all, inlineTOML(one))
		}
		return "[" + strings.Join(all, ", ") + "]"
	case unknown:
		var all []string
		for _, key := range slices.Sorted(maps.Keys(v)) {
			all = append(all, tomlKey(key)+" = "+inlineTOML(v[key]))
		}
		return "{ " + strings.Join(all, ", ") + " }"
	case time.Time:
		return v.Format(time.RFC3339Nano)
	case toml.LocalDate, toml.LocalTime, toml.LocalDateTime, int64, bool:
		return fmt.Sprint(v)
	case float64:
		text := strconv.FormatFloat(v, 'g', -1, 64)
		if !strings.ContainsAny(text, ".eIN") {
			text += ".0"
		}
		return strings.NewReplacer("+Inf", "inf", "-Inf", "-inf", "NaN", "nan").Replace(text)
	}
	return quoteTOML(fmt.Sprint(v))
}

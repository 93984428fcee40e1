package python

import (
	"bytes"
	"cmp"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
	"molt/input"
)

func unescaped(name string) (string, error) { return url.PathUnescape(name) }

// DecodeLock reads any pylock.toml that the specification allows. Of one that another program wrote
// it is not known what the application asked for, and what packages ask of one another: it is
// Edgeless. Keys that are not known are kept for EncodeLock, and so are packages that no index has.
// The error is a *input.PositionError, a *ecosystem.NewerLockError or a *input.LimitError.
func (p Python) DecodeLock(file string, data []byte) (*ecosystem.Lock, error) {
	if err := input.TOMLDepth(file, data); err != nil {
		return nil, err
	}
	var whole unknown
	if err := toml.Unmarshal(data, &whole); err != nil {
		bad := &input.PositionError{File: file, Line: 1, Column: 1, Reason: "this is not TOML: " + err.Error()}
		var at *toml.DecodeError
		if errors.As(err, &at) {
			bad.Line, bad.Column = at.Position()
		}
		return nil, bad
	}
	r := &lockReader{file: file, data: data, lock: &ecosystem.Lock{Ecosystem: p.Name()}, kept: unknown{}, at: -1}
	if err := r.head(whole); err != nil {
		return nil, err
	}
	packages, _ := whole["packages"].([]any)
	for i, one := range packages {
		r.at = i
		if err := r.pkg(p, one); err != nil {
			return nil, err
		}
	}
	r.at = -1
	return r.finish(whole)
}

type lockReader struct {
	file string
	data []byte
	lock *ecosystem.Lock
	kept unknown
	at   int // which package is read, -1 for none
	ours int // packages of which it is known what they need
}

// fail is an error at the package that is being read, or at the beginning of the file.
func (r *lockReader) fail(reason string, args ...any) error {
	line := 1
	if r.at >= 0 {
		rest, from := r.at, 0
		for n, text := range bytes.Split(r.data, []byte("\n")) {
			if bytes.Equal(bytes.TrimSpace(text), []byte("[[packages]]")) {
				if rest == 0 {
					from = n + 1
					break
				}
				rest--
			}
		}
		line = max(from, 1)
	}
	return &input.PositionError{File: r.file, Line: line, Column: 1,
		Reason: fmt.Sprintf(reason, args...) + "; molt relock writes it anew"}
}

func (r *lockReader) head(whole unknown) error {
	text, _ := whole["lock-version"].(string)
	major, _, _ := strings.Cut(text, ".")
	n, err := strconv.ParseInt(major, 10, 64)
	switch {
	case err != nil:
		return r.fail("this is no pylock.toml: lock-version is missing or no version")
	case n > 1:
		return &ecosystem.NewerLockError{File: r.file, Format: n, Reads: 1}
	}
	if text, ok := whole["requires-python"].(string); ok {
		r.lock.Requires = []universe.Requirement{{Name: runtimeName, Text: text}}
	}
	tool, _ := whole["tool"].(unknown)
	ours, _ := tool["molt"].(unknown)
	environments, _ := ours["environments"].([]any)
	for _, one := range environments {
		table, _ := one.(unknown)
		e := ecosystem.Environment{Runtimes: map[string]string{}}
		e.Name, _ = table["name"].(string)
		e.Platform, _ = table["platform"].(string)
		e.Runtimes[runtimeName], _ = table["python"].(string)
		r.lock.Environments = append(r.lock.Environments, e)
	}
	r.wider(ours["wider"])
	r.lock.Members = namedTexts(ours["members"])
	for folder := range r.lock.Members {
		if !fs.ValidPath(folder) || folder == "." {
			return r.fail("members: %s is no folder below the application", input.Quote(folder))
		}
	}
	lists, _ := ours["alternatives"].([]any)
	for _, list := range lists {
		r.lock.Alternatives = append(r.lock.Alternatives, textsOf(list))
		if !ecosystem.Choosable(r.lock.Alternatives) {
			return r.fail("its alternatives are not lists of two groups or more, with at most %d choices in all",
				ecosystem.ManyChoices)
		}
	}
	if err := r.forks(ours); err != nil {
		return err
	}
	r.lock.Origins, r.lock.Waived = namedTexts(ours["registries"]), namedTexts(ours["waived"])
	for key, v := range whole {
		if !slices.Contains([]string{"lock-version", "environments", "requires-python", "extras", "dependency-groups",
			"created-by", "packages", "tool"}, key) {
			r.kept[key] = v
		}
	}
	return nil
}

// wider reads the environments besides the deployed one: each version on each platform.
func (r *lockReader) wider(v any) {
	table, ok := v.(unknown)
	if !ok || len(r.lock.Environments) != 1 {
		return
	}
	deployed := r.lock.Environments[0]
	for _, python := range textsOf(table["python"]) {
		for _, platform := range textsOf(table["platform"]) {
			if _, err := markersOf(ecosystem.Environment{
				Runtimes: map[string]string{runtimeName: python}, Platform: platform}); err != nil ||
				python == deployed.Runtimes[runtimeName] && platform == cmp.Or(deployed.Platform, usualPlatform) {
				continue
			}
			r.lock.Wider = append(r.lock.Wider,
				ecosystem.Environment{Runtimes: map[string]string{runtimeName: python}, Platform: platform})
		}
	}
}

func textsOf(v any) (all []string) {
	list, _ := v.([]any)
	for _, one := range list {
		if text, ok := one.(string); ok {
			all = append(all, text)
		}
	}
	return all
}

// pkg reads a package.
func (r *lockReader) pkg(eco Python, v any) error {
	table, ok := v.(unknown)
	if !ok {
		return r.fail("packages: expected tables")
	}
	name, _ := table["name"].(string)
	if !requirement.IsName(name) {
		return r.fail("a package has a name, and %q is none", name)
	}
	name = requirement.Canonical(name)
	text, _ := table["version"].(string)
	list, isList := table["wheels"].([]any)
	_, sdist := table["sdist"]
	if !isList && table["wheels"] != nil {
		return r.fail("%s: wheels: expected a list of files", name)
	}
	direct, isDirect, err := r.directFile(name, table)
	if err != nil {
		return err
	}
	if text == "" || len(list) == 0 && !sdist && !isDirect { // from a source tree or an address: no index has it
		others, _ := r.kept["packages"].([]any)
		r.kept["packages"] = append(others, v)
		return nil
	}
	version, err := specifiers.Parse(text)
	if err != nil {
		return r.fail("%s: %v", name, err)
	}
	p := ecosystem.LockedPackage{Node: solve.Node{
		ID: name + "@" + version.Normal(), Name: name, Version: version.Normal()},
		PURL: eco.PackageURL(name, version.Normal())}
	if err := r.fork(&p, table); err != nil {
		return err
	}
	if text, ok := table["requires-python"].(string); ok {
		p.Runtimes = []universe.Requirement{{Name: runtimeName, Text: text}}
	}
	index, _ := table["index"].(string)
	if r.lock.Index == "" && strings.Contains(index, "://") {
		r.lock.Index = index
	}
	for _, one := range append(slices.Clip(list), table["sdist"]) {
		if one == nil {
			continue
		}
		f, err := r.fileOf(name, version, one)
		if err != nil {
			return err
		}
		p.Files = append(p.Files, f)
	}
	if isDirect && p.Files == nil {
		p.Files = []universe.File{direct}
	}
	if len(p.Files) > 0 {
		p.Integrity, p.Source, p.When = p.Files[0].Integrity, p.Files[0].Address, p.Files[0].When
	}
	kept := unknown{}
	for key, v := range table {
		if !slices.Contains([]string{"name", "version", "marker", "requires-python", "dependencies", "index", "wheels",
			"sdist", "archive", "vcs", "tool"}, key) {
			kept[key] = v
		}
	}
	if index != "" && index != r.lock.Index {
		kept["index"] = index
	}
	tool, _ := table["tool"].(unknown)
	ours, known := tool["molt"].(unknown)
	if others := without(tool, "molt"); len(others) > 0 {
		kept["tool"] = others
	}
	if len(kept) > 0 {
		p.Kept = kept
	}
	if text, ok := table["marker"].(string); ok && !known {
		kept["marker"] = text
		p.Kept = kept
	}
	if known {
		r.ours++
		return r.needs(p, ours)
	}
	dependencies, _ := table["dependencies"].([]any)
	for _, one := range dependencies {
		if d, ok := one.(unknown); ok {
			if to, ok := d["name"].(string); ok {
				to = requirement.Canonical(to)
				version, _ := d["version"].(string) // where the name alone does not tell
				p.Needs = append(p.Needs, solve.Edge{Name: to, Package: to, Constraint: version})
			}
		}
	}
	r.lock.Packages = append(r.lock.Packages, p)
	return nil
}

// needs reads what a package needs, by itself and with its extras.
func (r *lockReader) needs(p ecosystem.LockedPackage, ours unknown) error {
	edges := func(v any) (all []solve.Edge, err error) {
		for _, text := range textsOf(v) {
			e, err := readEdge(text, "")
			if err != nil {
				return nil, r.fail("%s: %v", p.Name, err)
			}
			all = append(all, e)
		}
		return all, nil
	}
	var err error
	if p.Needs, err = edges(ours["needs"]); err != nil {
		return err
	}
	r.lock.Packages = append(r.lock.Packages, p)
	extras, _ := ours["extras"].(unknown)
	for extra, v := range extras {
		with := universe.NameOf(p.Name).With(extra)
		node := ecosystem.LockedPackage{
			Node: solve.Node{ID: with + "@" + p.Version, Name: with, Version: p.Version}, Runtimes: p.Runtimes}
		if node.Needs, err = edges(v); err != nil {
			return err
		}
		node.Needs = append(node.Needs, solve.Edge{Name: p.Name, Package: p.Name, Constraint: "===" + p.Version})
		r.lock.Packages = append(r.lock.Packages, node)
	}
	return nil
}

func without(all unknown, key string) unknown {
	rest := unknown{}
	for k, v := range all {
		if k != key {
			rest[k] = v
		}
	}
	return rest
}

// fileOf reads a file of a release.
func (r *lockReader) fileOf(name string, version *specifiers.Version, v any) (universe.File, error) {
	table, ok := v.(unknown)
	if !ok {
		return universe.File{}, r.fail("%s: expected a table for each file", name)
	}
	address, _ := table["url"].(string)
	if address == "" {
		if address, _ = table["path"].(string); address == "" {
			return universe.File{}, r.fail("%s %s: a file has a url or a path, and this one has neither", name, version.Normal())
		}
		if !isPath(address) {
			address = "./" + address
		}
	}
	file, _ := table["name"].(string)
	if file == "" {
		file = fileName(address)
	}
	kind, of := fileVersion(name, file)
	if of == nil || of.Compare(version) != 0 {
		return universe.File{}, r.fail("%s %s: the file %q is none of this release, by its name", name, version.Normal(),
			file)
	}
	f := universe.File{Address: address, Kind: kind}
	if file != fileName(address) {
		f.Name = file
	}
	return f, r.about(&f, name, file, table)
}

// directFile reads the tables "archive" and "vcs" of a package that no index has, where Molt can have what they name.
func (r *lockReader) directFile(name string, table unknown) (f universe.File, found bool, err error) {
	if vcs, ok := table["vcs"].(unknown); ok {
		address, _ := vcs["url"].(string)
		commit, _ := vcs["commit-id"].(string)
		tool, _ := table["tool"].(unknown)
		ours, _ := tool["molt"].(unknown)
		integrity, _ := ours["integrity"].(string)
		return universe.File{Address: "git+" + address + "#" + commit, Kind: sourceKind, Integrity: integrity, Direct: true},
			vcs["type"] == "git" && address != "" && commit != "" && integrity != "", nil
	}
	archive, ok := table["archive"].(unknown)
	if !ok {
		return f, false, nil
	}
	address, _ := archive["url"].(string)
	if file, _ := archive["path"].(string); address == "" && file != "" && !isPath(file) {
		address = "file:" + file
	}
	if address == "" {
		return f, false, nil
	}
	f = universe.File{Address: address, Kind: sourceKind, Direct: true}
	if strings.HasSuffix(address, ".whl") {
		f.Kind = wheelKind
	}
	return f, true, r.about(&f, name, fileName(address), archive)
}

// about reads what a table says of a file.
func (r *lockReader) about(f *universe.File, name, file string, table unknown) error {
	address := f.Address
	if index := r.lock.Index; index != "" && !isPath(address) {
		f.Address = strings.TrimPrefix(address, strings.TrimSuffix(index, "/")+"/")
	}
	if size, ok := table["size"].(int64); ok {
		f.Size = max(size, 0)
	}
	hashes := map[string]string{}
	stated, _ := table["hashes"].(unknown)
	for algorithm, v := range stated {
		text, _ := v.(string)
		if _, err := hex.DecodeString(text); err != nil {
			return r.fail("%s: the %s of %s is not in hexadecimal digits", name, algorithm, file)
		}
		hashes[strings.ToLower(algorithm)] = text
	}
	f.Integrity = integrityOf(hashes)
	if w, ok := parseWheel(file); ok {
		f.When = w.tags()
	}
	return nil
}

// finish links what was read.
func (r *lockReader) finish(whole unknown) (*ecosystem.Lock, error) {
	tool, _ := whole["tool"].(unknown)
	ours, known := tool["molt"].(unknown)
	if others := without(tool, "molt"); len(others) > 0 {
		r.kept["tool"] = others
	}
	if len(r.kept) > 0 {
		r.lock.Kept = r.kept
	}
	application, _ := ours["application"].(unknown)
	for group, v := range application {
		for _, text := range textsOf(v) {
			e, err := readEdge(text, group)
			if err != nil {
				return nil, r.fail("%v", err)
			}
			if slices.ContainsFunc(r.lock.Roots, func(x solve.Edge) bool { return x.Group == group && x.Name == e.Name }) {
				e.Name += " ; " + e.When
			}
			r.lock.Roots = append(r.lock.Roots, e)
		}
	}
	slices.SortFunc(r.lock.Packages, func(a, b ecosystem.LockedPackage) int { return strings.Compare(a.ID, b.ID) })
	r.lock.Edgeless = !known || len(r.lock.Roots) == 0 && len(r.lock.Packages) > 0
	if r.lock.Edgeless {
		r.lock.Environments, r.lock.Wider = nil, nil // those of a lock that says what it is for stand in what is kept
		if len(r.lock.Forks) > 0 {
			return nil, r.fail("releases are told apart by environment, and what the application asks for is not there")
		}
	}
	for _, key := range derived {
		if v, ok := whole[key]; ok && r.lock.Edgeless {
			r.kept[key] = v
			r.lock.Kept = r.kept
		}
	}
	l := newLinker(r.lock)
	for i := range r.lock.Packages {
		p := &r.lock.Packages[i]
		p.Needs = l.link(p.Name, p.Needs)
		if !r.lock.Edgeless { // the demands tell
			p.Only = ""
			if kept, ok := p.Kept.(unknown); ok {
				if delete(kept, "marker"); len(kept) == 0 {
					p.Kept = nil
				}
			}
		}
	}
	if r.lock.Edgeless {
		return r.lock, nil
	}
	for i := range r.lock.Roots {
		e := &r.lock.Roots[i]
		base := universe.NameOf(e.Package).Base()
		e.Foreign = e.Foreign && !slices.ContainsFunc(
			r.lock.Packages, func(p ecosystem.LockedPackage) bool { return p.Name == base && isDirect(&p) })
	}
	r.lock.Roots = l.link("", r.lock.Roots)
	if l.missing != "" {
		return nil, r.fail("%s, which is not in the lock", l.missing)
	}
	slices.SortFunc(r.lock.Roots, func(a, b solve.Edge) int {
		if c := strings.Compare(a.Group, b.Group); c != 0 {
			return c
		}
		return strings.Compare(a.Name, b.Name)
	})
	return Python{}.Narrow(r.lock), nil
}

// namedTexts returns the texts of a table by name; nil for none.
func namedTexts(table any) map[string]string {
	var all map[string]string
	entries, _ := table.(unknown)
	for key, v := range entries {
		if text, ok := v.(string); ok {
			if all == nil {
				all = map[string]string{}
			}
			all[key] = text
		}
	}
	return all
}

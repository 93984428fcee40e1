package python

import (
	"bytes"
	"fmt"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strings"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/input"
)

// A requirementsFile is a file of requirements, a line each, as many programs read it: comments,
// lines that go on behind a backslash, options, and references to further files. The file is one
// group, under its own name. Lines that are no requirement of a registry's package are left alone;
// one with a name is listed as coming from elsewhere.
type requirementsFile struct {
	declarations
	refers []reference
}

// A reference is a line that names another file.
type reference struct {
	file  string // relative to the application, with slashes
	limit bool   // what that file says holds for packages without asking for them
	line  int
}

// readRequirements reads a file of requirements. The error is a *input.PositionError.
func readRequirements(file string, data []byte) (*requirementsFile, error) {
	m := &requirementsFile{declarations: declarations{file: file, data: data}}
	return m, m.logicalLines(m.line)
}

// logicalLines goes through the lines, those that go on behind a backslash as one. Each comes with
// its comment and line breaks blanked out, so that offsets stay.
func (m *requirementsFile) logicalLines(do func(from int, masked []byte) error) error {
	for from := len(m.data) - len(bytes.TrimPrefix(m.data, byteOrderMark)); from < len(m.data); {
		to, masked := from, []byte(nil)
		for {
			end := len(m.data)
			if nl := bytes.IndexByte(m.data[to:], '\n'); nl >= 0 {
				end = to + nl + 1
			}
			line := bytes.Clone(m.data[to:end])
			comment := commentAt(line)
			body := bytes.TrimRight(line[:comment], "\r\n")
			goes := comment == len(line) && bytes.HasSuffix(body, []byte(`\`)) && end > to+len(body)
			keep := len(body)
			if goes {
				keep--
			}
			for i := keep; i < len(line); i++ {
				line[i] = ' '
			}
			masked, to = append(masked, line...), end
			if !goes || to == len(m.data) {
				break
			}
		}
		if len(bytes.Trim(masked, blanks)) > 0 {
			if err := do(from, masked); err != nil {
				return err
			}
		}
		from = to
	}
	return nil
}

// commentAt returns where the comment of a line begins, or its length.
func commentAt(line []byte) int {
	for i, c := range line {
		if c == '#' && (i == 0 || line[i-1] == ' ' || line[i-1] == '\t') {
			return i
		}
	}
	return len(line)
}

var byteOrderMark = []byte("\xef\xbb\xbf")

// fileOptions are those that name another file, by all their spellings.
var fileOptions = map[string]bool{"-r": false, "--requirement": false, "-c": true, "--constraint": true}

// unreadOptions are options that say where packages come from or which releases count, with where Molt is told that.
var unreadOptions = map[string]string{
	"-i": namesRegistries, "--index-url": namesRegistries, "--extra-index-url": namesRegistries,
	"--no-index": namesRegistries,
	"-f":         namesRegistries, "--find-links": namesRegistries,
	"--pre": "previews: in molt.yaml names packages whose prereleases count",
}

const namesRegistries = "registry: in molt.yaml says where packages come from"

// optionOnLine is how an option begins that follows a requirement.
var optionOnLine = regexp.MustCompile(`\s--?[a-zA-Z]`)

// eggName is the name that an address of a source tree gives it.
var eggName = regexp.MustCompile(`[#&]egg=([A-Za-z0-9._-]+)`)

// blanks are the characters that mean nothing around a requirement.
const blanks = " \t\r\n\f\v"

func (m *requirementsFile) line(from int, masked []byte) error {
	lead := len(masked) - len(bytes.TrimLeft(masked, blanks))
	text := strings.Trim(string(masked), blanks)
	from += lead
	if strings.HasPrefix(text, "-") {
		return m.option(from, text)
	}
	whole := text
	if at := optionOnLine.FindStringIndex(text); at != nil {
		text = strings.TrimRight(text[:at[0]], blanks)
	}
	options := whole[len(text):]
	if isElsewhere(text) {
		return m.elsewhere(from, text)
	}
	if err := m.add(m.file, text, from, from+len(text), 0, false); err != nil {
		return err
	}
	m.entries[len(m.entries)-1].options = options
	return nil
}

// isElsewhere reports whether a line is an address or a path instead of a requirement.
func isElsewhere(text string) bool {
	head, _, _ := strings.Cut(text, ";")
	if strings.Contains(head, "@") && !strings.Contains(strings.SplitN(head, "@", 2)[0], "/") {
		if r, err := requirement.Parse(text); err == nil && r.Address != "" {
			return false
		}
	}
	return strings.Contains(head, "://") || strings.HasPrefix(head, ".") || strings.HasPrefix(head, "/") ||
		strings.Contains(head, "/") || strings.HasSuffix(strings.TrimSpace(head), ".whl") || strings.Contains(head, "${")
}

// nameElsewhere returns the name of the package that an address or a path gives; "" where it gives none.
func nameElsewhere(text string) string {
	if match := eggName.FindStringSubmatch(text); match != nil {
		return match[1]
	}
	bare, _, _ := strings.Cut(text, "#")
	file := fileName(bare)
	if w, ok := parseWheel(file); ok {
		return w.name
	}
	for _, ending := range archiveEndings {
		if stem, ok := strings.CutSuffix(file, ending); ok {
			if at := strings.LastIndexByte(stem, '-'); at > 0 && requirement.IsName(stem[:at]) {
				return stem[:at]
			}
		}
	}
	return ""
}

// localFolder returns the folder of the application that a line names, "" where it names none.
// Extras behind it choose groups of what stands there.
func localFolder(text string) string {
	text, _, _ = strings.Cut(strings.TrimPrefix(text, "file:"), "[")
	folder := path.Clean(text)
	if strings.Contains(text, ":") || isArchive(folder) || !fs.ValidPath(folder) {
		return ""
	}
	return folder
}

// elsewhere lists a line that no registry serves, when it has a name.
func (m *requirementsFile) elsewhere(at int, text string) error {
	head, marker, marked := strings.Cut(text, " ;")
	text, when := strings.TrimRight(head, blanks), ""
	if marked {
		condition, err := requirement.ParseMarker(strings.TrimSpace(marker))
		if err != nil {
			return m.errorAt(at, fmt.Sprintf("%q: %v", marker, err))
		}
		when = condition.String()
	}
	line, _ := m.position(at)
	written := nameElsewhere(text)
	if folder := localFolder(text); written == "" && folder == "." {
		return nil // the application itself, whose pyproject.toml is read, and which is a package of its environment
	} else if written == "" && folder != "" {
		written, text = path.Base(folder), "./"+folder
	}
	if written == "" {
		m.notes = append(m.notes, fmt.Sprintf(
			"%s:%d: %s is not read: nothing tells of which package it is; write NAME @ ADDRESS", m.file, line, text))
		return nil
	}
	name := requirement.Canonical(written)
	for _, e := range m.entries {
		if e.Package == name {
			return m.errorAt(at, fmt.Sprintf("%s is declared in line %d already", name, e.Line))
		}
	}
	d := declaration{Requirement: &requirement.Requirement{Name: written}, text: text, from: at, to: at + len(text)}
	d.Demand = universe.Demand{As: name, Package: name, Text: text, Foreign: true, When: when}
	d.Group, d.Written = m.file, text
	d.Line, d.Column = m.position(at)
	m.entries = append(m.entries, d)
	return nil
}

// option reads a line that begins with an option.
func (m *requirementsFile) option(at int, text string) error {
	name, rest, _ := strings.Cut(text, " ")
	if long, value, ok := strings.Cut(name, "="); ok {
		name, rest = long, value+" "+rest
	}
	if len(name) > 2 && name[1] != '-' { // the value of a short option may stand right behind it
		name, rest = name[:2], name[2:]+" "+rest
	}
	rest = strings.Trim(strings.TrimSpace(rest), `"'`)
	if name == "-e" || name == "--editable" {
		return m.elsewhere(at, rest)
	}
	limit, ok := fileOptions[name]
	if !ok {
		if says := unreadOptions[name]; says != "" {
			line, _ := m.position(at)
			m.notes = append(m.notes, fmt.Sprintf("%s:%d: %s is not carried out: %s", m.file, line, name, says))
		}
		return nil // the others are for whoever installs
	}
	if rest == "" {
		return m.errorAt(at, name+": expected the name of a file")
	}
	line, _ := m.position(at)
	if strings.Contains(rest, "://") {
		m.notes = append(m.notes, fmt.Sprintf("%s:%d: %s is not read: it is not a file of the application", m.file,
			line, rest))
		return nil
	}
	file := path.Join(path.Dir(m.file), rest)
	if strings.HasPrefix(file, "../") || path.IsAbs(rest) {
		return m.errorAt(at, fmt.Sprintf("%s is outside of the application's folder", rest))
	}
	m.refers = append(m.refers, reference{file, limit, line})
	return nil
}

// Groups lists the one group.
func (m *requirementsFile) Groups() []string { return []string{m.file} }

func (m *requirementsFile) replace(data []byte) error {
	next, err := readRequirements(m.file, data)
	if err != nil {
		return err
	}
	*m = *next
	return nil
}

// Set replaces the constraint of an entry. Hashes on the line are those of the release before: SetHashes replaces them.
func (m *requirementsFile) Set(at ecosystem.ConstraintPlace, constraint string) error {
	e, err := m.find(at.Group, at.Name)
	if err != nil {
		return err
	}
	if e.Foreign {
		return fmt.Errorf("%s: %s comes from %s", m.file, at.Name, e.Text)
	}
	return m.replace(m.with(e, constraint, func(text string) string { return text }))
}

// Remove deletes the line of an entry, and lines that continue it.
func (m *requirementsFile) Remove(group, name string) error {
	e, err := m.find(group, name)
	if err != nil {
		return err
	}
	from := bytes.LastIndexByte(m.data[:e.from], '\n') + 1
	to := e.from
	for more := true; more; { // to the end of the logical line
		line := m.data[to:]
		nl := bytes.IndexByte(line, '\n')
		if nl < 0 {
			to = len(m.data)
			break
		}
		more = bytes.HasSuffix(bytes.TrimRight(line[:nl], "\r"), []byte(`\`)) && commentAt(line[:nl]) == nl
		to += nl + 1
	}
	return m.replace(slices.Concat(m.data[:from], m.data[to:]))
}

// Add puts a line before the first requirement that follows it in the alphabet where the file is in
// order, else at its end.
func (m *requirementsFile) Add(group, name, constraint string) error {
	if group != m.file {
		return fmt.Errorf("%s: it is the group %q and has no other", m.file, m.file)
	}
	if _, err := m.find(group, name); err == nil {
		return fmt.Errorf("%s: %s is declared already", m.file, name)
	}
	line := name + constraint + m.newline()
	var names []string
	at := -1
	for _, e := range m.entries {
		names = append(names, e.Package)
		if at < 0 && e.Package > name {
			at = bytes.LastIndexByte(m.data[:e.from], '\n') + 1
		}
	}
	if at < 0 || !slices.IsSorted(names) {
		data := m.data
		if len(data) > 0 && data[len(data)-1] != '\n' {
			data = append(slices.Clip(data), m.newline()...)
		}
		return m.replace(slices.Concat(data, []byte(line)))
	}
	return m.replace(slices.Concat(m.data[:at], []byte(line), m.data[at:]))
}

var hashOption = regexp.MustCompile(`--hash[= ]\S+`)

// Hashed returns the digests that entries state.
func (m *requirementsFile) Hashed() map[string][]string {
	all := map[string][]string{}
	for _, e := range m.entries {
		for _, option := range hashOption.FindAllString(e.options, -1) {
			all[e.As] = append(all[e.As], option[len("--hash="):])
		}
	}
	return all
}

// SetHashes replaces the digests that follow a requirement, each of the form algorithm:hex. The
// first stands where the first stood, and every other is divided from the one before as the second
// was from the first.
func (m *requirementsFile) SetHashes(name string, hashes []string) error {
	e, err := m.find(m.file, name)
	if err != nil {
		return err
	}
	end := e.to + len(e.options)
	found := hashOption.FindAllIndex(m.data[e.to:min(end, len(m.data))], -1)
	if found == nil || len(hashes) == 0 {
		return fmt.Errorf("%s: %s has no hashes to replace", m.file, name)
	}
	between := ` \` + m.newline() + "    "
	if len(found) > 1 {
		between = string(m.data[e.to+found[0][1] : e.to+found[1][0]])
	}
	var texts []string
	for _, h := range hashes {
		texts = append(texts, "--hash="+h)
	}
	from, to := e.to+found[0][0], e.to+found[len(found)-1][1]
	return m.replace(slices.Concat(m.data[:from], []byte(strings.Join(texts, between)), m.data[to:]))
}

var _ ecosystem.Manifest = (*requirementsFile)(nil)

// ReadManifest reads a pyproject.toml or a file of requirements, by the ending of its name.
func (Python) ReadManifest(file string, data []byte) (ecosystem.Manifest, error) {
	if strings.HasSuffix(file, ".toml") {
		m, err := readPyproject(file, data)
		if err != nil {
			return nil, err
		}
		return m, nil
	}
	m, err := readRequirements(file, data)
	if err != nil {
		return nil, err
	}
	return m, nil
}

// Limits reads a file that says which releases will do of packages that something else asks for.
func (Python) Limits(file string, data []byte) ([]universe.Demand, error) {
	m, err := readRequirements(file, data)
	if err != nil {
		return nil, err
	}
	var all []universe.Demand
	for _, e := range m.entries {
		switch {
		case e.Foreign:
			return nil, &input.PositionError{
				File: file, Line: e.Line, Column: 1,
				Reason: fmt.Sprintf("%s: only constraints on releases of registries are known here", e.Package)}
		case e.Demand.Extras != "":
			return nil, &input.PositionError{
				File: file, Line: e.Line, Column: 1, Reason: fmt.Sprintf("%s: a file of constraints asks for no extras", e.Package)}
		}
		all = append(all, e.Demand)
	}
	return all, nil
}

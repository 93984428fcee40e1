package python

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/csv"
	"encoding/hex"
	"errors"
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
)

// environmentFolder is where the environment of an application stands, below it.
const environmentFolder = ".venv"

// InstallFolder returns the folder of the environment.
func (Python) InstallFolder() string { return environmentFolder }

// Executables is the folder of scripts.
func (Python) Executables() string { return "bin" }

// Arrange lays out a wheel by the specifications "Binary distribution format" and "Recording installed projects".
func (Python) Arrange(h *ecosystem.Host, p *ecosystem.LockedPackage, env string, files map[string]string,
	read func(string) ([]byte, error)) (*ecosystem.Arrangement, error) {
	a := &arranging{host: h.Detail.(*hostDetail), p: p, env: env, files: files, read: read,
		out: &ecosystem.Arrangement{Links: map[string]string{}, Made: map[string][]byte{}}}
	if err := a.begin(); err != nil {
		return nil, fmt.Errorf("%s: %w", p.ID, err)
	}
	for file := range files {
		if err := a.file(file); err != nil {
			return nil, fmt.Errorf("%s: %w", p.ID, err)
		}
	}
	if err := a.scripts(); err != nil {
		return nil, fmt.Errorf("%s: %w", p.ID, err)
	}
	a.finish()
	return a.out, nil
}

type arranging struct {
	host     *hostDetail
	p        *ecosystem.LockedPackage
	env      string
	files    map[string]string
	read     func(string) ([]byte, error)
	out      *ecosystem.Arrangement
	info     string // the folder of metadata in the wheel
	data     string // the folder of files that go elsewhere
	recorded map[string][]string
}

// begin finds the metadata and checks what the wheel says of itself.
func (a *arranging) begin() error {
	var others []string
	for file := range a.files {
		top, _, _ := strings.Cut(file, "/")
		stem, ok := strings.CutSuffix(top, ".dist-info")
		if !ok {
			continue
		}
		if distribution, _, _ := strings.Cut(stem, "-"); requirement.Canonical(distribution) == a.p.Name &&
			file == top+"/METADATA" && a.info == "" {
			a.info, a.data = stem+".dist-info/", stem+".data/"
		}
		if !slices.Contains(others, top) {
			others = append(others, top)
		}
	}
	if len(others) > 1 { // binary distribution format: there is one
		slices.Sort(others)
		return fmt.Errorf("its wheel holds more than one distribution: %s", strings.Join(others, ", "))
	}
	if a.info == "" {
		return errors.New("its wheel has no METADATA")
	}
	var err error
	if a.out.Metadata, err = a.read(a.info + "METADATA"); err != nil {
		return err
	}
	if _, _, err := readMetadata(a.p.Name, a.p.Version, a.out.Metadata); err != nil {
		return err
	}
	about, err := a.read(a.info + "WHEEL")
	if err != nil {
		return errors.New("its wheel has no file WHEEL")
	}
	version := ""
	for line := range strings.Lines(string(about)) {
		if rest, ok := strings.CutPrefix(line, "Wheel-Version:"); ok {
			version = strings.TrimSpace(rest)
		}
	}
	if major, _, _ := strings.Cut(version, "."); major != "1" {
		return fmt.Errorf("its wheel is of version %q, and this Molt lays out version 1", version)
	}
	text, err := a.read(a.info + "RECORD")
	if err != nil {
		return errors.New("its wheel has no RECORD")
	}
	reader := csv.NewReader(bytes.NewReader(text))
	reader.FieldsPerRecord = -1
	rows, err := reader.ReadAll()
	if err != nil {
		return fmt.Errorf("its RECORD cannot be read: %w", err)
	}
	a.recorded = map[string][]string{}
	for _, row := range rows {
		if len(row) == 3 {
			a.recorded[row[0]] = row[1:]
		}
	}
	return nil
}

// file says where one file goes.
func (a *arranging) file(file string) error {
	if file == a.info+"RECORD" || file == a.info+"RECORD.jws" || file == a.info+"RECORD.p7s" {
		return nil
	}
	row, recorded := a.recorded[file]
	if !recorded {
		return fmt.Errorf("its RECORD does not list %s, which the wheel has", file)
	}
	if sum, ok := strings.CutPrefix(row[0], "sha256="); ok {
		want, err := base64.RawURLEncoding.DecodeString(strings.TrimRight(sum, "="))
		if err != nil || hex.EncodeToString(want) != a.files[file] {
			return fmt.Errorf("its RECORD states another digest of %s than the file has", file)
		}
	}
	rest, moved := strings.CutPrefix(file, a.data)
	if !moved {
		a.out.Links[a.host.Site+"/"+file] = file
		return nil
	}
	kind, rest, _ := strings.Cut(rest, "/")
	switch kind {
	case "purelib", "platlib":
		a.out.Links[a.host.Site+"/"+rest] = file
	case "data":
		if first, _, _ := strings.Cut(rest, "/"); first == "pyvenv.cfg" || first == ecosystemRecord {
			return fmt.Errorf("its wheel would replace %s of the environment", first)
		}
		a.out.Links[rest] = file
	case "headers":
		a.out.Links["include/site/python"+a.host.Markers["python_version"]+"/"+distribution(a.p.Name)+"/"+rest] = file
	case "scripts":
		return a.script(file, rest)
	default:
		return fmt.Errorf("its wheel has files for %q, which is no place of the standard", kind)
	}
	return nil
}

// ecosystemRecord is where whoever lays out an environment notes what it did.
const ecosystemRecord = ".molt.json"

// script lays out a script, whose first line names the interpreter where the wheel has a placeholder for it.
func (a *arranging) script(file, name string) error {
	text, err := a.read(file)
	if err != nil {
		return err
	}
	at := a.scriptPath(name)
	a.out.Run = append(a.out.Run, at)
	if first, rest, ok := strings.Cut(string(text), "\n"); ok && (strings.HasPrefix(first, "#!python")) {
		a.out.Made[at] = []byte(a.interpreterLine() + rest)
		return nil
	}
	a.out.Links[at] = file
	return nil
}

func (a *arranging) scriptPath(name string) string { return Python{}.Executables() + "/" + name }

// interpreterLine is the first line of a script. A path that is too long for the system or has a
// space goes by way of the shell.
func (a *arranging) interpreterLine() string {
	at := filepath.Join(a.env, filepath.FromSlash(Python{}.Executables()), "python")
	if len(at) < 120 && !strings.ContainsAny(at, " \t") {
		return "#!" + at + "\n"
	}
	return "#!/bin/sh\n'''exec' '" + strings.ReplaceAll(at, "'", `'"'"'`) + "' \"$0\" \"$@\"\n' '''\n"
}

// entryPoint is "module:object", with extras that say nothing.
var entryPoint = regexp.MustCompile(`^([A-Za-z_][\w.]*)\s*:\s*([A-Za-z_][\w.]*)\s*(\[.*\])?$`)

// scriptName is what a script may be called.
var scriptName = regexp.MustCompile(`^[A-Za-z0-9_.-]+$`)

// An entry is a program that an entry point makes, and the object that it calls.
type entry struct{ name, target string }

// entriesIn reads the entry points that are programs (the specification "Entry points").
func entriesIn(text string) (all []entry) {
	section := ""
	for line := range strings.Lines(text) {
		line = strings.TrimSpace(line)
		if strings.HasPrefix(line, "[") && strings.HasSuffix(line, "]") {
			section = strings.TrimSpace(line[1 : len(line)-1])
			continue
		}
		name, target, ok := strings.Cut(line, "=")
		if section != "console_scripts" && section != "gui_scripts" || !ok || strings.HasPrefix(line, "#") {
			continue
		}
		all = append(all, entry{strings.TrimSpace(name), strings.TrimSpace(target)})
	}
	return all
}

// scripts makes those of the entry points.
func (a *arranging) scripts() error {
	if a.files[a.info+entryPoints] == "" {
		return nil
	}
	text, err := a.read(a.info + entryPoints)
	if err != nil {
		return err
	}
	for _, e := range entriesIn(string(text)) {
		m := entryPoint.FindStringSubmatch(e.target)
		if m == nil || !scriptName.MatchString(e.name) {
			return fmt.Errorf("its entry point %q cannot be read", e.name+" = "+e.target)
		}
		first, _, _ := strings.Cut(m[2], ".")
		at := a.scriptPath(e.name)
		a.out.Made[at] = []byte(a.interpreterLine() + "import sys\n\nfrom " + m[1] + " import " + first +
			"\n\nif __name__ == \"__main__\":\n    sys.exit(" + m[2] + "())\n")
		a.out.Run = append(a.out.Run, at)
	}
	return nil
}

// finish notes who laid the release out, and every file with its digest.
func (a *arranging) finish() {
	info := a.host.Site + "/" + a.info
	a.out.Made[info+"INSTALLER"] = []byte("molt\n")
	slices.Sort(a.out.Run)
	var rows []string
	row := func(at, digest, size string) {
		rel, err := filepath.Rel(filepath.FromSlash(a.host.Site), filepath.FromSlash(at))
		if err != nil {
			rel = at
		}
		var b strings.Builder
		w := csv.NewWriter(&b)
		_ = w.Write([]string{filepath.ToSlash(rel), digest, size}) // writing to memory does not fail
		w.Flush()
		rows = append(rows, b.String())
	}
	for at, file := range a.out.Links {
		row(at, a.recorded[file][0], a.recorded[file][1])
	}
	for at, data := range a.out.Made {
		sum := sha256.Sum256(data)
		row(at, "sha256="+base64.RawURLEncoding.EncodeToString(sum[:]), fmt.Sprint(len(data)))
	}
	slices.Sort(rows)
	record := info + "RECORD"
	row(record, "", "")
	a.out.Made[record] = []byte(strings.Join(rows, ""))
}

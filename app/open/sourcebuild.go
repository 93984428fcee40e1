package open

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"molt/app/config"
	"molt/app/run"
	"molt/app/tree"
	"molt/archive"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
	"molt/txn"
)

// builtIndex is the file that next to it says what was built.
const builtIndex = "index.json"

// A builtNote is what that file holds.
type builtNote struct {
	File   string `json:"file"`
	Size   int64  `json:"size"`
	Digest string `json:"sha256"`
}

// A SourceBuildError says why the source of a release could not be built.
type SourceBuildError struct{ Release, Says string }

func (e *SourceBuildError) Error() string {
	return fmt.Sprintf("building %s from its source: %s", e.Release, e.Says)
}

// builds reports of which packages the configuration allows that their code runs to build them.
func builds(a *View) (func(name string) bool, ecosystem.SourceBuilder) {
	b, can := a.Eco.(ecosystem.SourceBuilder)
	if !can || len(a.Config.Build) == 0 {
		return nil, nil
	}
	return func(name string) bool {
		return slices.ContainsFunc(a.Config.Build, func(allowed string) bool { return a.Canonical(allowed) == name })
	}, b
}

// buildSource returns what is built of the source of a release on this machine, built once for its
// digest and the runtime: in an environment of its own with what it asks for, which is resolved
// like an application, and of which nothing is built. Its code runs, so people have to have allowed
// it by name.
func buildSource(ctx context.Context, from *Archives, name, version string,
	source universe.File) (*ecosystem.Built, error) {
	a := from.View
	_, b := builds(a)
	lock := &ecosystem.Lock{Environments: a.Environments()}
	for _, q := range a.Manifest.Runtimes() {
		lock.Requires = append(lock.Requires, q.Requirement)
	}
	host, err := b.Probe(ctx, lock)
	if err != nil {
		return nil, &SourceBuildError{name + "@" + version, err.Error()}
	}
	key, err := archive.Key(name+"@"+version, source.Integrity)
	if err != nil {
		return nil, err
	}
	cache, err := CacheOf(a.Settings.Env)
	if err != nil {
		return nil, err
	}
	dir := filepath.Join(cache.dir, builtDir, fmt.Sprintf("%s-%s-%s-%s", key, host.Version, runtime.GOOS, runtime.GOARCH))
	if built, err := readBuilt(b, dir, name, version); err == nil {
		return built, nil
	}
	if !a.Settings.Builds {
		return nil, &ecosystem.UnbuiltError{Release: name + "@" + version}
	}
	if a.Settings.Offline {
		return nil, &SourceBuildError{name + "@" + version, "it was not built yet, and Molt was told to stay offline"}
	}
	if err := Consent(ctx, a, false); err != nil {
		return nil, &ecosystem.RefusedError{Err: err}
	}
	if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
		return nil, err
	}
	work, err := os.MkdirTemp(filepath.Dir(dir), "part-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(work)
	s := &sourceBuild{View: a, archives: from, builder: b, host: host, work: work, name: name, version: version}
	if err := s.make(ctx, source); err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		var unreachable *registry.UnreachableError
		if errors.As(err, &unreachable) {
			return nil, err
		}
		return nil, &SourceBuildError{name + "@" + version, err.Error()}
	}
	_ = os.RemoveAll(dir) // what is there could not be read
	if err := os.Rename(filepath.Join(work, "out"), dir); err != nil {
		if built, again := readBuilt(b, dir, name, version); again == nil { // another process was faster
			return built, nil
		}
		return nil, err
	}
	return readBuilt(b, dir, name, version)
}

// readBuilt returns what lies in a folder, when it is as it was made.
func readBuilt(b ecosystem.SourceBuilder, dir, name, version string) (*ecosystem.Built, error) {
	data, err := input.ReadFile(filepath.Join(dir, builtIndex), input.Manifest)
	if err != nil {
		return nil, err
	}
	var note builtNote
	if err := json.Unmarshal(data, &note); err != nil || filepath.Base(note.File) != note.File {
		return nil, errors.Join(err, fs.ErrInvalid)
	}
	sum, err := hex.DecodeString(note.Digest)
	if err != nil {
		return nil, err
	}
	info, err := os.Stat(filepath.Join(dir, note.File))
	if err != nil || info.Size() != note.Size {
		return nil, errors.Join(err, fs.ErrInvalid)
	}
	file, err := b.BuiltFile(name, version, note.File)
	if err != nil {
		return nil, err
	}
	file.Integrity, file.Size, file.Address = archive.SRI("sha256", sum), note.Size, note.File
	return &ecosystem.Built{Path: filepath.Join(dir, note.File), File: file}, nil
}

// A sourceBuild is one build.
type sourceBuild struct {
	*View
	archives      *Archives
	builder       ecosystem.SourceBuilder
	host          *ecosystem.Host
	work          string // the folder in which it is done: src, env and out
	name, version string
}

// make fetches, prepares and builds.
func (s *sourceBuild) make(ctx context.Context, source universe.File) error {
	for _, part := range []string{"src", "env", "out"} {
		if err := os.Mkdir(filepath.Join(s.work, part), 0o755); err != nil {
			return err
		}
	}
	var got registry.Memory
	if err := s.archives.Download(
		ctx, &ecosystem.LockedPackage{
			Node: solve.Node{Name: s.name, Version: s.version}, Source: source.Address, Integrity: source.Integrity},
		&got); err != nil {
		return err
	}
	root, err := os.OpenRoot(filepath.Join(s.work, "src"))
	if err != nil {
		return err
	}
	defer root.Close()
	data := got.Bytes()
	if _, err := archive.Unpack(ctx, s.name+"@"+s.version, bytes.NewReader(data), int64(len(data)),
		root, archive.Form{}); err != nil {
		return err
	}
	src := os.DirFS(filepath.Join(s.work, "src"))
	needs, err := s.builder.BuildNeeds(src)
	if err != nil {
		return err
	}
	if err := s.environment(ctx, needs); err != nil {
		return err
	}
	output, err := s.run(ctx, src, "")
	if err != nil {
		return err
	}
	more, err := s.builder.BuildSaid(output)
	if err != nil {
		return err
	}
	if len(more) > 0 {
		if err := s.environment(ctx, append(needs, more...)); err != nil {
			return err
		}
	}
	if _, err := s.run(ctx, src, filepath.Join(s.work, "out")); err != nil {
		return err
	}
	return s.note()
}

// environment has the packages that a build asks for in the environment in which it runs.
func (s *sourceBuild) environment(ctx context.Context, needs []universe.Demand) error {
	registries, err := s.archives.registries()
	if err != nil {
		return err
	}
	source := protocol(s.View).Open(ctx, registries,
		ecosystem.Detail{Environments: []ecosystem.Environment{
			{Runtimes: map[string]string{s.host.Name: s.host.Version}, Platform: s.host.Platform}}})
	defer source.Close()
	app := project.Application{Scheme: s.Eco.Scheme(), Strategy: s.Eco.Strategy(), Known: runtimes(s.Eco),
		Runtimes: project.Runtimes{s.host.Name: project.Everywhere(s.host.Version)}}
	for i, d := range needs {
		app.Declared = append(app.Declared, project.Declared{Demand: d, Group: fmt.Sprint("build ", i)})
	}
	r, err := project.Relock(ctx, source, app)
	if err != nil {
		return fmt.Errorf("what it asks for to be built: %w", err)
	}
	lock, err := ecosystem.NewLock(ctx, s.Eco, source, r, nil)
	if err != nil {
		return err
	}
	files, err := txn.OpenWorkspace(filepath.Join(s.work, "env"), s.User)
	if err != nil {
		return err
	}
	defer files.Root.Close()
	t, err := s.archives.Environment(s.builder, files)
	if err != nil {
		return err
	}
	t.Build, t.Own = nil, nil // else there is no end to it
	_, err = t.Install(ctx, lock, tree.LayoutOrder{Force: true})
	return err
}

// run runs a command of the build in the folder of the source, and returns what it printed.
func (s *sourceBuild) run(ctx context.Context, src fs.FS, out string) ([]byte, error) {
	argv, err := s.builder.BuildCommand(src, filepath.Join(s.work, "env", s.builder.InstallFolder()), out)
	if err != nil {
		return nil, err
	}
	files, err := txn.OpenWorkspace(s.work, s.User)
	if err != nil {
		return nil, err
	}
	defer files.Root.Close()
	for i := range argv {
		argv[i] = "'" + strings.ReplaceAll(argv[i], "'", `'"'"'`) + "'"
	}
	r := BareRunner(s.View, files)
	r.Executables, r.Environment = []string{"env/" + s.builder.InstallFolder() + "/" + s.builder.Executables()},
		"env/"+s.builder.InstallFolder()
	r.Permit = func(ctx context.Context, j run.Job) error { // the package decides what its backend does
		j.Run = ""
		return Permit(ctx, s.View, j)
	}
	v, err := r.One(ctx, run.Job{Check: config.Check{Name: s.name, Run: strings.Join(argv, " "), Folder: "src"},
		Kind: run.BuildJob, Dir: s.work, Stage: "build"}, nil)
	if err != nil {
		return nil, err
	}
	output, err := os.ReadFile(filepath.Join(s.work, filepath.FromSlash(v.Log)))
	if err != nil {
		return nil, err
	}
	if !v.Passed {
		says := v.Says
		if kept := s.keepLog(output); kept != "" {
			says += "; whole output: " + kept
		}
		return nil, errors.New(says)
	}
	return output, nil
}

// keepLog keeps the output of a build that failed, and returns where.
func (s *sourceBuild) keepLog(output []byte) string {
	file := filepath.Join(filepath.Dir(s.work), "logs", s.name+"-"+s.version+".log")
	if os.MkdirAll(filepath.Dir(file), 0o755) != nil || os.WriteFile(file, output, 0o644) != nil {
		return ""
	}
	return file
}

// note writes down what was built.
func (s *sourceBuild) note() error {
	out := filepath.Join(s.work, "out")
	entries, err := os.ReadDir(out)
	if err != nil {
		return err
	}
	if len(entries) != 1 || !entries[0].Type().IsRegular() {
		return fmt.Errorf("its build backend made %d files, and is to make one", len(entries))
	}
	name := entries[0].Name()
	if _, err := s.builder.BuiltFile(s.name, s.version, name); err != nil {
		return err
	}
	data, err := input.ReadFile(filepath.Join(out, name), input.Unpacked)
	if err != nil {
		return err
	}
	sum := sha256.Sum256(data)
	text, err := json.Marshal(builtNote{name, int64(len(data)), hex.EncodeToString(sum[:])})
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(out, builtIndex), text, 0o644)
}

// Environment returns what lays out packages of an ecosystem that has them together.
func (x *Archives) Environment(flat ecosystem.Flat, files *txn.Workspace) (*tree.Environment, error) {
	a := x.View
	kept, err := a.Store()
	if err != nil {
		return nil, err
	}
	t := &tree.Environment{Files: files, Store: kept, Eco: flat, Own: ownFolders(a)}
	t.Download = func(ctx context.Context, p *ecosystem.LockedPackage, file universe.File, into registry.Sink) error {
		one := *p
		one.Source, one.Integrity = file.Address, file.Integrity
		return x.Download(ctx, &one, into)
	}
	if allowed, b := builds(a); b != nil {
		t.Build = func(ctx context.Context, p *ecosystem.LockedPackage) (*ecosystem.Built, error) {
			source, ok := b.SourceFile(p.Files)
			if !ok || !allowed(p.Name) {
				return nil, nil
			}
			return buildSource(ctx, x, p.Name, p.Version, source)
		}
	}
	return t, nil
}

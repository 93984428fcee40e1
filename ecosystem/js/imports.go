package js

import (
	"bytes"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"

	"github.com/evanw/esbuild/pkg/api"

	"molt/ecosystem"
	"molt/input"
)

// sources are the endings of files that the parser reads, with how.
var sources = map[string]api.Loader{
	".js": api.LoaderJSX, ".mjs": api.LoaderJSX, ".cjs": api.LoaderJSX, ".jsx": api.LoaderJSX,
	".ts": api.LoaderTS, ".mts": api.LoaderTS, ".cts": api.LoaderTS, ".tsx": api.LoaderTSX}

// typesOnly matches an import or export of types, which the parser would leave out. The word "type" is blanked, unless
// it is itself what is imported.
var typesOnly = regexp.MustCompile(`\b(import|export)(\s+)type(\s+)([{*A-Za-z_$][\w$]*)(\s*)(.?)`)

// Imports lists what the source of an application imports from packages: files that the runtime could load, in
// JavaScript and TypeScript, but for installed packages and folders whose name begins with a dot. A file that cannot be
// parsed counts as one that imports nothing.
func (JS) Imports(dir fs.FS) ([]ecosystem.Import, error) {
	var files []string
	err := fs.WalkDir(dir, ".", func(name string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && name != "." && (d.Name() == modules || strings.HasPrefix(d.Name(), ".")):
			return fs.SkipDir
		}
		if _, ok := sources[path.Ext(name)]; ok && d.Type().IsRegular() {
			files = append(files, name)
		}
		return nil
	})
	if err != nil || len(files) == 0 {
		return nil, err
	}
	c := &collector{dir: dir, quoted: map[string]map[string][]int{}}
	api.Build(api.BuildOptions{EntryPoints: files, Bundle: true, Write: false, Outdir: "out", LogLevel: api.LogLevelSilent,
		LogLimit: 1, Platform: api.PlatformNode, TsconfigRaw: `{"compilerOptions":{"verbatimModuleSyntax":true}}`,
		Plugins: []api.Plugin{{Name: "imports", Setup: c.setup}}})
	slices.SortFunc(c.found, func(a, b ecosystem.Import) int {
		if a.File != b.File {
			return strings.Compare(a.File, b.File)
		}
		if a.Line != b.Line {
			return a.Line - b.Line
		}
		return strings.Compare(a.Specifier, b.Specifier)
	})
	return slices.Compact(c.found), nil
}

// sourceSpace is where the parser has the names of the application's files, which are no paths of the machine.
const sourceSpace = "source"

// A collector notes what the parser asks to resolve. The parser works on several files at the same time.
type collector struct {
	dir   fs.FS
	mu    sync.Mutex
	found []ecosystem.Import
	// Of files that were looked at, the lines on which something stands in quotes; by file and text.
	quoted map[string]map[string][]int
}

func (c *collector) setup(build api.PluginBuild) {
	build.OnResolve(api.OnResolveOptions{Filter: ".*"}, func(args api.OnResolveArgs) (api.OnResolveResult, error) {
		if args.Kind == api.ResolveEntryPoint {
			// Where the working folder happens to have a file of the name, the parser puts "./" before it.
			return api.OnResolveResult{Path: path.Clean(args.Path), Namespace: sourceSpace}, nil
		}
		if name := packageOf(args.Path); name != "" {
			c.note(args.Importer, args.Path, name)
		}
		return api.OnResolveResult{Path: args.Path, External: true}, nil
	})
	build.OnLoad(api.OnLoadOptions{Filter: ".*", Namespace: sourceSpace},
		func(args api.OnLoadArgs) (api.OnLoadResult, error) {
			data, err := input.ReadFS(c.dir, args.Path, input.Source)
			if err != nil {
				return api.OnLoadResult{}, err
			}
			loader := sources[path.Ext(args.Path)]
			if loader == api.LoaderTS || loader == api.LoaderTSX {
				data = typesOnly.ReplaceAllFunc(data, func(m []byte) []byte {
					part := typesOnly.FindSubmatch(m)
					if bytes.Equal(part[4], []byte("from")) &&
						(bytes.Equal(part[6], []byte(`"`)) || bytes.Equal(part[6], []byte(`'`))) {
						return m
					}
					return bytes.Replace(m, []byte("type"), []byte("    "), 1)
				})
			}
			text := string(data)
			return api.OnLoadResult{Contents: &text, Loader: loader}, nil
		})
}

// note adds the places of an import. The parser tells the file, and quoted its lines; where it
// stands nowhere in quotes, it is noted once, without a line.
func (c *collector) note(file, specifier, name string) {
	i := ecosystem.Import{Package: name, Specifier: specifier, File: file}
	c.mu.Lock()
	defer c.mu.Unlock()
	lines, read := c.quoted[file]
	if !read {
		if data, err := input.ReadFS(c.dir, file, input.Source); err == nil {
			lines = quoted(string(data))
		}
		c.quoted[file] = lines
	}
	for _, line := range lines[specifier] {
		i.Line = line
		c.found = append(c.found, i)
	}
	if len(lines[specifier]) == 0 {
		c.found = append(c.found, i)
	}
}

// packageOf returns the package that a specifier leads into, "" for a file or for a part of the runtime.
func packageOf(specifier string) string {
	if specifier == "" || specifier[0] == '.' || specifier[0] == '/' || specifier[0] == '#' ||
		strings.Contains(specifier, ":") {
		return ""
	}
	parts := strings.SplitN(specifier, "/", 3)
	if specifier[0] == '@' {
		if len(parts) < 2 {
			return ""
		}
		return parts[0] + "/" + parts[1]
	}
	return parts[0]
}

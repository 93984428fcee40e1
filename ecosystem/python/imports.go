package python

import (
	"io/fs"
	"path"
	"slices"
	"strings"

	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/input"
)

// Imports lists what the source of an application imports from packages: every file that ends in
// .py, but for those in environments, and in folders whose name begins with a dot. Modules of the
// application itself and of the language's library are left out. A module is taken for that of the
// installed package that has it, else for that of the package of its name.
func (Python) Imports(dir fs.FS) ([]ecosystem.Import, error) {
	var files []string
	err := fs.WalkDir(dir, ".", func(name string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && name != ".":
			if _, err := fs.Stat(dir, name+"/pyvenv.cfg"); err == nil || strings.HasPrefix(d.Name(), ".") ||
				d.Name() == "__pycache__" {
				return fs.SkipDir
			}
		case d.Type().IsRegular() && path.Ext(name) == ".py":
			files = append(files, name)
		}
		return nil
	})
	if err != nil || len(files) == 0 {
		return nil, err
	}
	own := ownModules(files)
	packages := installedModules(dir)
	var all []ecosystem.Import
	for _, file := range files {
		data, err := input.ReadFS(dir, file, input.Source)
		if err != nil {
			continue
		}
		for _, st := range statementsOf(string(data)) {
			for _, module := range importedModules(st.text) {
				top, _, _ := strings.Cut(module, ".")
				if own[top] || slices.Contains(standardModules, top) {
					continue
				}
				all = append(all, ecosystem.Import{
					Package: packageOfModule(packages, module), Specifier: module, File: file, Line: st.line})
			}
		}
	}
	return slices.CompactFunc(all, func(a, b ecosystem.Import) bool { return a == b }), nil
}

// importedModules reads an import statement, which may stand behind a colon; none where it is none, or relative.
func importedModules(text string) (modules []string) {
	for _, word := range []string{"import ", "from "} {
		if at := strings.Index(text, ": "+word); at >= 0 && !strings.HasPrefix(text, word) {
			// if, try, with and the like on one line
			text = text[at+2:]
		}
	}
	words := strings.Fields(text)
	if len(words) < 2 {
		return nil
	}
	valid := func(module string) bool {
		return module != "" && !strings.HasPrefix(module, ".") && !strings.ContainsFunc(module, func(r rune) bool {
			return r != '_' && r != '.' && (r < '0' || r > '9') && (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && r < 0x80
		})
	}
	switch words[0] {
	case "from":
		if slices.Contains(words, "import") && valid(words[1]) {
			return []string{words[1]}
		}
	case "import":
		for part := range strings.SplitSeq(strings.TrimPrefix(text, "import "), ",") {
			if name := strings.Fields(part); len(name) > 0 && valid(name[0]) {
				modules = append(modules, name[0])
			}
		}
	}
	return modules
}

// ownModules lists the top modules that the application itself has: at its top, in "src", and
// next to any file, as scripts find them.
func ownModules(files []string) map[string]bool {
	own := map[string]bool{}
	for _, file := range files {
		parts := strings.Split(strings.TrimSuffix(file, ".py"), "/")
		for i := range parts {
			own[parts[i]] = true
		}
	}
	return own
}

// installedModules maps the modules of installed packages to these, by their records and lists of top modules.
func installedModules(dir fs.FS) map[string]string {
	packages := map[string]string{}
	infos, _ := fs.Glob(dir, environmentFolder+"/lib/python*/site-packages/*.dist-info") // the pattern is a good one
	for _, info := range infos {
		data, err := input.ReadFS(dir, info+"/METADATA", metadataLimit)
		if err != nil {
			continue
		}
		name, _ := nameIn(data)
		record, err := input.ReadFS(dir, info+"/RECORD", recordLimit)
		if err != nil {
			continue
		}
		for line := range strings.Lines(string(record)) {
			file, _, _ := strings.Cut(line, ",")
			file = strings.Trim(file, `"`)
			module := strings.TrimSuffix(strings.TrimSuffix(file, ".py"), "/__init__")
			if path.Ext(file) != ".py" && !strings.HasSuffix(file, ".so") || strings.HasPrefix(file, "../") {
				continue
			}
			if at := strings.Index(path.Base(module), "."); at >= 0 { // a compiled module
				module = path.Join(path.Dir(module), path.Base(module)[:at])
			}
			if module = strings.ReplaceAll(module, "/", "."); packages[module] == "" {
				packages[module] = name
			}
			if top, _, _ := strings.Cut(module, "."); packages[top] == "" {
				packages[top] = name
			}
		}
	}
	return packages
}

// packageOfModule finds the package with the longest part of a module's name.
func packageOfModule(packages map[string]string, module string) string {
	for name := module; name != ""; {
		if p := packages[name]; p != "" {
			return p
		}
		at := strings.LastIndexByte(name, '.')
		name = name[:max(at, 0)]
	}
	top, _, _ := strings.Cut(module, ".")
	return requirement.Canonical(top)
}

// standardModules are the top modules of the language's library, of 3.8 to 3.14
// (sys.stdlib_module_names), without those that begin with an underscore.
var standardModules = strings.Fields(
	`__future__ abc aifc annotationlib antigravity argparse array ast asynchat asyncio asyncore atexit audioop base64 bdb binascii binhex bisect
	builtins bz2 cProfile calendar cgi cgitb chunk cmath cmd code codecs codeop collections colorsys compileall compression concurrent configparser contextlib contextvars copy copyreg
	crypt csv ctypes curses dataclasses datetime dbm decimal difflib dis distutils doctest dummy_threading email encodings ensurepip enum errno faulthandler fcntl filecmp fileinput
	fnmatch formatter fractions ftplib functools gc genericpath getopt getpass gettext glob graphlib grp gzip hashlib heapq hmac html http idlelib imaplib imghdr imp importlib
	inspect io ipaddress itertools json keyword lib2to3 linecache locale logging lzma mailbox mailcap marshal math mimetypes mmap modulefinder msilib msvcrt multiprocessing netrc
	nis nntplib nt ntpath nturl2path numbers opcode operator optparse os ossaudiodev parser pathlib pdb pickle pickletools pipes pkgutil platform plistlib poplib posix posixpath
	pprint profile pstats pty pwd py_compile pyclbr pydoc pydoc_data pyexpat queue quopri random re readline reprlib resource rlcompleter runpy sched secrets select selectors
	shelve shlex shutil signal site smtpd smtplib sndhdr socket socketserver spwd sqlite3 sre_compile sre_constants sre_parse ssl stat statistics string stringprep struct
	subprocess sunau symbol symtable sys sysconfig syslog tabnanny tarfile telnetlib tempfile termios test textwrap this threading time timeit tkinter token tokenize tomllib
	trace traceback tracemalloc tty turtle turtledemo types typing unicodedata unittest urllib uu uuid venv warnings wave weakref webbrowser winreg winsound wsgiref xdrlib xml
	xmlrpc zipapp zipfile zipimport zlib zoneinfo`)

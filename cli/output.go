package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"molt/app/config"
	"molt/app/planfile"
	"molt/ecosystem"
	"molt/ecosystem/registered"
	"molt/input"
)

// reportMark is what a report says of itself, in whichever format.
const reportMark = "made by molt report"

// marked writes a report to a file with the mark by which the next one may replace it.
func marked(w io.Writer, format string) error {
	if format == "json" { // which has its schema
		return nil
	}
	_, err := fmt.Fprintf(w, "\n<!-- %s -->\n", reportMark)
	return err
}

// isReport reports whether a file was written by report.
func isReport(file string) bool {
	data, err := input.ReadFile(file, input.Plan)
	return err == nil && (len(data) == 0 || bytes.Contains(data, []byte(reportMark)) ||
		bytes.Contains(data[:min(len(data), 400)], []byte(`"molt/report/1"`)))
}

// writable makes sure that a file that a flag names may be written: nothing is there, or what the
// same command wrote, or force says so. A manifest, a lock, a plan or a configuration is never
// replaced.
func (c *call) writable(flag, file string, force bool, own func(file string) bool) error {
	bad := func(reason string) error {
		return &input.UsageError{Reason: fmt.Sprintf("%s %s: %s", flag, file, reason)}
	}
	name := filepath.Base(file)
	if name == config.File || name == planfile.File ||
		slices.ContainsFunc(registered.Ecosystems, func(e ecosystem.Ecosystem) bool {
			namer, ok := e.(ecosystem.LockNamer)
			found, err := e.Detect(os.DirFS(filepath.Dir(file)))
			return name == e.Manifest() || name == ecosystem.LockFile(e) || ok && namer.IsLock(name) ||
				err == nil && slices.Contains(found, name)
		}) {
		return bad("that is the name of a manifest, a lock, a plan or a configuration, which it never writes to")
	}
	if info, err := os.Stat(filepath.Dir(file)); err != nil || !info.IsDir() {
		return bad(fmt.Sprintf("there is no folder %s", filepath.Dir(file)))
	}
	info, err := os.Stat(file)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return bad(input.Cause(err))
	case !info.Mode().IsRegular():
		return bad("that is no file")
	case force || own(file):
		return nil
	}
	return bad("that file is there, and is none that this command wrote; --force replaces it")
}

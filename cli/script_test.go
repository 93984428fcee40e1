package cli_test

import (
	"bufio"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"molt/ecosystem/js"

	"golang.org/x/tools/txtar"
)

// Each file of testdata/scripts is a behaviour of the built program: lines with commands, then the
// files that they run on, in the txtar format. The folder of the script is the application's; the
// file "universe" is what its registry serves. Words in double quotes are one; $DIR is the folder,
// $REGISTRY the address of the registry, $SERVED that of serve.
//
//	molt ARG…            run Molt, which must exit with 0
//	exits N molt ARG…    run Molt, which must exit with N
//	says TEXT            the last run printed this, spaces and line ends aside
//	silent TEXT          and not this
//	has FILE TEXT        a file holds this; lacks FILE TEXT: it does not
//	keeps FILE…          files are as they were at the beginning
//	same FILE FILE       two files hold the same
//	git ARG…             run git
//	run PROGRAM ARG…     run another program
//	env NAME=VALUE       for the runs that follow
//	serve FOLDER         serve a folder over HTTP
//	standin FILE ARG…    run molt standin with a file, at $STANDIN
//	expand FILE          fill in $DIR, $REGISTRY, $SERVED and $STANDIN
//	write FILE TEXT      make a file
//	remove FILE
//	needs PROGRAM        skip the rest where this machine does not have it
//	interrupt TEXT molt ARG…  run Molt, interrupt it when it prints the text, and expect exit code 130
func TestScripts(t *testing.T) {
	files, err := filepath.Glob("testdata/scripts/*.txt")
	if err != nil || len(files) == 0 {
		t.Fatalf("no scripts: %v", err)
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".txt"), func(t *testing.T) {
			archive, err := txtar.ParseFile(file)
			if err != nil {
				t.Fatal(err)
			}
			s := newScript(t, archive)
			for n, line := range strings.Split(string(archive.Comment), "\n") {
				words, err := wordsOf(line)
				if err == nil && len(words) > 0 {
					err = s.do(words)
				}
				if err != nil {
					t.Fatalf("%s:%d: %s\n%v", file, n+1, line, err)
				}
			}
		})
	}
}

// A script is one that is being run.
type script struct {
	*desk
	env   []string
	vars  map[string]string
	first map[string]string // the files as they were
	last  string            // what the last run printed
}

func newScript(t *testing.T, archive *txtar.Archive) *script {
	t.Helper()
	universe := "\n"
	for _, f := range archive.Files {
		if f.Name == "universe" {
			universe = string(f.Data)
		}
	}
	s := &script{desk: newDesk(t, universe, nil), first: map[string]string{}}
	s.vars = map[string]string{"DIR": filepath.ToSlash(s.dir), "REGISTRY": s.registry,
		"ALIAS": strings.TrimSuffix(strings.TrimPrefix(js.JS{}.PackageURL("x", "1"), "pkg:"), "/x@1")}
	for _, f := range archive.Files {
		if f.Name == "universe" {
			continue
		}
		if err := os.MkdirAll(filepath.Join(s.dir, filepath.Dir(f.Name)), 0o755); err != nil {
			t.Fatal(err)
		}
		s.write(f.Name, string(f.Data))
		s.first[f.Name] = string(f.Data)
	}
	return s
}

// wordsOf cuts a line into words, of which those in double quotes hold spaces. A comment begins with #.
func wordsOf(line string) (words []string, err error) {
	line = strings.TrimSpace(line)
	for line != "" && line[0] != '#' {
		var word string
		if line[0] == '"' {
			quoted, err := strconv.QuotedPrefix(line)
			if err != nil {
				return nil, fmt.Errorf("a quotation that does not end")
			}
			word, _ = strconv.Unquote(quoted)
			line = line[len(quoted):]
		} else {
			word, _, _ = strings.Cut(line, " ")
			line = line[len(word):]
		}
		words = append(words, word)
		line = strings.TrimSpace(line)
	}
	return words, nil
}

func (s *script) expand(text string) string {
	return os.Expand(text, func(name string) string {
		if value, known := s.vars[name]; known {
			return value
		}
		return "$" + name
	})
}

// do carries out one line.
func (s *script) do(words []string) error {
	verb, args := words[0], words[1:]
	for i := range args {
		args[i] = s.expand(args[i])
	}
	holds := func(text, part string) bool {
		return strings.Contains(strings.Join(strings.Fields(text), " "), strings.Join(strings.Fields(part), " "))
	}
	switch verb {
	case "needs":
		if _, err := exec.LookPath(args[0]); err != nil {
			s.Skipf("%s is not on this machine", args[0])
		}
	case "molt":
		return s.molt(0, args)
	case "exits":
		code, err := strconv.Atoi(args[0])
		if err != nil || args[1] != "molt" {
			return fmt.Errorf("expected exits N molt …")
		}
		return s.molt(code, args[2:])
	case "interrupt":
		return s.interrupted(args[0], args[2:])
	case "says", "silent":
		if holds(s.last, args[0]) != (verb == "says") {
			return fmt.Errorf("it printed\n%s", s.last)
		}
	case "has", "lacks":
		if text := s.read(args[0]); holds(text, args[1]) != (verb == "has") {
			return fmt.Errorf("%s holds\n%s", args[0], text)
		}
	case "keeps":
		for _, name := range args {
			if text := s.read(name); text != s.first[name] {
				return fmt.Errorf("%s holds\n%s", name, text)
			}
		}
	case "same":
		if a, b := s.read(args[0]), s.read(args[1]); a != b {
			return fmt.Errorf("%s holds\n%s\n%s holds\n%s", args[0], a, args[1], b)
		}
	case "git":
		c := exec.Command("git", append([]string{"-c", "user.name=a", "-c", "user.email=a@b.example"}, args...)...)
		c.Dir = s.dir
		if out, err := c.CombinedOutput(); err != nil {
			return fmt.Errorf("%w\n%s", err, out)
		}
	case "run":
		c := exec.Command(args[0], args[1:]...)
		c.Dir, c.Env = s.dir, append(s.command().Env, "MOLT="+molt)
		if out, err := c.CombinedOutput(); err != nil {
			return fmt.Errorf("%w\n%s", err, out)
		}
	case "env":
		s.env = append(s.env, args...)
	case "serve":
		server := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(s.dir, args[0]))))
		s.Cleanup(server.Close)
		s.vars["SERVED"] = server.URL
	case "standin":
		return s.standin(args)
	case "expand":
		s.write(args[0], s.expand(s.read(args[0])))
	case "write":
		s.write(args[0], args[1])
	case "remove":
		return os.Remove(filepath.Join(s.dir, args[0]))
	default:
		return fmt.Errorf("no such command: %s", verb)
	}
	return nil
}

func (s *script) molt(code int, args []string) error {
	c := s.command(args...)
	c.Env = append(c.Env, s.env...)
	out, err := c.CombinedOutput()
	s.last = string(out)
	if c.ProcessState == nil {
		return err
	}
	if got := c.ProcessState.ExitCode(); got != code {
		return fmt.Errorf("it exits with %d\n%s", got, out)
	}
	return nil
}

// standin runs the stand-in until the test ends.
func (s *script) standin(args []string) error {
	c := s.command(append([]string{"standin"}, args...)...)
	out, err := c.StdoutPipe()
	if err != nil {
		return err
	}
	if err := c.Start(); err != nil {
		return err
	}
	s.Cleanup(func() {
		_ = c.Process.Kill()
		_ = c.Wait() // it was killed
	})
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if name, address, ok := strings.Cut(lines.Text(), "="); ok && strings.HasPrefix(name, "MOLT_REGISTRY_") {
			s.vars["STANDIN"] = address
			return nil
		}
	}
	return fmt.Errorf("the stand-in ended: %v", lines.Err())
}

func (s *script) interrupted(text string, args []string) error {
	if runtime.GOOS == "windows" {
		s.Skip("interrupts are sent by signal")
	}
	c := s.command(args...)
	c.Env = append(c.Env, s.env...)
	r, w := io.Pipe()
	c.Stdout, c.Stderr = w, w
	if err := c.Start(); err != nil {
		return err
	}
	timer := time.AfterFunc(30*time.Second, func() { _ = c.Process.Kill() })
	defer timer.Stop()
	done := make(chan string)
	go func() {
		var all strings.Builder
		part, sent := make([]byte, 4096), false
		for {
			n, err := r.Read(part)
			all.Write(part[:n])
			if !sent && strings.Contains(all.String(), text) {
				sent = true
				_ = c.Process.Signal(syscall.SIGINT)
			}
			if err != nil {
				done <- all.String()
				return
			}
		}
	}()
	_ = c.Wait() // the code tells
	w.Close()
	s.last = <-done
	if got := c.ProcessState.ExitCode(); got != 130 {
		return fmt.Errorf("it exits with %d\n%s", got, s.last)
	}
	return nil
}

// mustTxtar reads files in the txtar format.
func mustTxtar(text string) *txtar.Archive { return txtar.Parse([]byte(text)) }

package txn

import (
	"errors"
	"os"
	"path/filepath"
	"testing"
)

// Transactions of a span come about together: after an end in the middle, wherever, the next
// process finds the files and folders as they were before all.
func TestSpan(t *testing.T) {
	const before = "a=1;b=1;tree/x=1;"
	change := func(w *Workspace, text string) error {
		put(t, w.Dir, StateDir+"/part/new/x", text)
		x, err := w.Begin("changing", "change", "a", "b", "c")
		if err != nil {
			return err
		}
		return errors.Join(x.ReplaceFolder("tree", StateDir+"/part/new"), x.Write("a", []byte(text)),
			x.Write("c", []byte(text)), x.Commit())
	}
	for _, test := range []struct {
		name string
		ends func(s *Span, w *Workspace) error
		want string
	}{
		{"completed", func(s *Span, _ *Workspace) error { return s.Commit() }, "a=3;b=1;c=3;tree/x=3;"},
		{"undone", func(s *Span, _ *Workspace) error { return s.Undo() }, before},
		{"ended between", func(s *Span, _ *Workspace) error { return s.guard.Unlock() }, before},
		{"ended in a transaction", func(s *Span, w *Workspace) error {
			x, err := w.Begin("changing", "change", "a")
			return errors.Join(err, x.Write("a", []byte("4")), s.guard.Unlock())
		}, before},
		{"ended before a transaction was completed", func(s *Span, w *Workspace) error {
			x, err := w.Begin("changing", "change", "a", "b")
			return errors.Join(err, x.Write("b", []byte("4")), s.adopt(x), s.guard.Unlock())
		}, before},
	} {
		w := desk(t, map[string]string{"a": "1", "b": "1", "tree/x": "1"})
		release, err := w.Take()
		if err != nil {
			t.Fatal(err)
		}
		s, err := w.BeginSpan("both sides")
		if err != nil {
			t.Fatal(err)
		}
		release()
		within := reopen(t, w.Dir)
		within.Within = s
		if err := errors.Join(change(within, "2"), change(within, "3")); err != nil {
			t.Fatal(err)
		}
		var busy *BusyError
		if _, err := reopen(t, w.Dir).Take(); !errors.As(err, &busy) {
			t.Errorf("%s: another takes the folder in between: %v", test.name, err)
		}
		if err := test.ends(s, within); err != nil {
			t.Fatal(err)
		}
		next := reopen(t, w.Dir)
		says, err := next.Repair(func(string) {})
		if got := tree(w.Dir); err != nil || got != test.want {
			t.Errorf("%s: the next process has %s, want %s; %q, %v", test.name, got, test.want, says, err)
		}
		if left, _ := os.ReadDir(filepath.Join(w.Dir, backupDir)); len(left) != 0 && test.name == "completed" {
			t.Errorf("%s: backups stay: %v", test.name, left)
		}
		if next.Unfinished() != "" {
			t.Errorf("%s: %s", test.name, next.Unfinished())
		}
	}
}

package ecosystem

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"testing"
)

// Every format that there has been is read, and the newest is written: what is written of an older
// one says the same, and is read as it was.
func TestLockFormats(t *testing.T) {
	for i, f := range lockFormats {
		number := int64(i + 1)
		name := filepath.Join("testdata", "locks", fmt.Sprintf("%d.lock", number))
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatalf("format %d (%s) has no sample: %v", number, f.added, err)
		}
		l, err := DecodeMoltLock(name, data)
		if err != nil {
			t.Fatalf("format %d is not read: %v", number, err)
		}
		if len(l.Packages) != 2 || l.Packages[0].Needs[0].To != "nail@2.0.0" || l.Roots[0].To != "keel@1.2.0" {
			t.Errorf("format %d is read as %+v", number, l)
		}
		written := EncodeMoltLock(l)
		if number == newestLockFormat() && !bytes.Equal(written, data) {
			t.Errorf("the newest format is written as\n%s\nnot\n%s", written, data)
		}
		if !bytes.Contains(written, fmt.Appendf(nil, "\nmolt-lock = %d\n", newestLockFormat())) {
			t.Errorf("of format %d this is written:\n%s", number, written)
		}
		if again, err := DecodeMoltLock(name, written); err != nil || !bytes.Equal(EncodeMoltLock(again), written) {
			t.Errorf("what is written of format %d is read as something else: %v", number, err)
		}
	}
	next := fmt.Appendf(nil, "molt-lock = %d\nweather = 'fair'\n", newestLockFormat()+1)
	var newer *NewerLockError
	if _, err := DecodeMoltLock("molt.lock", next); !errors.As(err, &newer) || newer.Reads != newestLockFormat() {
		t.Errorf("a format of the future: %v", err)
	}
}

// A lock of format 1 cannot tell what packages run, and says so rather than that they run nothing.
func TestFirstFormatTellsNoRuns(t *testing.T) {
	for number, want := range map[int]string{1: RunsUntold, 2: "install"} {
		name := filepath.Join("testdata", "locks", fmt.Sprintf("%d.lock", number))
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		l, err := DecodeMoltLock(name, data)
		if err != nil || l.Packages[0].Runs != want {
			t.Errorf("in format %d keel runs %+v, %v", number, l, err)
		}
	}
}

package cli

import (
	"testing"
	"time"

	"molt/registry"
)

func TestProgressLine(t *testing.T) {
	for _, test := range []struct {
		p     registry.Progress
		since time.Duration
		want  string
	}{
		{registry.Progress{Documents: 1}, time.Second, "1 document"},
		{registry.Progress{Documents: 312, Bytes: 4_100_000, Waiting: "keel", For: 5 * time.Second, Through: "mast",
			Releases: 40}, 6 * time.Second,
			"312 documents, 4.1 MB; waiting for keel (5 s)"},
		{registry.Progress{Documents: 312, Through: "mast", Releases: 40}, 4 * time.Second, "312 documents"},
		{registry.Progress{Documents: 312, Through: "a-mast-with-a-very-long-name", Releases: 40}, 6 * time.Second,
			"312 documents; 40 releases of a-mast-with-a-very-…, none fits yet"},
		{registry.Progress{Documents: 312}, 7 * time.Second, "312 documents; looking for what fits together (7 s)"},
	} {
		if got := progressLine(test.p, test.since); got != test.want {
			t.Errorf("%q, want %q", got, test.want)
		}
	}
}

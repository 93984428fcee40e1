package inspect

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"molt/samples/projecttest"
)

func TestTraceLocked(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: a@* b@* c@*
		a@1: x@^1
		b@1: y@*
		c@1: x@^2 peer:y@*
		y@1: x@^1
		x@1.0
		x@1.5
		x@2.0`)
	all, err := TraceLocked(context.Background(), source, app, "x")
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, tr := range all {
		var chains, keepers []string
		for _, chain := range tr.Chains {
			text := ""
			for _, l := range chain {
				text += "/" + l.To
			}
			chains = append(chains, text)
		}
		for _, k := range tr.Keepers {
			keepers = append(keepers, k.By+" "+k.Constraint)
		}
		got = append(got, fmt.Sprintf("%s by %d %v next %s kept by %v", tr.ID, tr.Askers, chains, tr.Next, keepers))
	}
	want := "x@2.0.0 by 1 [/c@1.0.0/x@2.0.0] next  kept by []\nx@1.0.0 by 2 [/a@1.0.0/x@1.0.0 /b@1.0.0/y@1.0.0/x@1.0.0 " +
		"/c@1.0.0/y@1.0.0/x@1.0.0] next 1.5.0 kept by []"
	if strings.Join(got, "\n") != want {
		t.Errorf("traces are\n%s\nwant\n%s", strings.Join(got, "\n"), want)
	}
	if none, err := TraceLocked(context.Background(), source, app, "z"); none != nil || err != nil {
		t.Errorf("traces of nothing: %v, %v", none, err)
	}
}

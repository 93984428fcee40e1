package stages

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"molt/app/locking"
	"molt/ecosystem/js"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
)

// The lock is the same whatever the order in which documents come, and whether they were asked for ahead or not.
func TestLockIsTheSameInAnyOrder(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 3))
	var text strings.Builder
	const packages = 40
	for i := range packages {
		fmt.Fprintf(&text, "package p%d\n", i)
		for v := range 5 {
			fmt.Fprintf(&text, "  1.%d.0 2024-01-0%d", v, v+1)
			for k := 1; k <= 3 && i+k*k < packages; k++ {
				fmt.Fprintf(&text, " p%d@<=1.%d", i+k*k, 1+random.IntN(4))
			}
			text.WriteString("\n")
		}
	}
	table, err := standin.ReadUniverse("u", []byte(text.String()), ranges.Scheme)
	if err != nil {
		t.Fatal(err)
	}
	inner := js.JS{}.StandIn(table)
	want := ""
	for run := range 8 {
		waits := rand.New(rand.NewPCG(uint64(run), 1))
		delays := map[string]time.Duration{}
		for name := range table.Table {
			delays["/"+name] = time.Duration(waits.IntN(6)) * time.Millisecond
		}
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if run > 0 {
				time.Sleep(delays[r.URL.Path])
			}
			inner.ServeHTTP(w, r)
		}))
		b := newBench(t, map[string]string{"package.json": `{"dependencies": {"p0": "*", "p1": "*", "p2": "1"}}`})
		b.env["MOLT_REGISTRY_JS"] = server.URL
		a := b.open()
		q, err := a.Ask(context.Background(), nil)
		if err != nil {
			t.Fatal(err)
		}
		end := func() {}
		if run%2 == 0 {
			end = locking.Ahead(context.Background(), q)
		}
		_, data, err := locking.Relock(context.Background(), q)
		end()
		q.Close()
		server.Close()
		if err != nil {
			t.Fatal(err)
		}
		if want == "" {
			want = string(data)
		}
		if string(data) != want {
			t.Fatalf("run %d has another lock:\n%s\nwant\n%s", run, data, want)
		}
	}
}

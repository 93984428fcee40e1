package cli_test

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"molt/ecosystem/js"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
)

// A slowRegistry answers each request after a while, and counts them.
type slowRegistry struct {
	*httptest.Server
	wait  atomic.Int64
	asked atomic.Int64
}

// BenchmarkWire locks an application of 1,000 packages in eight waves, each of which is known when
// the one before has been read, from a registry that answers after 20 ms: with nothing in the
// cache, asked again while the answers count, and asked again when each has to be confirmed. The
// yardstick "plain" downloads the same documents in the same waves, on as many connections, and
// makes nothing of them. "warm" has everything at hand, with the lock and without one.
func BenchmarkWire(b *testing.B) {
	const waves, wide = 8, 125
	text := strings.Builder{}
	name := func(wave, i int) string { return fmt.Sprintf("wave-%d-%d", wave, i%wide) }
	for wave := range waves {
		for i := range wide {
			fmt.Fprintf(&text, "package %s\n  about Made up\n", name(wave, i))
			for major := 1; major <= 3; major++ {
				for minor := range 12 {
					fmt.Fprintf(&text, "  %d.%d.0  20%d-%02d-01", major, minor, 19+major, minor+1)
					for k := range 4 {
						if wave+1 < waves {
							fmt.Fprintf(&text, "  %s@^%d.0.0", name(wave+1, i+k*(31+k)), major)
						}
					}
					text.WriteString("\n")
				}
			}
		}
	}
	table, err := standin.ReadUniverse("bench.universe", []byte(text.String()), ranges.Scheme)
	if err != nil {
		b.Fatal(err)
	}
	inner := js.JS{}.StandIn(table)
	for n := range table.Table { // so that making documents and checksums is not what is measured
		inner.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodGet, "http://127.0.0.1/"+n, nil))
	}
	slow := &slowRegistry{}
	life := atomic.Pointer[string]{}
	slow.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		slow.asked.Add(1)
		time.Sleep(time.Duration(slow.wait.Load()))
		inner.ServeHTTP(header{w, *life.Load()}, r)
	}))
	b.Cleanup(slow.Close)
	slow.wait.Store(int64(20 * time.Millisecond))
	says := func(text string) { life.Store(&text) }
	says("max-age=600")
	var declared []string
	for i := range wide {
		declared = append(declared, fmt.Sprintf("%q: \"^2.0.0\"", name(0, i)))
	}
	d := &desk{TB: b, dir: b.TempDir(), registry: slow.URL, cache: b.TempDir(), columns: "100"}
	d.write("package.json", `{"dependencies": {`+strings.Join(declared, ", ")+`}}`)
	empty := func() {
		if err := os.RemoveAll(d.cache); err != nil {
			b.Fatal(err)
		}
	}
	unlock := func() { _ = os.Remove(filepath.Join(d.dir, "molt.lock")) }
	count := func(b *testing.B, run func()) {
		slow.asked.Store(0)
		for b.Loop() {
			run()
		}
		b.ReportMetric(float64(slow.asked.Load())/float64(b.N), "requests/op")
	}
	b.Run("plain", func(b *testing.B) {
		client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 16}}
		count(b, func() {
			for wave := range waves {
				var all sync.WaitGroup
				slots := make(chan bool, 16)
				for i := range wide {
					all.Go(func() {
						slots <- true
						defer func() { <-slots }()
						response, err := client.Get(slow.URL + "/" + name(wave, i))
						if err != nil {
							b.Error(err)
							return
						}
						defer response.Body.Close()
						if _, err := io.Copy(io.Discard, response.Body); err != nil {
							b.Error(err)
						}
					})
				}
				all.Wait()
			}
		})
	})
	b.Run("cold", func(b *testing.B) {
		count(b, func() {
			b.StopTimer()
			empty()
			unlock()
			b.StartTimer()
			d.process(b, 0, "relock")
		})
	})
	for _, kept := range []bool{true, false} {
		what := "warm"
		if !kept {
			what = "warm without a lock"
		}
		b.Run(what, func(b *testing.B) {
			d.process(b, 0, "relock")
			count(b, func() {
				if !kept {
					unlock()
				}
				d.process(b, 0, "relock", "--offline")
			})
		})
		b.Run("again, "+what, func(b *testing.B) {
			d.process(b, 0, "relock")
			count(b, func() {
				if !kept {
					unlock()
				}
				d.process(b, 0, "relock")
			})
		})
	}
	b.Run("each confirmed", func(b *testing.B) {
		says("no-cache")
		d.process(b, 0, "relock", "--refresh")
		count(b, func() { d.process(b, 0, "relock") })
	})
}

// A header says of each answer how long it counts, whatever the one below says.
type header struct {
	http.ResponseWriter
	life string
}

func (h header) WriteHeader(code int) {
	h.Header().Set("Cache-Control", h.life)
	h.ResponseWriter.WriteHeader(code)
}

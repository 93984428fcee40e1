package cache

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"
)

func segmentsIn(t *testing.T, dir string) []string {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(dir, "*"+suffix))
	if err != nil {
		t.Fatal(err)
	}
	return files
}

// Whatever several caches of one folder put and confirm in whatever order, each name has what was
// put last and the time when it was confirmed last.
func TestCachesOfOneFolder(t *testing.T) {
	for seed := range uint64(40) {
		random := rand.New(rand.NewPCG(seed, 1))
		dir := t.TempDir()
		open := []*Cache{In(dir, 1<<30), In(dir, 1<<30), In(dir, 1<<30)}
		want := map[string]Entry{}
		now := time.UnixMilli(1_000_000)
		for step := range 200 {
			now = now.Add(time.Second)
			i := random.IntN(len(open))
			name := fmt.Sprint("package ", random.IntN(12))
			switch random.IntN(4) {
			case 0:
				e := Entry{Stored: now, MaxAge: random.IntN(100), Silent: random.IntN(2) == 0, Missing: random.IntN(5) == 0,
					ETag: fmt.Sprint(step), Body: strings.Repeat(fmt.Sprint(step, " "), random.IntN(50))}
				open[i].Put(name, e)
				want[name] = e
				open[i].Close()
				open[i] = In(dir, 1<<30)
			case 1:
				if e, ok := want[name]; ok {
					e.Stored, e.MaxAge, e.Silent = now, random.IntN(100), random.IntN(2) == 0
					open[i].Confirm(name, e)
					want[name] = e
					open[i].Close()
					open[i] = In(dir, 1<<30)
				}
			default:
				got := open[i].Get(name)
				e, ok := want[name]
				if (got != nil) != ok || ok && (*got != e) {
					t.Fatalf("seed %d, step %d: %s is %+v, want %+v", seed, step, name, got, e)
				}
			}
		}
		if n := len(segmentsIn(t, dir)); n > mostSegments+1 {
			t.Errorf("seed %d: %d segments are left", seed, n)
		}
	}
}

// What one has put and not written yet, it finds; the others find it once it is written.
func TestPending(t *testing.T) {
	dir := t.TempDir()
	mine, other := In(dir, 1<<30), In(dir, 1<<30)
	defer other.Close()
	e := Entry{Stored: time.UnixMilli(1000), Body: "x"}
	mine.Put("keel", e)
	if got := mine.Get("keel"); got == nil || *got != e {
		t.Errorf("%+v", got)
	}
	if other.Get("keel") != nil {
		t.Error("it was written at once")
	}
	later := e
	later.Stored = time.UnixMilli(2000)
	mine.Confirm("keel", later)
	if got := mine.Get("keel"); got == nil || *got != later {
		t.Errorf("%+v", got)
	}
	for began := time.Now(); other.Get("keel") == nil; time.Sleep(10 * time.Millisecond) {
		if time.Since(began) > 20*pendingTime {
			t.Fatal("it is not written though nobody closes it")
		}
	}
	mine.Close()
	if got := other.Get("keel"); got == nil || *got != later {
		t.Errorf("%+v", got)
	}
	var none *Cache
	none.Put("keel", e)
	none.Close()
	if none.Get("keel") != nil {
		t.Error("no cache has something")
	}
}

// A cache keeps within its limit, and what it gives up is what was confirmed longest ago.
func TestLimit(t *testing.T) {
	dir := t.TempDir()
	body := strings.Repeat("x", 1000)
	for i := range 200 {
		c := In(dir, 50_000)
		c.Put(fmt.Sprint(i), Entry{Stored: time.UnixMilli(int64(i+1) * 1000), Body: body})
		if i > 0 { // which is looked at again and again
			c.Confirm("0", Entry{Stored: time.UnixMilli(int64(i+1) * 1000)})
		}
		c.Close()
	}
	c := In(dir, 50_000)
	defer c.Close()
	if u := c.Usage(); u.Bytes > 60_000 || u.Answers < 30 {
		t.Errorf("%+v", u)
	}
	for _, name := range []string{"0", "199", "180"} {
		if c.Get(name) == nil {
			t.Errorf("%s is gone", name)
		}
	}
	if c.Get("20") != nil {
		t.Error("20 is still there")
	}
}

// What a process leaves that was ended while it wrote is never read, and goes after a while; what
// is no segment does no harm.
func TestLeftOvers(t *testing.T) {
	dir := t.TempDir()
	put := func(name string) {
		c := In(dir, 1<<30)
		c.Put(name, Entry{Stored: time.UnixMilli(1000), Body: name})
		c.Close()
	}
	put("keel")
	whole, err := os.ReadFile(segmentsIn(t, dir)[0])
	if err != nil {
		t.Fatal(err)
	}
	old := time.Now().Add(-2 * leftOver)
	for name, data := range map[string][]byte{
		partPrefix + "1": whole[:30], "0-1" + suffix: whole[:len(whole)-1], "0-2" + suffix: nil} {
		file := filepath.Join(dir, name)
		if os.WriteFile(file, data, 0o600) != nil || os.Chtimes(file, old, old) != nil {
			t.Fatal(file)
		}
	}
	if err := os.Mkdir(filepath.Join(dir, "folder"+suffix), 0o700); err != nil {
		t.Fatal(err)
	}
	for i := range mostSegments + 2 {
		put(fmt.Sprint("rope ", i))
	}
	left, err := filepath.Glob(filepath.Join(dir, "*"))
	if err != nil || len(left) > mostSegments+3 {
		t.Errorf("%v, %q", err, left)
	}
	for _, name := range left {
		if strings.HasPrefix(filepath.Base(name), partPrefix) {
			t.Errorf("%s is still there", name)
		}
	}
	c := In(dir, 1<<30)
	defer c.Close()
	if e := c.Get("keel"); e == nil || e.Body != "keel" {
		t.Errorf("%+v", e)
	}
}

// Many processes at once never read anything but what was put, and find it all in the end.
func TestManyAtOnce(t *testing.T) {
	dir := t.TempDir()
	var all sync.WaitGroup
	const writers, names = 12, 40
	for w := range writers {
		all.Go(func() {
			for round := range 10 {
				c := In(dir, 1<<30)
				for i := range names {
					name := fmt.Sprint(i)
					if e := c.Get(name); e != nil && e.Body != strings.Repeat(name, 100) {
						t.Errorf("%s is %.20q", name, e.Body)
					}
					if i%writers == w || round == 0 {
						c.Put(name, Entry{Stored: time.Now(), Body: strings.Repeat(name, 100)})
					}
				}
				c.Close()
			}
		})
	}
	all.Wait()
	c := In(dir, 1<<30)
	defer c.Close()
	for i := range names {
		if c.Get(fmt.Sprint(i)) == nil {
			t.Errorf("%d is gone", i)
		}
	}
}

func FuzzSegment(f *testing.F) {
	dir := f.TempDir()
	s, err := write(dir, func(w *writer) error {
		return w.add(keyOf("keel"), Entry{Stored: time.UnixMilli(1000), ETag: `"a"`, Body: "{}"}, false)
	})
	if err != nil {
		f.Fatal(err)
	}
	data, err := os.ReadFile(filepath.Join(dir, s.name))
	if err != nil {
		f.Fatal(err)
	}
	f.Add(data)
	f.Add([]byte(magic + magic))
	file := filepath.Join(dir, "x"+suffix)
	f.Fuzz(func(t *testing.T, data []byte) {
		if err := os.WriteFile(file, data, 0o600); err != nil {
			t.Fatal(err)
		}
		s, err := openSegment(file)
		if err != nil {
			return
		}
		defer s.file.Close()
		for i := range s.len() {
			s.read(s.record(i))
		}
	})
}

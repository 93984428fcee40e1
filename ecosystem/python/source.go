package python

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
	"molt/registry"
)

// A source reads packages from registries, each once. What a release needs stands in its metadata,
// which is fetched when it is first looked at. A package with an extra, which universe.WithExtra
// names, has the releases of the package, and each of its releases needs that release of the
// package and what the extra adds.
type source struct {
	digests  ecosystem.Digests
	envs     environments
	forks    forks
	detail   ecosystem.Detail
	err      error // why there are no environments
	ctx      context.Context
	cancel   context.CancelFunc
	work     sync.WaitGroup
	mu       sync.Mutex
	pages    map[string]*promise[*universe.Package]
	known    map[string]*universe.Package // by name, with extra
	metas    map[string]*promise[*metadata]
	failures map[string]error
	lists    map[string][]universe.Demand
}

// A promise is something that is being fetched.
type promise[T any] struct {
	done  chan struct{}
	value T
	err   error
}

func (p *promise[T]) wait(ctx context.Context) (T, error) {
	select {
	case <-p.done:
		return p.value, p.err
	case <-ctx.Done():
		var none T
		return none, ctx.Err()
	}
}

// Open returns a source that reads from registries.
func (Python) Open(ctx context.Context, registries *registry.Registries, detail ecosystem.Detail) ecosystem.Source {
	s := &source{digests: ecosystem.Digests{Registries: registries, Scheme: specifiers.Scheme}, detail: detail,
		pages: map[string]*promise[*universe.Package]{}, known: map[string]*universe.Package{},
		metas: map[string]*promise[*metadata]{}, failures: map[string]error{}, lists: map[string][]universe.Demand{}}
	if s.envs, s.err = environmentsOf(detail.Environments); s.err == nil {
		s.forks = forksOf(detail.Forks, detail.Environments, s.envs)
	}
	s.ctx, s.cancel = context.WithCancel(ctx)
	return s
}

// Close ends what was begun ahead, and waits for it.
func (s *source) Close() {
	s.cancel()
	s.work.Wait()
}

// begin fetches something unless it is there or on its way.
func begin[T any](s *source, all map[string]*promise[T], key string, fetch func() (T, error)) *promise[T] {
	s.mu.Lock()
	defer s.mu.Unlock()
	p, ok := all[key]
	if !ok {
		p = &promise[T]{done: make(chan struct{})}
		all[key] = p
		s.work.Go(func() {
			p.value, p.err = fetch()
			close(p.done)
		})
	}
	return p
}

// Hint begins to fetch the pages of packages.
func (s *source) Hint(names ...string) {
	for _, name := range names {
		if _, hinders := universe.Hinders(name); !hinders {
			s.page(universe.Plain(name))
		}
	}
}

func (s *source) page(name string) *promise[*universe.Package] {
	return begin(s, s.pages, name, func() (*universe.Package, error) {
		p, err := s.fetch(name)
		if err == nil { // whoever asks for a package will probably want its newest release that runs
			if i := s.newest(p); i >= 0 {
				if f, ok := metadataFile(p.At(i).Files); ok && f.Kind == wheelKind {
					s.meta(p, i)
				}
			}
		}
		return p, err
	})
}

// newest returns the position of the newest stable release that suits the interpreters of some
// environment, -1 for none.
func (s *source) newest(p *universe.Package) int {
	stable := p.Stable()
	for i := p.Len() - 1; i >= 0; i-- {
		suits := func(e requirement.Environment) bool {
			return !slices.ContainsFunc(p.Runtimes(i), func(q universe.Requirement) bool {
				holds, ok := specifiers.Satisfies(e["python_full_version"], q.Text)
				return ok && !holds
			})
		}
		if stable.Has(i) && !p.Withdrawn(i) && (len(s.envs) == 0 || slices.ContainsFunc(s.envs, suits)) {
			return i
		}
	}
	return -1
}

// Package returns a package from its registry.
func (s *source) Package(ctx context.Context, name string) (*universe.Package, error) {
	if s.err != nil {
		return nil, s.err
	}
	s.mu.Lock()
	p, failed := s.known[name], s.failures[name]
	s.mu.Unlock()
	if p != nil || failed != nil {
		return p, failed
	}
	if _, hinders := universe.Hinders(name); hinders {
		return nil, &universe.UnknownError{Name: name}
	}
	of := universe.NameOf(name)
	base, extra := of.Base(), of.Extra
	raw, err := s.page(universe.Plain(base)).wait(ctx)
	if err != nil {
		return nil, err
	}
	made := &universe.Package{Name: name, Scheme: specifiers.Scheme, Tags: raw.Tags, Current: raw.Current,
		Notes: raw.Notes}
	made = universe.Keep(made, &kept{
		s: s, raw: raw, name: base, envs: s.forks.environments(base, s.envs), extra: extra,
		looked: make([]atomic.Bool, raw.Len()), known: make([]atomic.Pointer[[]universe.Demand], raw.Len())})
	s.mu.Lock()
	defer s.mu.Unlock()
	if p := s.known[name]; p != nil {
		return p, nil
	}
	s.known[name] = made
	return made, nil
}

func (s *source) fetch(name string) (*universe.Package, error) {
	if !requirement.IsName(name) {
		return nil, &universe.UnknownError{Name: name}
	}
	return s.digests.Fetch(s.ctx, name, registry.Request{Path: name + "/", Accept: acceptIndex}, digestOf)
}

// meta begins to fetch the metadata of a release.
func (s *source) meta(raw *universe.Package, i int) *promise[*metadata] {
	release := raw.Version(i).String()
	return begin(s, s.metas, raw.Name+" "+release, func() (*metadata, error) {
		m, err := metadataOf(s.ctx, s.digests.Registries.For(raw.Name), raw.Name, release, raw.At(i))
		if err == nil && m.Unknown != "" && s.detail.Builds != nil && s.detail.Builds(raw.Name) {
			return s.builtMetadata(raw.Name, release, raw.At(i), m)
		}
		return m, err
	})
}

// builtMetadata reads the metadata of a release of which only the source was published, from what is built of it.
func (s *source) builtMetadata(name, release string, r *universe.Release, unknown *metadata) (*metadata, error) {
	file, ok := Python{}.SourceFile(r.Files)
	if !ok {
		return unknown, nil
	}
	built, err := s.detail.Build(s.ctx, name, release, file)
	var not *ecosystem.UnbuiltError
	if errors.As(err, &not) {
		return &metadata{Unknown: "is not known without a build of its source; molt fetch builds what a plan needs"}, nil
	}
	if err != nil {
		return nil, err
	}
	f, err := os.Open(built.Path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	data, err := metadataIn(f, info.Size(), name, release, built.Path)
	if err != nil {
		return nil, err
	}
	m, _, err := readMetadata(name, release, data)
	return m, err
}

// A kept is a package, or one with an extra, of which what a release needs is fetched when it is
// looked at. It is a universe.Costly.
type kept struct {
	s      *source
	raw    *universe.Package // as its page has it
	name   string            // without the extra
	envs   environments      // in which it may be needed
	extra  string            // "" for the package itself
	looked []atomic.Bool
	known  []atomic.Pointer[[]universe.Demand] // by release, what it needs, once that was read
	count  atomic.Int32
}

// manyLooks is how many releases of a package are looked at one by one; from then on, fewAhead
// before each of them are fetched with it, since whoever goes through them goes from the newest to
// the oldest.
const (
	manyLooks = 3
	fewAhead  = 16
)

// Len returns how many releases there are.
func (k *kept) Len() int { return k.raw.Len() }

// Version returns the version of a release.
func (k *kept) Version(i int) string { return k.raw.Version(i).String() }

// Deprecated is false: the standards know releases that are yanked.
func (k *kept) Deprecated(int) bool { return false }

// Withdrawn reports whether a release is yanked.
func (k *kept) Withdrawn(i int) bool { return k.raw.At(i).Withdrawn != "" }

// Runtimes returns what a release requires of the interpreter, as its page has it.
func (k *kept) Runtimes(i int) []universe.Requirement { return k.raw.Runtimes(i) }

// Peers is empty: there are none.
func (k *kept) Peers(int) []universe.Demand { return nil }

// About returns what the page says of a release.
func (k *kept) About(i int) universe.Release { return *k.raw.At(i) }

// Release returns all that is known of a release.
func (k *kept) Release(i int) universe.Release {
	r := *k.raw.At(i)
	r.Needs = k.Needs(i)
	if m, err := k.s.meta(k.raw, i).wait(k.s.ctx); err == nil {
		r.Licence, r.Claims = m.Licence, m.claims()
		r.Typed = slices.Contains(m.Classifiers, "Typing :: Typed")
	}
	return r
}

// Claims returns the frameworks that the classifiers of a release name.
func (k *kept) Claims(i int) []universe.Claim {
	if k.extra != "" {
		return nil
	}
	m, err := k.s.meta(k.raw, i).wait(k.s.ctx)
	if err != nil {
		return nil
	}
	return m.claims()
}

// Needs returns what a release needs in some of the environments.
func (k *kept) Needs(i int) []universe.Demand {
	if known := k.known[i].Load(); known != nil {
		return *known
	}
	var n int32
	if !k.looked[i].Swap(true) {
		n = k.count.Add(1)
	}
	if n > manyLooks {
		if n > fewAhead {
			k.s.digests.Registries.GoesThrough(k.raw.Name, int(n))
		}
		var before []int
		for at := i - 1; at >= max(0, i-fewAhead); at-- {
			before = append(before, at)
		}
		k.LookAhead(before)
	}
	name, release := k.raw.Name, k.raw.Version(i)
	m, err := k.s.meta(k.raw, i).wait(k.s.ctx)
	var unreachable *registry.UnreachableError
	var refused *ecosystem.RefusedError
	if err != nil && (k.s.ctx.Err() != nil || errors.As(err, &unreachable) || errors.As(err, &refused)) {
		return k.s.failed(fmt.Sprintf("the metadata of %s %s", name, release), fmt.Errorf("%s %s: %w", name, release, err))
	}
	all := k.s.shared(k.needs(m, err, release))
	k.known[i].Store(&all)
	return all
}

// needs reads what metadata says that a release needs; or says why the release cannot be used,
// where the registry gave none that can.
func (k *kept) needs(m *metadata, err error, v version.Version) []universe.Demand {
	if err == nil && m.Unknown != "" {
		if m.Unknown == unbuilt {
			return []universe.Demand{universe.Unbuilt(m.Unknown)}
		}
		return []universe.Demand{universe.Hindrance(m.Unknown)}
	}
	var needs []universe.Demand
	if err == nil {
		needs, err = k.s.needs(m, k.extra, k.envs)
	}
	if err != nil {
		return []universe.Demand{universe.Hindrance(fmt.Sprintf("cannot be used: %v", err))}
	}
	if k.extra != "" {
		needs = append([]universe.Demand{{As: k.name, Package: k.name, Text: "===" + v.(*specifiers.Version).Normal()}},
			needs...)
	}
	return needs
}

// Dear reports whether a release has no wheel: its source archive has to be fetched, and perhaps built.
func (k *kept) Dear(i int) bool {
	f, ok := metadataFile(k.raw.At(i).Files)
	return ok && f.Kind == sourceKind
}

// LookAhead begins to fetch the metadata of releases, as far as that costs a request.
func (k *kept) LookAhead(at []int) {
	for _, i := range at {
		if !k.Dear(i) {
			k.s.meta(k.raw, i)
		}
	}
}

// failed returns a demand on a package of which the source reports an error.
func (s *source) failed(name string, err error) []universe.Demand {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.failures[name] = err
	return []universe.Demand{{As: name, Package: name}}
}

// needs returns the demands of a release that hold in some of its environments: without an extra
// those of the release, with one those that only the extra adds. Requirements on one package, or
// one fork of it, are one demand, which all of them make up.
func (s *source) needs(m *metadata, extra string, envs environments) ([]universe.Demand, error) {
	var all []universe.Demand
	whens := map[string][]*requirement.Marker{}
	for _, text := range m.Needs {
		r, err := requirement.Parse(text)
		if err != nil {
			return nil, err
		}
		rest, ok := r.Marker.WithoutExtra(extra)
		if extra != "" && ok {
			if plain, always := r.Marker.WithoutExtra(""); always &&
				(plain == nil || rest != nil && plain.String() == rest.String()) {
				continue // the release itself needs it
			}
		}
		if !ok {
			continue
		}
		some, every := envs.hold(rest)
		if !some {
			continue
		}
		if every {
			rest = nil
		}
		d := demandOf(r)
		d.When = ""
		if r.Address != "" {
			d.Text, d.Foreign = r.Address, true
		}
		for _, name := range s.forks.names(d, rest, envs) {
			d.As, d.Package = name, name
			i := slices.IndexFunc(all, func(x universe.Demand) bool { return x.As == d.As })
			if i < 0 {
				all = append(all, d)
			} else {
				all[i].Text = both(all[i].Text, d.Text)
				all[i].Extras = union(all[i].Extras, d.Extras)
			}
			whens[d.As] = append(whens[d.As], rest)
		}
	}
	for i := range all {
		if when := requirement.Or(whens[all[i].As]...); when != nil {
			all[i].When = when.String()
		}
	}
	return universe.WithExtras(all), nil
}

// both writes a specifier that two make up.
func both(a, b string) string {
	switch {
	case a == "" || a == b:
		return b
	case b == "":
		return a
	}
	return a + "," + b
}

// union joins two lists of extras.
func union(a, b string) string {
	all := slices.DeleteFunc(strings.Split(a+","+b, ","), func(x string) bool { return x == "" })
	slices.Sort(all)
	return strings.Join(slices.Compact(all), ",")
}

// shared returns a list that is the same for all that are equal, which makes them quick to compare. It is sorted.
func (s *source) shared(all []universe.Demand) []universe.Demand {
	slices.SortFunc(all, func(a, b universe.Demand) int { return strings.Compare(a.As, b.As) })
	var key strings.Builder
	for _, d := range all {
		fmt.Fprintf(&key, "%s\x00%s\x00%s\x00%s\x00%v\n", d.As, d.Package, d.Text, d.When, d.Foreign)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if known, ok := s.lists[key.String()]; ok {
		return known
	}
	for k := range all {
		s.digests.Numbers.Enter(&all[k])
	}
	s.lists[key.String()] = all
	return all
}

// Seen returns the pages that were read so far, as packages.
func (s *source) Seen() []*universe.Package {
	s.mu.Lock()
	defer s.mu.Unlock()
	var all []*universe.Package
	for _, name := range slices.Sorted(maps.Keys(s.pages)) {
		select {
		case <-s.pages[name].done:
			if p := s.pages[name]; p.err == nil {
				all = append(all, p.value)
			}
		default:
		}
	}
	return all
}

// SeenFiles returns the metadata that was read so far, as much of it as Molt keeps, at the
// addresses that it has besides its files.
func (s *source) SeenFiles() map[string][]byte {
	all := map[string][]byte{}
	for _, p := range s.Seen() {
		for i := range p.Len() {
			r := p.At(i)
			s.mu.Lock()
			promised := s.metas[p.Name+" "+r.Version.String()]
			s.mu.Unlock()
			if promised == nil {
				continue
			}
			<-promised.done
			if file, ok := metadataFile(r.Files); ok && promised.err == nil && promised.value.Unknown == "" &&
				file.Kind == wheelKind {
				all[file.Address+".metadata"] = promised.value.text(p.Name, r.Version.String())
			}
		}
	}
	return all
}

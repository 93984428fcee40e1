package history

import (
	"fmt"
	"slices"

	"molt/core/universe"
)

// A kind is how a package is related to the framework.
type kind int

const (
	below     kind = iota // the framework uses it
	core                  // the framework
	sibling               // of its scope, released with it under its numbers
	scoped                // of its scope, with numbers of its own
	companion             // of somebody else, who uses it
	named                 // the same, with a name that begins like its, and numbers that happen to be near
	types                 // describes it
	tool                  // parts of a tool that go together, and have nothing to do with it
	apart                 // has nothing to do with it, and makes majors often
)

// A pkg is a package with all its releases, in the order of their days.
type pkg struct {
	name     string
	kind     kind
	releases []*release
	lag      int               // days after which its maintainers notice a release of something that they use
	style    map[string]string // how it states what it uses, by package
	spoke    map[string]bool   // of packages of which it speaks late: whether it does by now
}

// A release is one of its releases.
type release struct {
	major, minor, patch int
	day                 int
	offers              map[int]bool
	uses                map[string][]int // names, by package
	needs, peers        []universe.Demand
	claims              []universe.Claim
}

func (r *release) text() string { return fmt.Sprintf("%d.%d.%d", r.major, r.minor, r.patch) }

func (r *release) has(names []int) bool {
	return !slices.ContainsFunc(names, func(n int) bool { return !r.offers[n] })
}

// firstOf returns the day of the first release of a major, -1 where there is none.
func (p *pkg) firstOf(major int) int {
	for _, r := range p.releases {
		if r.major == major {
			return r.day
		}
	}
	return -1
}

// newestBefore returns the highest release of a day or before it that will do.
func (p *pkg) newestBefore(day int, do func(*release) bool) (best *release) {
	for _, r := range p.releases {
		if r.day <= day && (best == nil || r.after(best)) && (do == nil || do(r)) {
			best = r
		}
	}
	return best
}

func (r *release) after(o *release) bool {
	return r.major > o.major || r.major == o.major && (r.minor > o.minor || r.minor == o.minor && r.patch > o.patch)
}

// lastDay is when a history ends.
const lastDay = 2400

// grow makes all packages.
func (h *History) grow() {
	for i := range 2 {
		h.make(fmt.Sprintf("keel%d", i), below, nil, 500+h.random.IntN(400))
	}
	h.make(framework, core, []string{"keel0", "keel1"}, 420+h.random.IntN(200))
	if h.Dialect.Peers {
		h.mirror("@hull/rig", framework, sibling)
		for _, name := range []string{"@hull/lamp", "@hull/chart"} {
			h.make(name, scoped, []string{framework}, 600)
		}
	}
	for i := range 8 {
		uses := []string{framework}
		if h.random.IntN(3) == 0 {
			uses = append(uses, fmt.Sprintf("keel%d", h.random.IntN(2)))
		}
		if h.random.IntN(4) == 0 && i > 0 {
			uses = append(uses, fmt.Sprintf("oar%d", h.random.IntN(i)))
		}
		h.make(fmt.Sprintf("oar%d", i), companion, uses, 700+h.random.IntN(600))
	}
	h.make("hull-sail", named, []string{framework}, 500)
	if h.Dialect.Types {
		h.mirror("@types/hull", framework, types)
		h.mirror("@types/oar0", "oar0", types)
	}
	h.make("winch", tool, nil, 400)
	h.mirror("winch-rope", "winch", tool)
	h.make("gull0", apart, nil, 200)
	h.make("gull1", apart, nil, 900)
}

// begin adds a package.
func (h *History) begin(name string, k kind, uses []string) *pkg {
	p := &pkg{name: name, kind: k, lag: 10 + h.random.IntN(240), style: map[string]string{}, spoke: map[string]bool{}}
	if k == scoped || k == core {
		p.lag = h.random.IntN(30)
	}
	for _, of := range uses {
		p.style[of] = h.styleOf(k, of)
	}
	h.packages, h.byName[name] = append(h.packages, p), p
	return p
}

// styleOf chooses how a package states what it uses of another. Nobody leaves out what is not the
// framework: it would not be installed.
func (h *History) styleOf(k kind, of string) string {
	n := h.random.IntN(100)
	s := h.honesty
	if k == scoped && h.random.IntN(2) == 0 {
		return "silent"
	}
	for _, one := range []struct {
		share int
		style string
	}{{s.Bounded, "bounded"}, {s.Open, "open"}, {s.Late, "late"}, {s.Wrong, "wrong"}} {
		if n -= one.share; n < 0 {
			if one.style == "late" && of != framework {
				return "open"
			}
			return one.style
		}
	}
	if of != framework {
		return "open"
	}
	return "silent"
}

// make grows a package that uses others, with a major of its own accord every so many days.
func (h *History) make(name string, k kind, uses []string, everyDays int) {
	p := h.begin(name, k, uses)
	day := 0
	if k != core && k != below {
		day = h.random.IntN(300)
	}
	for _, of := range uses { // which come before it
		day = max(day, h.byName[of].releases[0].day)
	}
	next := &release{major: 1, day: day, offers: map[int]bool{}, uses: map[string][]int{}}
	for n := range 40 {
		next.offers[n] = true
	}
	next.offers[markOf(1)] = true
	for _, of := range uses {
		if at := h.byName[of].newestBefore(day, nil); at != nil {
			next.uses[of] = h.some(at.offers, 3+h.random.IntN(5))
		}
	}
	own := everyDays/2 + h.random.IntN(everyDays) // the day of its next major
	for {
		h.state(p, next)
		p.releases = append(p.releases, next)
		day += 20 + h.random.IntN(80)
		if day > lastDay {
			return
		}
		was := next
		next = &release{major: was.major, minor: was.minor, patch: was.patch, day: day, offers: was.offers,
			uses: map[string][]int{}}
		jump := h.random.IntN(2) // a patch or a minor
		for _, of := range uses {
			names, needed := h.adapt(p, of, was.uses[of], day)
			next.uses[of] = names
			jump = max(jump, needed)
		}
		if day > own && k != sibling {
			jump, own = 2, day+everyDays/2+h.random.IntN(everyDays)
		}
		h.number(next, jump)
	}
}

// markOf is a name that the releases of one major offer and no others, for those who belong to that major.
func markOf(major int) int { return -major }

// number gives a release its number, and what it offers.
func (h *History) number(r *release, jump int) {
	remove, add := 0, 0
	switch jump {
	case 0:
		r.patch++
		return
	case 1:
		r.minor, r.patch, add = r.minor+1, 0, 2
		if h.Dialect.Loose && h.random.IntN(5) == 0 {
			remove = 1
		}
	default:
		r.major, r.minor, r.patch, remove, add = r.major+1, 0, 0, 1+h.random.IntN(5), 6
	}
	offers, most := map[int]bool{}, 0
	for n := range r.offers {
		if offers[n] = true; n >= 0 {
			most = max(most, n)
		}
	}
	for _, n := range h.some(r.offers, remove) {
		delete(offers, n)
	}
	for n := range add {
		offers[most+1+n] = true
	}
	r.offers = offers
	delete(offers, markOf(r.major-1))
	offers[markOf(r.major)] = true
}

// adapt returns the names that a package uses of another on a day, and how large a jump that makes.
// Its maintainers see what was published some time before: where that lacks a name, they take
// others that it has, which earlier majors have as well, or have not.
func (h *History) adapt(p *pkg, of string, names []int, day int) (now []int, jump int) {
	other := h.byName[of]
	at := other.newestBefore(day-p.lag, nil)
	if at == nil {
		return names, 0
	}
	if names == nil {
		return h.some(at.offers, 3), 0
	}
	old := other.newestBefore(day-p.lag, func(r *release) bool { return r.major < at.major })
	both := h.random.IntN(100) < 45
	for _, n := range names {
		if at.offers[n] {
			now = append(now, n)
			continue
		}
		from := at.offers
		if both && old != nil {
			from = map[int]bool{}
			for n := range at.offers {
				if old.offers[n] {
					from[n] = true
				}
			}
			jump = max(jump, 1)
		} else {
			jump = 2
			if h.random.IntN(3) == 0 {
				jump = 1
			}
		}
		now = append(now, h.some(from, 1)...)
	}
	if h.random.IntN(10) == 0 && len(now) < 12 {
		now = append(now, h.some(at.offers, 1)...)
	}
	return now, jump
}

// some draws names, in an order that does not depend on that of a map.
func (h *History) some(from map[int]bool, n int) []int {
	var all []int
	for name := range from {
		if name >= 0 {
			all = append(all, name)
		}
	}
	slices.Sort(all)
	h.random.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	return all[:min(n, len(all))]
}

// mirror makes a package that is released with another, or somewhat later, under its numbers.
func (h *History) mirror(name, of string, k kind) {
	p := h.begin(name, k, []string{of})
	if k == types {
		p.style[of] = "silent"
	}
	for _, r := range h.byName[of].releases {
		one := &release{major: r.major, minor: r.minor, patch: r.patch, day: r.day, offers: map[int]bool{},
			uses: map[string][]int{of: append(h.some(r.offers, 10), markOf(r.major))}}
		if k == types {
			if r.patch > 0 || r.minor%3 > 0 {
				continue
			}
			one.day += 10 + h.random.IntN(90)
		}
		h.state(p, one)
		p.releases = append(p.releases, one)
	}
}

// state writes down what a release states, from what its maintainers can know that day.
func (h *History) state(p *pkg, r *release) {
	for _, of := range r.usesOf() {
		other := h.byName[of]
		low, high := 0, 0
		for major := 1; ; major++ {
			newest := other.newestBefore(r.day, func(o *release) bool { return o.major == major })
			if newest == nil {
				break
			}
			if newest.has(r.uses[of]) {
				if low == 0 {
					low = major
				}
				high = major
			}
		}
		if low == 0 {
			newest := other.newestBefore(r.day, nil)
			low, high = newest.major, newest.major
		}
		if p.kind == sibling || p.kind == tool { // whose names change with each release
			low, high = r.major, r.major
		}
		text := ""
		style := p.style[of]
		if style == "late" {
			if before := len(p.releases); p.spoke[of] || before > 0 && r.major > p.releases[before-1].major {
				p.spoke[of], style = true, "bounded"
			}
		}
		switch style {
		case "bounded":
			text = h.Dialect.Bounded(low, high)
		case "open":
			text = h.Dialect.Open(low)
		case "wrong":
			if h.random.IntN(2) == 0 {
				text = h.Dialect.Bounded(low, high+1)
			} else {
				text = h.Dialect.Bounded(max(1, low-1), high)
			}
		default:
			continue
		}
		d := universe.Demand{As: of, Package: of, Text: text}
		if h.Dialect.Peers && (of == framework || p.kind == tool) {
			r.peers = append(r.peers, d)
		} else {
			r.needs = append(r.needs, d)
		}
		if h.Dialect.Classes && of == framework && len(p.name)%2 == 0 {
			var versions []string
			for major := low; major <= high; major++ {
				versions = append(versions, fmt.Sprint(major))
			}
			r.claims = append(r.claims, universe.Claim{Package: of, Versions: versions})
		}
	}
}

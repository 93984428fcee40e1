package render

import (
	"fmt"
	"strconv"
	"strings"

	"molt/core/inspect"
	"molt/core/universe"
	"molt/core/version"
)

// RangeDoc is "molt/range/1". What begins with Of is there when the versions are the releases of a package.
type RangeDoc struct {
	Schema     string     `json:"schema"`
	Ecosystem  string     `json:"ecosystem"`
	Constraint string     `json:"constraint"`
	Admits     []string   `json:"admits"`
	Refuses    []string   `json:"refuses"`
	Of         string     `json:"of,omitempty"`
	Today      string     `json:"today,omitempty"`   // what it would resolve to
	Refused    string     `json:"refused,omitempty"` // the first release above those that it admits
	Bounded    *bool      `json:"bounded,omitempty"` // whether it refuses every release above some release
	Advice     *AdviceDoc `json:"advice,omitempty"`

	lanes []lane
}

// An AdviceDoc is a constraint that would serve better; the given one, when it can stay.
type AdviceDoc struct {
	Constraint string `json:"constraint"`
	Reason     string `json:"reason"`
	Breaking   bool   `json:"breaking"` // following it is a breaking move from what is locked
}

// A lane is the releases of one major.
type lane struct {
	major, marks string
	admitted, of int
	hidden       int // previews that are refused, which are not drawn
	runs         string
}

// NewRangeDoc makes a document without versions.
func NewRangeDoc(ecosystem, constraint string) RangeDoc {
	return RangeDoc{Schema: "molt/range/1", Ecosystem: ecosystem, Constraint: constraint, Admits: []string{}, Refuses: []string{}}
}

// Published puts the releases of a package into the document.
func (doc *RangeDoc) Published(name string, p *universe.Package, set version.Set) {
	doc.Of = name
	bounded := true
	if c, err := p.Scheme.Constrain(doc.Constraint); err == nil {
		bounded = c.Bounded()
	}
	doc.Bounded = &bounded
	at := map[string]int{} // lanes by major
	var admitted []version.Set
	for i, v := range p.Versions() {
		major := p.Scheme.Major(v)
		k, ok := at[major]
		if !ok {
			k = len(doc.lanes)
			at[major] = k
			doc.lanes, admitted = append(doc.lanes, lane{major: major}), append(admitted, version.NewSet(len(p.Releases)))
		}
		l := &doc.lanes[k]
		l.of++
		if set.Has(i) {
			doc.Admits = append(doc.Admits, v.String())
			admitted[k].Add(i)
			l.admitted++
			l.marks += "#"
			if p.Releases[i].Deprecated == "" && !v.Prerelease() {
				doc.Today = v.String()
			}
			continue
		}
		doc.Refuses = append(doc.Refuses, v.String())
		if v.Prerelease() {
			l.hidden++
			continue
		}
		l.marks += "."
		if last := set.Max(); doc.Refused == "" && last >= 0 && i > last {
			doc.Refused = v.String()
		}
	}
	for k := range doc.lanes {
		doc.lanes[k].runs = p.Versions().Describe(admitted[k])
	}
	if last := set.Max(); doc.Today == "" && last >= 0 {
		doc.Today = p.Releases[last].Version.String()
	}
}

// Advise puts advice into the document; nil for none that is needed.
func (doc *RangeDoc) Advise(a *inspect.Advice) {
	doc.Advice = &AdviceDoc{doc.Constraint, "it admits the newest release that resolves with the rest, and stops before the next major", false}
	if a != nil {
		doc.Advice = &AdviceDoc{a.Constraint, a.Reason, a.Breaking}
	}
}

// Range prints what a constraint admits and refuses.
func (p *Page) Range(doc RangeDoc) {
	if doc.Of != "" {
		p.lanes(doc)
		return
	}
	for _, part := range []struct {
		word     string
		versions []string
		cell     cell
	}{{"admits", doc.Admits, cell{style: &good}}, {"refuses", doc.Refuses, cell{style: &faint}}} {
		text := strings.Join(part.versions, "  ")
		if text == "" {
			text = "none of them"
		}
		for i, l := range wrap(text, p.Width-9) {
			word := part.word
			if i > 0 {
				word = ""
			}
			p.Line("%-8s %s", word, p.styled(*part.cell.style, l))
		}
	}
}

// legend says what the marks of the lanes mean.
func (doc RangeDoc) legend() string {
	hidden := 0
	for _, l := range doc.lanes {
		hidden += l.hidden
	}
	text := "  # admitted   . refused"
	if hidden > 0 {
		text += fmt.Sprintf("   %s, refused, not drawn", count(hidden, "preview"))
	}
	return text
}

// lanes draws a line of marks for each major: # for a release that is admitted, . for one that is not. Previews that are
// not admitted are only counted.
func (p *Page) lanes(doc RangeDoc) {
	if len(doc.Admits) == 0 {
		p.verdict(bad, fmt.Sprintf("%s admits none of the %s of %s.", doc.Constraint, count(len(doc.Refuses), "release"), doc.Of))
	} else {
		p.verdict(good, fmt.Sprintf("%s of %s is %s today: it admits %d of %s.", doc.Constraint, doc.Of, doc.Today, len(doc.Admits),
			count(len(doc.Admits)+len(doc.Refuses), "release")))
	}
	wide, label := 0, 0
	for _, l := range doc.lanes {
		wide, label = max(wide, len(l.marks)), max(label, len(l.major))
	}
	wide = min(wide, max(20, p.Width-label-40))
	for _, l := range doc.lanes {
		style, note := &faint, "none of "+strconv.Itoa(l.of-l.hidden)
		if l.of == l.hidden {
			note = count(l.hidden, "preview") + ", refused"
		}
		if l.admitted > 0 {
			style, note = &good, fmt.Sprintf("%d of %d: %s", l.admitted, l.of-l.hidden, l.runs)
		}
		if l.admitted == l.of-l.hidden && l.admitted > 0 {
			note = fmt.Sprintf("all %d: %s", l.admitted, l.runs)
		}
		for at := 0; at < max(1, len(l.marks)); at += wide {
			part := l.marks[at:min(at+wide, len(l.marks))]
			major := l.major
			if at > 0 {
				major, note = "", ""
			}
			pad := blanks(wide - len(part))
			for k, text := range wrap(note, p.Width-label-wide-6) {
				if k == 0 {
					p.Line("  %*s  %s%s  %s", label, major, p.styled(*style, part), pad, text)
				} else {
					p.Line("  %*s  %*s  %s", label, "", wide, "", text)
				}
			}
		}
	}
	p.Line("%s", p.styled(faint, doc.legend()))
	switch {
	case doc.Refused != "":
		p.Line("The first release above that it refuses is %s.", doc.Refused)
	case doc.Bounded != nil && !*doc.Bounded:
		p.wrapped("", "It has no upper end: every later release will be admitted, whatever it breaks.")
	}
	if doc.Advice == nil {
		return
	}
	switch {
	case doc.Advice.Constraint == doc.Constraint:
		p.wrapped("", fmt.Sprintf("%s can stay: %s.", doc.Constraint, doc.Advice.Reason))
	case doc.Advice.Breaking:
		p.wrapped("", fmt.Sprintf("Across a major: %s. %s.", doc.Advice.Constraint, doc.Advice.Reason))
	default:
		p.wrapped("", fmt.Sprintf("Better: %s. %s.", doc.Advice.Constraint, doc.Advice.Reason))
	}
}

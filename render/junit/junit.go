// Package junit writes the verdicts of checks as the XML that tools for continuous integration read
// as results of tests.
package junit

import (
	"encoding/xml"
	"fmt"
	"io"
	"strings"

	"molt/doc"
	"molt/input"
)

type suites struct {
	XMLName xml.Name `xml:"testsuites"`
	Name    string   `xml:"name,attr"`
	Suites  []suite  `xml:"testsuite"`
}

type suite struct {
	Name     string  `xml:"name,attr"`
	Tests    int     `xml:"tests,attr"`
	Failures int     `xml:"failures,attr"`
	Skipped  int     `xml:"skipped,attr"`
	Time     string  `xml:"time,attr"`
	Cases    []check `xml:"testcase"`
}

type check struct {
	Name    string   `xml:"name,attr"`
	Class   string   `xml:"classname,attr"`
	Time    string   `xml:"time,attr"`
	Failure *failure `xml:"failure,omitempty"`
	Skipped *skipped `xml:"skipped,omitempty"`
}

type failure struct {
	Message string `xml:"message,attr"`
	Text    string `xml:",chardata"`
}

type skipped struct {
	Message string `xml:"message,attr"`
}

// Step writes the checks of a stage that was carried out.
func Step(w io.Writer, d doc.Step) error {
	all := []suite{}
	if len(d.Before) > 0 {
		all = append(all, suiteOf("before", d.Before, ""))
	}
	return write(w, append(all, suiteOf(d.Stage.ID, d.Checks, d.Unchecked)))
}

// Verify writes a verification: a case for each thing that was looked at, with what was found about it.
func Verify(w io.Writer, d doc.Verify) error {
	s := suite{Name: "verify", Time: "0.000"}
	for _, about := range d.Looked {
		c := check{Name: about, Class: "molt.verify", Time: "0.000"}
		var says []string
		for _, f := range d.Findings {
			if f.About == about {
				says = append(says, f.Says.Words)
			}
		}
		if says != nil {
			c.Failure = &failure{Message: input.Harmless(says[0]), Text: input.Harmless(strings.Join(says, "\n"))}
			s.Failures++
		}
		s.Cases = append(s.Cases, c)
	}
	s.Tests = len(s.Cases)
	return write(w, []suite{s})
}

// Trial writes the checks of stages that were tried.
func Trial(w io.Writer, d doc.TrialRun) error {
	all := []suite{}
	if len(d.Before) > 0 {
		all = append(all, suiteOf("before", d.Before, ""))
	}
	for _, t := range d.Each {
		all = append(all, suiteOf(t.Stage, t.Checks, t.Says))
	}
	if len(d.Each) == 0 && len(d.Stages) > 0 {
		all = append(all, suiteOf(d.Stages[len(d.Stages)-1], d.Checks, d.Unchecked))
	}
	return write(w, all)
}

// suiteOf makes a suite of checks. One that failed before the stage as well is no failure of the stage.
func suiteOf(stage string, checks []doc.Check, unchecked string) suite {
	s := suite{Name: stage}
	total := 0.0
	for _, c := range checks {
		one := check{Name: input.OneLine(c.Name), Class: stage, Time: fmt.Sprintf("%.3f", c.Seconds)}
		total += c.Seconds
		switch {
		case c.Passed:
		case c.Before:
			one.Skipped = &skipped{"failed before the stage too: " + input.OneLine(c.Says)}
			s.Skipped++
		default:
			one.Failure = &failure{input.OneLine(c.Says), "whole output: " + c.Log}
			s.Failures++
		}
		s.Cases = append(s.Cases, one)
	}
	if unchecked != "" {
		s.Cases = append(s.Cases, check{
			Name: "checks", Class: stage, Time: "0.000", Skipped: &skipped{input.OneLine(unchecked)}})
		s.Skipped++
	}
	s.Tests, s.Time = len(s.Cases), fmt.Sprintf("%.3f", total)
	return s
}

func write(w io.Writer, all []suite) error {
	data, err := xml.MarshalIndent(suites{Name: "molt", Suites: all}, "", "  ")
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(w, "%s%s\n", xml.Header, data)
	return err
}

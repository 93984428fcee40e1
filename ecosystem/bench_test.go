package ecosystem_test

import (
	"context"
	"fmt"
	"testing"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/js"
)

// wide makes a lock in which one package needs all others, which all have the framework as a peer.
func wide(count int) *ecosystem.Lock {
	edge := func(name string) solve.Edge {
		return solve.Edge{Name: name, Package: name, Constraint: "^1.0.0", To: name + "@1.0.0"}
	}
	block := func(name string) ecosystem.LockedPackage {
		return ecosystem.LockedPackage{
			PURL: "pkg:npm/" + name + "@1.0.0", Integrity: "sha512-AA==", Source: name + "/-/" + name + ".tgz",
			Node: solve.Node{ID: name + "@1.0.0", Name: name, Version: "1.0.0"}}
	}
	l := &ecosystem.Lock{Ecosystem: "js", Packages: []ecosystem.LockedPackage{block("anchor"), block("brackwater")}}
	for _, name := range []string{"anchor", "brackwater"} {
		root := edge(name)
		root.Group = "dependencies"
		l.Roots = append(l.Roots, root)
	}
	for i := range count {
		name := fmt.Sprintf("cable%06d", i)
		l.Packages[0].Needs = append(l.Packages[0].Needs, edge(name))
		p := block(name)
		p.Peers = []solve.Edge{edge("brackwater")}
		l.Packages = append(l.Packages, p)
	}
	return l
}

// Reading a lock and verifying it takes a time that grows with its length: the figure a block stays about the same.
func BenchmarkLock(b *testing.B) {
	for _, count := range []int{1_000, 10_000, 100_000} {
		b.Run(fmt.Sprint(count), func(b *testing.B) {
			data := ecosystem.EncodeMoltLock(wide(count))
			for b.Loop() {
				l, err := ecosystem.DecodeMoltLock("molt.lock", data)
				if err != nil {
					b.Fatal(err)
				}
				table, err := l.Universe(js.JS{})
				if err != nil {
					b.Fatal(err)
				}
				p := solve.Problem{}
				for _, r := range l.Roots {
					p.Roots = append(p.Roots, solve.Root{
						Group: r.Group, Demand: universe.Demand{As: r.Name, Package: r.Package, Text: r.Constraint}})
				}
				if err := solve.Verify(context.Background(), table, p, l.Resolution()); err != nil {
					b.Fatal(err)
				}
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*count), "ns/block")
		})
	}
}

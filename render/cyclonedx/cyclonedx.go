// Package cyclonedx writes what a lock holds as a bill of materials, CycloneDX (ECMA-424).
package cyclonedx

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"strings"

	cdx "github.com/CycloneDX/cyclonedx-go"

	"github.com/github/go-spdx/v2/spdxexp"

	"molt/core/project"
	"molt/doc"
)

// algorithms are those of subresource integrity, as CycloneDX names them.
var algorithms = map[string]cdx.HashAlgorithm{
	"sha512": cdx.HashAlgoSHA512, "sha384": cdx.HashAlgoSHA384, "sha256": cdx.HashAlgoSHA256, "sha1": cdx.HashAlgoSHA1,
	"md5": cdx.HashAlgoMD5}

// Write writes the inventory of an application, the same bytes for the same lock: there is no time
// in it, and its serial number is made of what it holds.
func Write(w io.Writer, application, version, molt string, l doc.Inventory) error {
	root := cdx.Component{BOMRef: "application", Type: cdx.ComponentTypeApplication, Name: application, Version: version}
	bom := cdx.NewBOM()
	bom.Metadata = &cdx.Metadata{Component: &root, Tools: &cdx.ToolsChoice{
		Components: &[]cdx.Component{{Type: cdx.ComponentTypeApplication, Name: "molt", Version: molt}}}}
	components, dependencies := []cdx.Component{}, []cdx.Dependency{}
	declared := []string{}
	for _, r := range l.Roots {
		declared = appendNew(declared, r.Package)
	}
	dependencies = append(dependencies, cdx.Dependency{Ref: root.BOMRef, Dependencies: &declared})
	for _, p := range l.Packages {
		c := cdx.Component{BOMRef: p.ID, Type: cdx.ComponentTypeLibrary, Name: p.Name, Version: p.Version, PackageURL: p.PURL}
		if scope, name, ok := strings.Cut(p.Name, "/"); ok && strings.HasPrefix(scope, "@") {
			c.Group, c.Name = scope, name
		}
		c.Scope = scopes[l.Purposes[p.ID]]
		if licence := l.Licences[p.ID]; licence != "" {
			c.Licenses = &cdx.Licenses{licensed(licence)}
		}
		hashes := []cdx.Hash{}
		for one := range strings.FieldsSeq(p.Integrity) {
			algorithm, text, _ := strings.Cut(one, "-")
			if sum, err := base64.StdEncoding.DecodeString(text); err == nil && algorithms[algorithm] != "" {
				hashes = append(hashes, cdx.Hash{Algorithm: algorithms[algorithm], Value: hex.EncodeToString(sum)})
			}
		}
		if len(hashes) > 0 {
			c.Hashes = &hashes
		}
		if strings.Contains(p.Source, "://") {
			c.ExternalReferences = &[]cdx.ExternalReference{{Type: cdx.ERTypeDistribution, URL: p.Source}}
		}
		components = append(components, c)
		to := []string{}
		for _, e := range append(p.Needs[:len(p.Needs):len(p.Needs)], p.Peers...) {
			to = appendNew(to, e.Package)
		}
		dependencies = append(dependencies, cdx.Dependency{Ref: p.ID, Dependencies: &to})
	}
	bom.Components, bom.Dependencies = &components, &dependencies
	content, err := json.Marshal(bom)
	if err != nil {
		return err
	}
	sum := sha256.Sum256(content)
	sum[6], sum[8] = sum[6]&0x0f|0x80, sum[8]&0x3f|0x80 // a UUID of version 8 (RFC 9562)
	bom.SerialNumber = fmt.Sprintf("urn:uuid:%x-%x-%x-%x-%x", sum[:4], sum[4:6], sum[6:8], sum[8:10], sum[10:16])
	return cdx.NewBOMEncoder(w, cdx.BOMFileFormatJSON).SetPretty(true).Encode(bom)
}

// scopes are the purposes of a package, as CycloneDX calls them: a component that is excluded is
// not there when the application runs.
var scopes = map[project.Purpose]cdx.Scope{
	project.ToRun: cdx.ScopeRequired, project.ToChoose: cdx.ScopeOptional, project.ToDevelop: cdx.ScopeExcluded}

// licensed states a licence as an SPDX identifier or an SPDX expression (SPDX 3, annex B), and what
// is neither by its name.
func licensed(text string) cdx.LicenseChoice {
	named, err := spdxexp.ExtractLicenses(text)
	valid, _ := spdxexp.ValidateLicenses([]string{text})
	switch {
	case err != nil || !valid:
		return cdx.LicenseChoice{License: &cdx.License{Name: text}}
	case len(named) == 1 && named[0] == text:
		return cdx.LicenseChoice{License: &cdx.License{ID: text}}
	}
	return cdx.LicenseChoice{Expression: text}
}

func appendNew(all []string, id *string) []string {
	if id == nil {
		return all
	}
	for _, x := range all {
		if x == *id {
			return all
		}
	}
	return append(all, *id)
}

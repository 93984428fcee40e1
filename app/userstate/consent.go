package userstate

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"molt/input"
)

// consentFile lists what the person consented to, a seal a line.
const consentFile = "consents"

// consentKind is what these seals are about.
const consentKind = "consent"

// Consents reports which of some texts the person has consented to on this machine.
func (u State) Consents(texts []string) ([]bool, error) {
	known, err := u.consents()
	if err != nil {
		return nil, err
	}
	all := make([]bool, len(texts))
	if len(known) == 0 {
		return all, nil
	}
	for i, text := range texts {
		seal, err := u.seal(false, consentKind, []byte(text))
		all[i] = err == nil && slices.Contains(known, seal)
	}
	return all, nil
}

func (u State) consents() ([]string, error) {
	dir, err := u.dir()
	if err != nil {
		return nil, err
	}
	data, err := input.ReadFile(filepath.Join(dir, consentFile), input.State)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	return strings.Fields(string(data)), err
}

// Consent notes that the person consents to some texts.
func (u State) Consent(texts []string) error {
	dir, err := u.dir()
	if err != nil {
		return err
	}
	var lines strings.Builder
	for _, text := range texts {
		seal, err := u.Seal(consentKind, []byte(text)) // which makes the folder and the key
		if err != nil {
			return err
		}
		lines.WriteString(seal + "\n")
	}
	f, err := os.OpenFile(filepath.Join(dir, consentFile), os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = f.WriteString(lines.String())
	return errors.Join(err, f.Close())
}

// Package userstate is what Molt keeps for a person on a machine, outside of all applications: the key
// by which it knows what it wrote itself, and the registries to which credentials may be sent
// though a repository named them. It is never part of a repository, so whoever writes one cannot
// forge it.
package userstate

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"molt/input"
)

// A State is found through the environment when it is asked; the zero State asks that of the process.
type State struct {
	Env func(name string) string
}

// dir returns the folder: MOLT_STATE, else "molt" in the folder where the system keeps the state of
// programs (the XDG base directory specification, and its like elsewhere).
func (u State) dir() (string, error) {
	env := u.Env
	if env == nil {
		env = os.Getenv
	}
	if dir := env("MOLT_STATE"); dir != "" {
		return dir, nil
	}
	if dir := env("XDG_STATE_HOME"); filepath.IsAbs(dir) {
		return filepath.Join(dir, "molt"), nil
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "", errors.New("there is no folder for the state of programs: set MOLT_STATE to one of your own")
	}
	switch runtime.GOOS {
	case "darwin":
		return filepath.Join(home, "Library", "Application Support", "molt"), nil
	case "windows":
		if dir := env("LocalAppData"); dir != "" {
			return filepath.Join(dir, "molt"), nil
		}
	}
	return filepath.Join(home, ".local", "state", "molt"), nil
}

const keyLength = 32

// key returns the key, which is made when there is none yet and make says so. Processes that make it at the same time
// agree on one.
func (u State) key(make bool) ([]byte, error) {
	dir, err := u.dir()
	if err != nil {
		return nil, err
	}
	file := filepath.Join(dir, "key")
	for range 2 {
		key, err := input.ReadFile(file, input.VersionFile)
		switch {
		case err == nil && len(key) == keyLength:
			return key, nil
		case err == nil:
			return nil, fmt.Errorf("%s is no key of Molt's; remove it and Molt makes a new one", file)
		case !errors.Is(err, fs.ErrNotExist) || !make:
			return nil, err
		}
		if err := makeKey(dir, file); err != nil && !errors.Is(err, fs.ErrExist) {
			return nil, fmt.Errorf("cannot keep a key of Molt's own in %s (%w); MOLT_STATE names another folder", dir, err)
		}
	}
	return nil, fmt.Errorf("%s appears and disappears while it is read, as if another program wrote it; try again", file)
}

func makeKey(dir, file string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	temp, err := os.CreateTemp(dir, "key-*") // for this user only
	if err != nil {
		return err
	}
	defer os.Remove(temp.Name())
	key := make([]byte, keyLength)
	_, _ = rand.Read(key) // it does not fail
	_, err = temp.Write(key)
	if err == nil {
		err = temp.Sync()
	}
	if err := errors.Join(err, temp.Close()); err != nil {
		return err
	}
	err = os.Link(temp.Name(), file)                // which fails when another was faster
	if err != nil && !errors.Is(err, fs.ErrExist) { // a file system without links
		err = os.Rename(temp.Name(), file)
	}
	return err
}

// Seal returns the code by which Molt knows data of a kind that it wrote for this user on this
// machine (RFC 2104). It makes the key where there is none.
func (u State) Seal(kind string, data []byte) (string, error) { return u.seal(true, kind, data) }

// Sealed reports whether data has the seal that Molt would give it. Without a key nothing has.
func (u State) Sealed(kind string, data []byte, seal string) bool {
	want, err := u.seal(false, kind, data)
	return err == nil && hmac.Equal([]byte(want), []byte(seal))
}

func (u State) seal(make bool, kind string, data []byte) (string, error) {
	key, err := u.key(make)
	if err != nil {
		return "", err
	}
	mac := hmac.New(sha256.New, key)
	mac.Write([]byte(kind + "\n"))
	mac.Write(data)
	return hex.EncodeToString(mac.Sum(nil)), nil
}

// allowedFile lists the registries to which credentials may be sent, an address a line.
const allowedFile = "registries"

// Allows reports whether the person has allowed credentials for a registry that a repository names.
func (u State) Allows(address string) (bool, error) {
	dir, err := u.dir()
	if err != nil {
		return false, err
	}
	data, err := input.ReadFile(filepath.Join(dir, allowedFile), input.VersionFile)
	return err == nil && slices.Contains(strings.Split(string(data), "\n"), address), nil
}

// Allow notes that the person does.
func (u State) Allow(address string) error {
	if allowed, err := u.Allows(address); allowed || err != nil {
		return err
	}
	dir, err := u.dir()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	f, err := os.OpenFile(filepath.Join(dir, allowedFile), os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = f.WriteString(address + "\n")
	return errors.Join(err, f.Close())
}

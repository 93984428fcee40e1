package python

import "molt/ecosystem"

// EncodeLock writes pylock.toml.
func (Python) EncodeLock(l *ecosystem.Lock) []byte { return ecosystem.EncodeMoltLock(l) }

// DecodeLock reads pylock.toml.
func (Python) DecodeLock(file string, data []byte) (*ecosystem.Lock, error) {
	return ecosystem.DecodeMoltLock(file, data)
}

package cache

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"sync"
	"time"
)

// A segment is a file of answers: a magic word, the answers one after the other, an index that is
// sorted by keys, and a tail of a fixed length with the place, the length and the checksum of the
// index. An answer is its validators, each behind its length as a varint, and its body. Numbers are
// of a fixed width, least significant byte first.
type segment struct {
	name  string
	file  *os.File
	size  int64
	index []byte // records
}

const (
	suffix     = ".answers"
	magic      = "molt/answers/4\n\x00"
	recordSize = 16 + 8 + 8 + 4*4
	tailSize   = 8 + 4 + 4 + len(magic)
)

// The flags of a record.
const (
	silent = 1 << iota
	missing
	confirmed // without an answer: that of another segment is still right
)

// A record is what the index has of an answer.
type record struct {
	key            key
	stored, offset int64 // nanoseconds since 1970; bytes
	size           uint32
	sum            uint32
	maxAge         uint32
	flags          uint32
}

func (r record) confirmed() bool { return r.flags&confirmed != 0 }

func (r record) append(to []byte) []byte {
	to = append(to, r.key[:]...)
	to = binary.LittleEndian.AppendUint64(to, uint64(r.stored))
	to = binary.LittleEndian.AppendUint64(to, uint64(r.offset))
	for _, n := range []uint32{r.size, r.sum, r.maxAge, r.flags} {
		to = binary.LittleEndian.AppendUint32(to, n)
	}
	return to
}

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

func checksum(data []byte) uint32 { return crc32.Checksum(data, castagnoli) }

var errSegment = errors.New("this is no segment of a cache")

// openSegment opens a segment and reads its index.
func openSegment(file string) (*segment, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	s := &segment{name: filepath.Base(file), file: f}
	if err := s.open(); err != nil {
		f.Close()
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return s, nil
}

func (s *segment) open() error {
	info, err := s.file.Stat()
	if err != nil {
		return err
	}
	s.size = info.Size()
	head, tail := make([]byte, len(magic)), make([]byte, tailSize)
	if s.size < int64(len(magic)+tailSize) || !info.Mode().IsRegular() {
		return errSegment
	}
	if _, err := s.file.ReadAt(head, 0); err != nil {
		return err
	}
	if _, err := s.file.ReadAt(tail, s.size-tailSize64); err != nil {
		return err
	}
	at, length := int64(binary.LittleEndian.Uint64(tail)), int64(binary.LittleEndian.Uint32(tail[8:]))
	if string(head) != magic || string(tail[16:]) != magic || at < int64(len(magic)) || length%recordSize != 0 ||
		at+length != s.size-tailSize64 {
		return errSegment
	}
	s.index = make([]byte, length)
	if _, err := s.file.ReadAt(s.index, at); err != nil {
		return err
	}
	if checksum(s.index) != binary.LittleEndian.Uint32(tail[12:]) {
		return errSegment
	}
	return nil
}

const tailSize64 = int64(tailSize)

func (s *segment) len() int { return len(s.index) / recordSize }

func (s *segment) record(i int) record {
	b := s.index[i*recordSize : (i+1)*recordSize]
	u32, u64 := binary.LittleEndian.Uint32, binary.LittleEndian.Uint64
	return record{key(b[:16]), int64(u64(b[16:])), int64(u64(b[24:])), u32(b[32:]), u32(b[36:]), u32(b[40:]), u32(b[44:])}
}

func (s *segment) find(k key) (record, bool) {
	i := sort.Search(s.len(), func(i int) bool {
		return bytes.Compare(s.index[i*recordSize:i*recordSize+16], k[:]) >= 0
	})
	if i == s.len() {
		return record{}, false
	}
	r := s.record(i)
	return r, r.key == k
}

// raw reads the bytes of an answer for the time of a call.
func (s *segment) raw(r record, use func(data []byte)) bool {
	if r.offset < int64(len(magic)) || r.offset+int64(r.size) > s.size {
		return false
	}
	buffer := buffers.Get().(*[]byte)
	defer buffers.Put(buffer)
	*buffer = slices.Grow((*buffer)[:0], int(r.size))[:r.size]
	if _, err := s.file.ReadAt(*buffer, r.offset); err != nil || checksum(*buffer) != r.sum {
		return false
	}
	use(*buffer)
	return true
}

var buffers = sync.Pool{New: func() any { return new([]byte) }}

// read reads an answer; its times are those of its own record.
func (s *segment) read(r record) (*Entry, bool) {
	e := &Entry{Stored: time.Unix(0, r.stored), MaxAge: int(r.maxAge), Silent: r.flags&silent != 0,
		Missing: r.flags&missing != 0}
	whole := false
	read := s.raw(r, func(data []byte) {
		for _, text := range []*string{&e.ETag, &e.Modified} {
			n, k := binary.Uvarint(data)
			if k <= 0 || n > uint64(len(data)-k) {
				return
			}
			*text, data = string(data[k:k+int(n)]), data[k+int(n):]
		}
		e.Body, whole = string(data), true
	})
	return e, read && whole
}

// A writer puts a segment together.
type writer struct {
	out     *bufio.Writer
	at      int64
	records []record
}

// write makes a segment under a temporary name, and renames it when it is whole.
func write(dir string, fill func(*writer) error) (*segment, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	f, err := os.CreateTemp(dir, partPrefix+"*")
	if err != nil {
		return nil, err
	}
	temp := f.Name()
	w := &writer{out: bufio.NewWriterSize(f, 1<<16)}
	w.put([]byte(magic))
	err = fill(w)
	if err == nil {
		err = w.finish()
	}
	if closed := f.Close(); err == nil {
		err = closed
	}
	file := filepath.Join(dir, fmt.Sprintf("%x-%s%s", time.Now().UnixNano(), filepath.Base(temp)[len(partPrefix):],
		suffix))
	if err == nil {
		err = os.Rename(temp, file)
	}
	if err != nil {
		os.Remove(temp)
		return nil, err
	}
	return openSegment(file)
}

const partPrefix = "part-"

func (w *writer) put(data []byte) {
	_, _ = w.out.Write(data) // Flush has the error
	w.at += int64(len(data))
}

func (w *writer) add(k key, e Entry, confirms bool) error {
	r := record{key: k, stored: e.Stored.UnixNano(), maxAge: uint32(e.MaxAge)}
	if e.Silent {
		r.flags |= silent
	}
	if e.Missing {
		r.flags |= missing
	}
	if confirms {
		r.flags |= confirmed
		return w.addRaw(r, nil)
	}
	var data []byte
	for _, text := range []string{e.ETag, e.Modified} {
		data = append(binary.AppendUvarint(data, uint64(len(text))), text...)
	}
	return w.addRaw(r, append(data, e.Body...))
}

// addRaw adds an answer of which the bytes are known, and where they are is not.
func (w *writer) addRaw(r record, data []byte) error {
	if uint64(len(data)) > 1<<32-1 {
		return errors.New("an answer that is too large to be kept")
	}
	r.offset, r.size, r.sum = w.at, uint32(len(data)), checksum(data)
	w.put(data)
	w.records = append(w.records, r)
	return nil
}

func (w *writer) finish() error {
	slices.SortFunc(w.records, func(a, b record) int { return bytes.Compare(a.key[:], b.key[:]) })
	var index []byte
	for _, r := range w.records {
		index = r.append(index)
	}
	tail := binary.LittleEndian.AppendUint64(nil, uint64(w.at))
	tail = binary.LittleEndian.AppendUint32(tail, uint32(len(index)))
	tail = binary.LittleEndian.AppendUint32(tail, checksum(index))
	w.put(index)
	w.put(append(tail, magic...))
	return w.out.Flush()
}

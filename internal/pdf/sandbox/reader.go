package sandbox

import (
	"errors"
	"io"

	"incipit/internal/pdf/wire"
)

const blockSize = 64 << 10 // bytes asked for at once

// errSource marks bytes that the owner could not deliver.
var errSource = errors.New("the file's bytes could not be read")

// remoteFile reads a document through its owner, in blocks, and keeps the
// blocks it used last.
type remoteFile struct {
	size   int64
	skip   int64 // bytes before the file's header, which are passed over
	at     int64
	fetch  func(wire.Need) ([]byte, error)
	blocks map[int64][]byte
	order  []int64
	most   int // blocks that are kept
	failed error
}

func newRemoteFile(size int64, most int, fetch func(wire.Need) ([]byte, error)) *remoteFile {
	return &remoteFile{size: size, fetch: fetch, blocks: map[int64][]byte{}, most: max(most, 1)}
}

func (f *remoteFile) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += f.at
	case io.SeekEnd:
		offset += f.size - f.skip
	}
	if offset < 0 {
		return 0, errors.New("seek before the start")
	}
	f.at = offset
	return offset, nil
}

func (f *remoteFile) Read(p []byte) (int, error) {
	at := f.at + f.skip
	if at >= f.size {
		return 0, io.EOF
	}
	block, err := f.block(at / blockSize)
	if err != nil {
		f.failed = err
		return 0, err
	}
	within := int(at % blockSize)
	if within >= len(block) {
		return 0, io.ErrUnexpectedEOF
	}
	n := copy(p, block[within:])
	f.at += int64(n)
	return n, nil
}

// ReadAt reads from an offset behind the file's header.
func (f *remoteFile) ReadAt(p []byte, at int64) (int, error) {
	got := 0
	for got < len(p) {
		here := at + f.skip + int64(got)
		if here >= f.size {
			return got, io.EOF
		}
		block, err := f.block(here / blockSize)
		if err != nil {
			f.failed = err
			return got, err
		}
		within := int(here % blockSize)
		if within >= len(block) {
			return got, io.ErrUnexpectedEOF
		}
		got += copy(p[got:], block[within:])
	}
	return got, nil
}

func (f *remoteFile) block(i int64) ([]byte, error) {
	if b, ok := f.blocks[i]; ok {
		return b, nil
	}
	need := wire.Need{Offset: i * blockSize, Length: int(min(blockSize, f.size-i*blockSize))}
	b, err := f.fetch(need)
	if err != nil {
		return nil, err
	}
	if len(f.order) >= f.most {
		delete(f.blocks, f.order[0])
		f.order = f.order[1:]
	}
	f.blocks[i], f.order = b, append(f.order, i)
	return b, nil
}

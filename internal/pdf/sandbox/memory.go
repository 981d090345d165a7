package sandbox

import (
	"syscall"

	"github.com/tetratelabs/wazero/experimental"
)

// reserved is the memory of the module: address space for all it may ever
// have, set aside once, of which the part in use becomes real as it is touched.
// Growing copies nothing, so that a file cannot make a worker hold its memory
// twice or three times. It also tells what an engine cannot: whether more was
// asked for than there is.
type reserved struct {
	most   uint64
	all    []byte
	used   uint64
	denied bool
}

// Allocate sets the memory aside. It implements experimental.MemoryAllocator;
// what the module would like at most is not asked.
func (r *reserved) Allocate(_, _ uint64) experimental.LinearMemory {
	all, err := syscall.Mmap(-1, 0, int(r.most), syscall.PROT_READ|syscall.PROT_WRITE,
		syscall.MAP_PRIVATE|syscall.MAP_ANON|syscall.MAP_NORESERVE)
	if err == nil {
		r.all = all
	}
	return r
}

// Reallocate gives the first size bytes, or nil where there are not so many.
func (r *reserved) Reallocate(size uint64) []byte {
	if size > uint64(len(r.all)) {
		r.denied = true
		return nil
	}
	r.used = size
	return r.all[:size:len(r.all)]
}

// Free gives the address space back.
func (r *reserved) Free() {
	if r.all != nil {
		_ = syscall.Munmap(r.all)
		r.all = nil
	}
}

// tight says whether a worker should make room for a fresh one. A module's
// memory never shrinks, and what a file that filled it leaves behind would be
// missing for the documents after it.
func (r *reserved) tight() bool { return r.denied || r.used > r.most/2 }

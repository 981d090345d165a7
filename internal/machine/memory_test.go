package machine

import (
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
)

func TestMemoryFollowsTheLeastLimit(t *testing.T) {
	file := func(s string) *fstest.MapFile { return &fstest.MapFile{Data: []byte(s)} }
	for name, x := range map[string]struct {
		files fstest.MapFS
		want  int64
	}{
		"nothing is known": {fstest.MapFS{}, 0},
		"no limit": {fstest.MapFS{"proc/meminfo": file("MemTotal: 2048 kB\n"), "proc/self/cgroup": file("0::/\n"),
			"sys/fs/cgroup/memory.max": file("max\n")}, 2 << 20},
		"a limit": {fstest.MapFS{"proc/meminfo": file("MemTotal: 4096 kB\n"),
			"proc/self/cgroup": file("0::/system.slice/incipit.service\n"),
			"sys/fs/cgroup/system.slice/incipit.service/memory.max": file("1048576\n")}, 1 << 20},
		"a limit of a group above": {fstest.MapFS{"proc/self/cgroup": file("0::/a/b\n"), "sys/fs/cgroup/a/memory.max": file("1048576\n"),
			"sys/fs/cgroup/a/b/memory.max": file("max\n")}, 1 << 20},
		"seen from in a container": {fstest.MapFS{"proc/self/cgroup": file("0::/\n"), "sys/fs/cgroup/memory.max": file("524288\n")},
			512 << 10},
		"version 1": {fstest.MapFS{"proc/self/cgroup": file("7:memory:/docker/x\n1:name=systemd:/\n"),
			"sys/fs/cgroup/memory/docker/x/memory.limit_in_bytes": file("1048576\n")}, 1 << 20},
		"no limit, as version 1 says": {fstest.MapFS{"proc/meminfo": file("MemTotal: 1024 kB\n"), "proc/self/cgroup": file("7:memory:/\n"),
			"sys/fs/cgroup/memory/memory.limit_in_bytes": file("9223372036854771712\n")}, 1 << 20},
	} {
		assert.Equal(t, x.want, memory(x.files), name)
	}
	assert.Positive(t, Memory())
	assert.GreaterOrEqual(t, OutOfMemory(), int64(0))
}

// However much there is: everybody has what is needed, and where there is enough
// for that, no more is planned than there is.
func TestSharesFit(t *testing.T) {
	for mib := int64(128); mib < 40_000; mib += 37 {
		for _, cores := range []int{1, 2, 8, 64} {
			p := Share(mib<<20, cores)
			assert.GreaterOrEqual(t, p.Workers, 1)
			assert.LessOrEqual(t, p.Workers, max(cores+1, 2))
			assert.GreaterOrEqual(t, p.Worker, Least)
			assert.LessOrEqual(t, p.Worker, Most)
			if mib >= leastServer+Least {
				assert.LessOrEqual(t, int64(p.Server+p.Workers*p.Worker+p.Rooms*p.Room), mib, "%d MiB, %d cores: %+v", mib, cores, p)
			}
		}
	}
	assert.Equal(t, Plan{Workers: 1, Worker: 272, Server: 240}, Share(512<<20, 1))
	assert.Equal(t, Plan{Workers: 1, Worker: 448, Server: 256, Rooms: 1, Room: 320}, Share(1024<<20, 1), "LibreOffice has its place from here on")
	assert.Zero(t, Share(1023<<20, 1).Rooms)
	assert.Equal(t, Plan{Workers: 3, Worker: 704, Server: 1024, Rooms: 2, Room: 1024}, Share(0, 2))
	assert.Equal(t, Plan{Workers: 3, Worker: 704, Server: 1024, Rooms: 2, Room: 1024}, Share(24<<30, 2))
}

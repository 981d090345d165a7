package machine

// Plan is how the memory that there is (MiB) is shared out: among the server,
// which keeps what readers ask for most, and workers, each of which must be able
// to hold a page and what it is drawn from.
type Plan struct {
	Workers int
	Worker  int // MiB of one
	Server  int // MiB
	// Rooms is how many programs of the machine (that make PDFs of office documents, or read
	// pictures) run at once, and Room how many MiB each may fill. On a small machine there
	// are none.
	Rooms, Room int
}

// Bounds of a plan, in MiB. Less than Least for a worker does not hold a page of
// a poster; more than Most serves no file that is not made to do harm.
const (
	Least       = 256
	Most        = 704
	comfortable = 384
	leastServer = 240
	mostServer  = 1024
	leastRoom   = 320 // LibreOffice fills 220 for a page of text
	mostRoom    = 1024
	roomsFrom   = 1024 // MiB of a machine that has any
	mostRooms   = 2
)

// Share plans for memory bytes, 0 if that is not known, and so many processors.
func Share(memory int64, cores int) Plan {
	p := Plan{Workers: max(cores+1, 2), Worker: Most, Server: mostServer, Rooms: mostRooms, Room: mostRoom}
	if memory <= 0 {
		return p
	}
	all := int(memory >> 20)
	p.Server = min(max(all/4, leastServer), mostServer)
	p.Rooms, p.Room = 0, 0
	if all >= roomsFrom {
		p.Room = min(max(all/6, leastRoom), mostRoom)
		p.Rooms = min(max(all/3/p.Room, 1), mostRooms)
	}
	left := all - p.Server - p.Rooms*p.Room
	p.Workers = max(min(p.Workers, left/comfortable), 1)
	p.Worker = min(max(left/p.Workers, Least), Most)
	return p
}

// Package share says whose turn it is where many want the same few things.
//
// Engine workers, database connections and searches are few, and who asks for
// them are strangers. The rule is that of fair queueing (Demers, Keshav and
// Shenker, "Analysis and simulation of a fair queueing algorithm", SIGCOMM
// 1989), in its simplest form: next is the one whose document and whose origin
// have had least lately. A crowd at one document, or of one origin, waits among
// itself. Where the line is full, the one who has had most gives way.
package share

import "context"

// Class says how urgent something is; less is sooner.
type Class int

// The classes, in the order in which they are served.
const (
	Now   Class = iota // somebody looks at it, or has just sent it
	Soon               // a new document is examined
	Later              // what is made in advance: measuring, weighing, reading its text
)

// Asker is who waits, and for what.
type Asker struct {
	Document string // or whatever the work is about
	Origin   string // where the request came from; "" is the house itself
	Class    Class
}

type originKey struct{}
type classKey struct{}

// From notes in a context where a request came from.
func From(ctx context.Context, origin string) context.Context {
	return context.WithValue(ctx, originKey{}, origin)
}

// Origin gives where a request came from, or "" for the house's own work.
func Origin(ctx context.Context) string {
	o, _ := ctx.Value(originKey{}).(string)
	return o
}

// As notes in a context how urgent what is done under it is.
func As(ctx context.Context, c Class) context.Context { return context.WithValue(ctx, classKey{}, c) }

// ClassOf gives it; what nobody noted is Now.
func ClassOf(ctx context.Context) Class {
	c, _ := ctx.Value(classKey{}).(Class)
	return c
}

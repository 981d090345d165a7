// What the scripts rely on beside what browsers say of themselves: a script finds the
// elements that its own page wrote, and knows what they are.
interface EventTarget { [member: string]: any }
interface Element { [member: string]: any }
interface Event { [member: string]: any }
interface PerformanceEntry { [member: string]: any }

/** A screen of the desk: Alpine adds to it what begins with $. */
interface Component { [member: string]: any }

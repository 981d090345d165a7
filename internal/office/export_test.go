package office

import "time"

// Within sets the work after which a conversion makes way for others, and that which it may
// take in all.
func (c *Converter) Within(soon, most time.Duration) { c.soon, c.most = soon, most }

package press

// Waiting counts who waits for what is being made.
func (p *Press) Waiting() int {
	p.flights.mu.Lock()
	defer p.flights.mu.Unlock()
	all := 0
	for _, one := range p.flights.all {
		all += one.waiting
	}
	return all
}

package plain

// Opening is what a file says of how it wants to be opened (ISO 32000-2, 7.7.2 and
// 12.2). What it does not say is "".
type Opening struct {
	Place     Destination
	Layout    Name // SinglePage, OneColumn, TwoColumnLeft, TwoColumnRight, TwoPageLeft, TwoPageRight
	Mode      Name // UseNone, UseOutlines, UseThumbs, FullScreen, UseOC, UseAttachments
	Direction Name // L2R or R2L
	Titled    bool // its title is to be shown, not its file's name
}

// Opening reads it.
func (f *File) Opening() Opening {
	c := f.catalog()
	prefs := f.dict(c["ViewerPreferences"])
	name := func(v Value) Name {
		n, _ := f.resolved(v).(Name)
		return n
	}
	o := Opening{Layout: name(c["PageLayout"]), Mode: name(c["PageMode"]), Direction: name(prefs["Direction"])}
	o.Titled, _ = f.resolved(prefs["DisplayDocTitle"]).(bool)
	switch a := f.resolved(c["OpenAction"]).(type) {
	case []Value:
		o.Place = f.Destination(a)
	case Dict:
		o.Place = f.target(Dict{"A": a}).Place
	}
	return o
}

package proof

import "incipit/internal/core/setting"

// Kind names what a gloss is about.
type Kind string

// The kinds, in the order they are told when they weigh the same.
const (
	Room     Kind = "room"     // there is hardly any room for pages
	Column   Kind = "column"   // the frame is wider than its column
	Body     Kind = "body"     // how the body text reads
	Smallest Kind = "smallest" // how the smallest text reads
	Contrast Kind = "contrast" // the placement's own colours
	Turning  Kind = "turning"  // pages that nobody can turn
	Sideways Kind = "sideways" // pages wider than the frame
	Scroll   Kind = "scroll"   // a scroll inside a scroll on a phone
	Window   Kind = "window"   // a frame taller than the window
	First    Kind = "first"    // how much of page 1 shows
	Tools    Kind = "tools"    // tools that do not fit
	Tiles    Kind = "tiles"    // tiles that stand alone in their line
	Order    Kind = "order"    // the side the pages begin at
	Tree     Kind = "tree"     // a structure that leaves text out
	Load     Kind = "load"     // bytes before page 1 can be read
	Space    Kind = "space"    // room kept before the document arrives
	Take     Kind = "take"     // what readers may take
	Small    Kind = "small"    // a frame that leaves most of its column empty
	Mixed    Kind = "mixed"    // pages that look small beside wider ones
	Large    Kind = "large"    // type that a wide window makes larger than it needs
	Invited  Kind = "invited"  // who a guarded document is shut to
	Unseen   Kind = "unseen"   // what those get who cannot see the pages
)

// Weight of a finding.
const (
	MustFix  = "must"
	TakeCare = "care"
	InOrder  = "order"
)

// Rank orders weights: the higher, the worse.
func Rank(weight string) int { return map[string]int{MustFix: 2, TakeCare: 1}[weight] }

// Spot is where a gloss points: CSS px from the top left corner of the frame's
// outer box, at opening.
type Spot struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// Gloss is one finding.
type Gloss struct {
	Kind  Kind   `json:"kind"`
	Level string `json:"level"` // MustFix, TakeCare or InOrder
	Spot  Spot   `json:"spot"`
	Title string `json:"title"`
	Text  string `json:"text"`
	Fixes []Fix  `json:"fixes"`
}

// Fix is a change of settings that makes a gloss go or come in order, on the
// screen it was found on. Words is a verb with its figure. Cost says what gets
// worse by it, on any of the screens, or is empty.
type Fix struct {
	Words string        `json:"words"`
	Set   setting.Patch `json:"set"`
	Cost  string        `json:"cost"`
	Worse []Worse       `json:"worse"`
}

// Worse is a gloss that a fix makes worse on a screen.
type Worse struct {
	Kind   Kind   `json:"kind"`
	Screen string `json:"screen"`
	Title  string `json:"title"`
}

// Find gives the gloss of a kind.
func (v View) Find(k Kind) (Gloss, bool) {
	for _, g := range v.Glosses {
		if g.Kind == k {
			return g, true
		}
	}
	return Gloss{}, false
}

// Heavier gives the glosses of v that weigh more than they did before: what got
// worse. Asked the other way round it is what got better.
func (v View) Heavier(before View) []Gloss {
	var out []Gloss
	for _, g := range v.Glosses {
		was, _ := before.Find(g.Kind)
		if Rank(g.Level) > Rank(was.Level) {
			out = append(out, g)
		}
	}
	return out
}

// Worst is the heaviest gloss of a view, the first of them; its weight is
// InOrder where nothing is wrong.
func (v View) Worst() Gloss {
	worst := Gloss{Level: InOrder, Title: "All in order"}
	for _, g := range v.Glosses {
		if Rank(g.Level) > Rank(worst.Level) {
			worst = g
		}
	}
	return worst
}

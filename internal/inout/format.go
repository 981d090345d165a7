// Package inout writes everything that editors made into a folder that people and other
// programs can read without Incipit, and takes such a folder in: PDFs of all editions,
// settings as JSON (RFC 8259), categories as CSV (RFC 4180), web pages as HTML. It is
// another thing than a backup (see package backup): it knows neither accounts nor who did
// what when, and it can be taken into an installation that has documents already.
//
//	export.json               what it is, and the SHA-256 of every file
//	documents.csv             number, title, description, language, categories
//	documents/N/document.json a document, its editions and placements
//	documents/N/edition-M.pdf the file that came as edition M
//	collections/N.json        a collection, whose items are numbers of placements
//	web-pages/N.json          a web page as it is published, and its draft
//	web-pages/N.html          the same as its readers get it
//	pictures/N.json           a picture on web pages; pictures/N-WIDTH are its bytes
//	house-style.json, site-frame.json
package inout

import (
	"time"

	"incipit/internal/core/collection"
	"incipit/internal/core/proof"
	"incipit/internal/core/revisit"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/library"
	"incipit/internal/publishing"
)

// Format is the number of this format; a program reads no newer one than its own.
const Format = 1

// Manifest says what a folder is. Files are SHA-256 by path.
type Manifest struct {
	Format int               `json:"format"`
	MadeAt time.Time         `json:"made_at"`
	Files  map[string]string `json:"files"`
}

// Document is one document. Numbers are those of the installation that it was in.
type Document struct {
	Number      int64       `json:"number"`
	Title       string      `json:"title"`
	Description string      `json:"description"`
	Language    string      `json:"language"` // that an editor said it is in
	WriteIn     bool        `json:"write_in"` // what is said of it is written into its download
	Categories  []string    `json:"categories"`
	InForce     int         `json:"in_force"` // the number of the edition that readers see
	Editions    []Edition   `json:"editions"`
	Placements  []Placement `json:"placements"`
	From        *From       `json:"from,omitempty"`
}

// From is the address that its file comes from.
type From struct {
	Address string       `json:"address"`
	Hours   revisit.Pace `json:"hours"` // between two looks; 0 is none
	AtOnce  bool         `json:"at_once"`
}

// Edition is one file of a document.
type Edition struct {
	Number       int             `json:"number"`
	File         string          `json:"file"` // where in the folder it is
	Name         string          `json:"name"` // as it came
	SHA256       string          `json:"sha256"`
	Alternatives map[int]string  `json:"alternatives,omitempty"` // texts for pictures, by object of the file
	Recognised   []int           `json:"recognised,omitempty"`   // pages whose text a program recognised
	RecognisedIn string          `json:"recognised_in,omitempty"`
	Opened       *library.Opened `json:"opened,omitempty"` // what was found of a file that asks for a password
	AddedAt      time.Time       `json:"added_at"`
}

// Placement is a document set on pages.
type Placement struct {
	Number    int64         `json:"number"`
	Key       string        `json:"key"` // of its address, /r/KEY
	Name      string        `json:"name"`
	StaysAt   int           `json:"stays_at"` // the number of an edition; 0 is that it follows
	Record    string        `json:"record,omitempty"`
	Starter   string        `json:"starter"`
	Reason    string        `json:"reason"`
	Draft     setting.Patch `json:"draft"` // what differs from house style
	Published *Published    `json:"published,omitempty"`
}

// Published is what readers see of a placement.
type Published struct {
	Edition  int              `json:"edition"`
	Settings setting.Settings `json:"settings"`
}

// Collection is a group of documents.
type Collection struct {
	Number  int64                 `json:"number"`
	Key     string                `json:"key"`
	Content collection.Collection `json:"content"`
}

// WebPage is a page of the house's own.
type WebPage struct {
	Number    int64         `json:"number"`
	Path      string        `json:"path"`
	Published *webpage.Page `json:"published,omitempty"`
	Draft     webpage.Page  `json:"draft"`
}

// Picture is a picture on web pages, in px.
type Picture struct {
	Number    int64  `json:"number"`
	SHA256    string `json:"sha256"`
	Name      string `json:"name"`
	Width     int    `json:"width"`
	Height    int    `json:"height"`
	MediaType string `json:"media_type"`
	Widths    []int  `json:"widths"`
	GivenOut  bool   `json:"given_out"`
}

// HouseStyle is what placements follow where they choose nothing themselves.
type HouseStyle struct {
	Settings setting.Settings `json:"settings"`
	Terms    proof.Terms      `json:"terms"`
	Sites    []proof.Site     `json:"sites"`
}

func pictureOf(p publishing.Picture) Picture {
	return Picture{p.ID, p.SHA256, p.Name, p.Width, p.Height, p.MediaType, p.Widths, p.GivenOut}
}

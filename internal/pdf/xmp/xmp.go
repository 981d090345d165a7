// Package xmp reads what a document's metadata packet (XMP, ISO 16684-1) says
// about itself: its title and its author, and under which licence it may be used.
//
// A packet is RDF/XML. A simple value stands as an element, as an attribute or
// as rdf:resource; a text in several languages is an rdf:Alt, of which the entry
// x-default, or else the first one, counts.
package xmp

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"io"
	"strings"
)

// Rights are the address of the licence or of a statement of rights, and the
// terms in words. Either may be missing. What they say is the file's word: the
// address can be anything.
type Rights struct {
	Address string
	Terms   string
}

// About is what a packet says: the title and the first author (Dublin Core), and the
// rights.
type About struct {
	Title, Author string
	Rights
}

// Management is the namespace of rights management: the identifier is the standard's own
// (ISO 16684-1, 8.5), and every file that states its rights carries it.
const Management = "http://ns.adobe.com/xap/1.0/rights/"

// name is a property: its namespace and its name.
type name = xml.Name

const (
	rdf     = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
	attrXML = "xml" // encoding/xml gives xml:lang this space
	xmlNS   = "http://www.w3.org/XML/1998/namespace"
)

// The properties, the plainest statement first: Creative Commons' and Dublin
// Core's licence, then XMP's own (ISO 16684-1, 8.5) and Dublin Core's rights.
var (
	addresses = []name{
		{Space: "http://creativecommons.org/ns#", Local: "license"}, {Space: "http://web.resource.org/cc/", Local: "license"},
		{Space: "http://purl.org/dc/terms/", Local: "license"}, {Space: Management, Local: "WebStatement"},
	}
	titles  = []name{{Space: "http://purl.org/dc/elements/1.1/", Local: "title"}}
	authors = []name{{Space: "http://purl.org/dc/elements/1.1/", Local: "creator"}}
	terms   = []name{
		{Space: Management, Local: "UsageTerms"}, {Space: "http://purl.org/dc/elements/1.1/", Local: "rights"},
	}
)

const deepest = 100

// value is what was found for a property: its text, and whether it is the one
// for every language.
type value struct {
	text  string
	every bool
}

// Read gives what a packet states; a broken one is an error.
func Read(packet []byte) (About, error) {
	found := map[name]value{}
	note := func(n name, text string, every bool) {
		if text = strings.Join(strings.Fields(text), " "); text == "" {
			return
		}
		if old, known := found[n]; !known || every && !old.every {
			found[n] = value{text, every}
		}
	}
	d := xml.NewDecoder(bytes.NewReader(packet))
	var open []xml.StartElement
	var text strings.Builder
	for {
		token, err := d.Token()
		if err == io.EOF {
			return About{first(found, titles), first(found, authors), Rights{Address: first(found, addresses), Terms: first(found, terms)}}, nil
		}
		if err != nil {
			return About{}, fmt.Errorf("read the metadata: %w", err)
		}
		switch t := token.(type) {
		case xml.StartElement:
			if len(open) >= deepest {
				return About{}, fmt.Errorf("read the metadata: more than %d elements inside each other", deepest)
			}
			open = append(open, t.Copy())
			text.Reset()
			for _, a := range t.Attr {
				switch {
				case a.Name == name{Space: rdf, Local: "resource"}:
					note(t.Name, a.Value, false)
				case t.Name == name{Space: rdf, Local: "Description"}:
					note(a.Name, a.Value, false)
				}
			}
		case xml.CharData:
			text.Write(t)
		case xml.EndElement:
			at := len(open) - 1
			property, every := open[at].Name, false
			// Property, Alt, li.
			if property == (name{Space: rdf, Local: "li"}) && at >= 2 {
				every = language(open[at]) == "x-default"
				property = open[at-2].Name
			}
			note(property, text.String(), every)
			text.Reset()
			open = open[:at]
		}
	}
}

func language(e xml.StartElement) string {
	for _, a := range e.Attr {
		if a.Name.Local == "lang" && (a.Name.Space == attrXML || a.Name.Space == xmlNS) {
			return strings.ToLower(a.Value)
		}
	}
	return ""
}

func first(found map[name]value, names []name) string {
	for _, n := range names {
		if v, ok := found[n]; ok {
			return v.text
		}
	}
	return ""
}

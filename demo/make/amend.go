package main

import (
	"bytes"
	"fmt"
	"regexp"
	"sort"
	"strconv"
)

// amended is a PDF whose objects can be changed and added to. It reads the
// plain cross-reference table (ISO 32000-2, 7.5.4) that Chromium writes, and
// writes the file anew as a whole.
type amended struct {
	objects map[int][]byte
	root    int
	info    int
}

var (
	startPattern = regexp.MustCompile(`startxref\s+(\d+)`)
	rootPattern  = regexp.MustCompile(`/Root (\d+) 0 R`)
	infoPattern  = regexp.MustCompile(`/Info (\d+) 0 R`)
	kidsPattern  = regexp.MustCompile(`(?s)/Kids \[(.*?)\]`)
	refPattern   = regexp.MustCompile(`(\d+) 0 R`)
	pagesPattern = regexp.MustCompile(`/Pages (\d+) 0 R`)
)

func amend(pdf []byte) (*amended, error) {
	start := startPattern.FindSubmatch(pdf)
	if start == nil {
		return nil, fmt.Errorf("no cross-reference table")
	}
	at, _ := strconv.Atoi(string(start[1]))
	table := pdf[at:]
	trailer := bytes.Index(table, []byte("trailer"))
	if !bytes.HasPrefix(table, []byte("xref")) || trailer < 0 {
		return nil, fmt.Errorf("not a plain cross-reference table")
	}
	a := &amended{objects: map[int][]byte{}}
	number := 0
	for _, line := range bytes.Split(table[:trailer], []byte("\n"))[1:] {
		fields := bytes.Fields(line)
		switch {
		case len(fields) == 2:
			number, _ = strconv.Atoi(string(fields[0]))
		case len(fields) == 3:
			if fields[2][0] == 'n' {
				offset, _ := strconv.Atoi(string(fields[0]))
				body := pdf[offset:]
				body = body[bytes.Index(body, []byte("obj"))+3:]
				a.objects[number] = bytes.TrimSpace(body[:endOf(body)])
			}
			number++
		}
	}
	a.root = reference(rootPattern, table[trailer:])
	a.info = reference(infoPattern, table[trailer:])
	return a, nil
}

// endOf finds where an object ends; a stream may hold anything.
func endOf(body []byte) int {
	if s := bytes.Index(body, []byte("stream\n")); s >= 0 && s < bytes.Index(body, []byte("endobj")) {
		return bytes.Index(body, []byte("\nendstream")) + len("\nendstream")
	}
	return bytes.Index(body, []byte("endobj"))
}

func reference(p *regexp.Regexp, in []byte) int {
	m := p.FindSubmatch(in)
	if m == nil {
		return 0
	}
	n, _ := strconv.Atoi(string(m[1]))
	return n
}

// pages lists the objects of the pages in order.
func (a *amended) pages() []int {
	var out []int
	var walk func(n int)
	walk = func(n int) {
		kids := kidsPattern.FindSubmatch(a.objects[n])
		if kids == nil {
			out = append(out, n)
			return
		}
		for _, m := range refPattern.FindAllSubmatch(kids[1], -1) {
			k, _ := strconv.Atoi(string(m[1]))
			walk(k)
		}
	}
	walk(reference(pagesPattern, a.objects[a.root]))
	return out
}

// add adds an object and gives its number.
func (a *amended) add(body string) int {
	n := 1
	for k := range a.objects {
		n = max(n, k+1)
	}
	a.objects[n] = []byte(body)
	return n
}

// enter puts entries at the end of a dictionary.
func (a *amended) enter(object int, entries string) {
	d := a.objects[object]
	end := bytes.LastIndex(d, []byte(">>"))
	a.objects[object] = append(append(append([]byte{}, d[:end]...), "\n"+entries...), d[end:]...)
}

func (a *amended) bytes() []byte {
	var b bytes.Buffer
	b.WriteString("%PDF-1.7\n%\xE2\xE3\xCF\xD3\n")
	var numbers []int
	for n := range a.objects {
		numbers = append(numbers, n)
	}
	sort.Ints(numbers)
	last := numbers[len(numbers)-1]
	offsets := make([]int, last+1)
	for _, n := range numbers {
		offsets[n] = b.Len()
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", n, a.objects[n])
	}
	at := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", last+1)
	for n := 1; n <= last; n++ {
		if offsets[n] == 0 {
			b.WriteString("0000000000 00000 f \n")
		} else {
			fmt.Fprintf(&b, "%010d 00000 n \n", offsets[n])
		}
	}
	fmt.Fprintf(&b, "trailer\n<</Size %d /Root %d 0 R", last+1, a.root)
	if a.info != 0 {
		fmt.Fprintf(&b, " /Info %d 0 R", a.info)
	}
	fmt.Fprintf(&b, ">>\nstartxref\n%d\n%%%%EOF\n", at)
	return b.Bytes()
}

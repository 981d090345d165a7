package reader

import (
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/access"
	"incipit/internal/pdf"
)

// layersOf reads a choice of layers from a request, in the one form that there
// is of it: numbers in order, parted by dots, "-" for none. What the file itself
// says, and nothing, is "".
func (s shown) layersOf(text string) (string, error) {
	if text == "" {
		return "", nil
	}
	if !s.allows(access.SwitchLayers) {
		return "", errNoSuchPage
	}
	all := s.edition.Facts.Layers
	var on []int
	for _, part := range strings.Split(text, ".") {
		n, err := strconv.Atoi(part)
		if text == "-" {
			break
		}
		if err != nil || n < 1 || n > len(all) || slices.Contains(on, n) {
			return "", errNoSuchPage
		}
		on = append(on, n)
	}
	slices.Sort(on)
	atFirst := true
	parts := make([]string, len(on))
	for i, n := range on {
		parts[i] = strconv.Itoa(n)
	}
	for _, l := range all {
		atFirst = atFirst && l.On == slices.Contains(on, l.Number)
	}
	switch {
	case atFirst:
		return "", nil
	case len(on) == 0:
		return "-", nil
	}
	return strings.Join(parts, "."), nil
}

// layers answers with the layers of the document, where readers are given that
// tool.
func (r *Reader) layers(c *echo.Context, s shown) error {
	s.askAgain(c)
	return c.JSON(http.StatusOK, append([]pdf.Content{}, s.edition.Facts.Layers...))
}

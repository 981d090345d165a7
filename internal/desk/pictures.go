package desk

import (
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"incipit/internal/picture"
)

// addPicture takes a picture for pages and covers.
func (d *Desk) addPicture(c *echo.Context) error {
	r := c.Request()
	r.Body = http.MaxBytesReader(c.Response(), r.Body, picture.MostBytes+64<<10)
	parts, err := r.MultipartReader()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "picture").Wrap(err)
	}
	for {
		part, err := parts.NextPart()
		if err != nil {
			return c.JSON(http.StatusUnprocessableEntity, problem{"No picture arrived. Nothing was kept; please add it again."})
		}
		if part.FormName() != "file" {
			continue
		}
		name := part.FileName()
		if runes := []rune(name); len(runes) > 120 {
			name = string(runes[:120])
		}
		p, err := picture.Take(r.Context(), d.Intake.Engine, d.Publishing, d.Blobs, name, part)
		if errors.Is(err, picture.ErrTooLarge) || errors.Is(err, picture.ErrNoImage) {
			return c.JSON(http.StatusUnprocessableEntity, problem{err.Error()})
		}
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, pictureOf(p))
	}
}

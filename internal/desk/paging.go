package desk

import (
	"fmt"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/database"
)

// paging is what a list says below itself: how many there are, and the way to the rest.
// No list ends without saying so.
type paging struct {
	Shown, All  int
	Later       string // the query of the part after this one, or ""
	Below       bool   // this is not the first part
	FirstOfList string // the query of that
}

// below is the key that a part of a list begins below, or 0.
func below(c *echo.Context) int64 { return belowIn(c, "below") }

// belowIn is below for a screen with several lists: each has a name in the query.
func belowIn(c *echo.Context, name string) int64 {
	n, err := strconv.ParseInt(c.QueryParam(name), 10, 64)
	if err != nil || n < 0 {
		return 0
	}
	return n
}

func pagingOf[T any](c *echo.Context, p database.Page[T]) paging { return pagingIn(c, "below", p) }

func pagingIn[T any](c *echo.Context, name string, p database.Page[T]) paging {
	q := url.Values{}
	for param, values := range c.QueryParams() {
		if param != name && len(values) > 0 && values[0] != "" {
			q.Set(param, values[0])
		}
	}
	out := paging{Shown: len(p.Rows), All: p.All, Below: belowIn(c, name) > 0, FirstOfList: "?" + q.Encode()}
	if p.Below > 0 {
		q.Set(name, fmt.Sprint(p.Below))
		out.Later = "?" + q.Encode()
	}
	return out
}

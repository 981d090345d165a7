package main

import "fmt"

func line(x1, y1, x2, y2 int) string {
	return fmt.Sprintf(`<path d="M%d %dL%d %d"/>`, x1, y1, x2, y2)
}

func label(x, y int, text string) string {
	return fmt.Sprintf(`<text x="%d" y="%d" text-anchor="middle">%s</text>`, x, y, text)
}

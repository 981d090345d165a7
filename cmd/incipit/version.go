package main

import (
	"net/url"
	"runtime"
	"runtime/debug"
)

// built is the revision that the program was built from, as make build says it.
var built string

// version names the program.
func version() string {
	revision := built
	if info, ok := debug.ReadBuildInfo(); ok && revision == "" {
		for _, s := range info.Settings {
			if s.Key == "vcs.revision" {
				revision = s.Value
			}
		}
	}
	if revision == "" {
		revision = "of an unknown revision"
	}
	return "incipit " + revision + ", " + runtime.Version() + " " + runtime.GOOS + "/" + runtime.GOARCH
}

// blobPlace says where bytes lie, without how it is entered.
func blobPlace(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	return u.Scheme + "://" + u.Host + u.Path
}

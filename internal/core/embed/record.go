package embed

import "strings"

// mostRecord bounds the name of a record, in bytes.
const mostRecord = 200

// CheckRecord says what is wrong with the name of an integrator's record, or "".
// It is one part of an address.
func CheckRecord(record string) string {
	if len(record) > mostRecord || strings.ContainsAny(record, "/?#\\") {
		return "A record has at most 200 letters, and none of / ? # \\."
	}
	return ""
}

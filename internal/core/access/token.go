package access

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/golang-jwt/jwt/v5"
)

// Token is what an integrator's own server signs so that one visitor may open a
// guarded document: a JSON Web Token (RFC 7519) under HMAC-SHA-256, whose header
// names the signing key (kid) and whose claims name the document's key ("doc")
// or the record it is attached to ("record"), when it ends ("exp", at most
// LongestToken ahead), and, to be used once alone, a name of its own ("jti").
type Token struct {
	KeyID  int64
	Doc    string
	Record string
	ID     string // "" may be used again until it ends
	Until  time.Time
}

// LongestToken is how long a token may hold.
const LongestToken = 12 * time.Hour

// mostAhead is how far the clock of whoever signs may be ahead of ours.
const mostAhead = time.Minute

// ErrToken is given for a token that opens nothing: forged, ended, for something
// else. Who shows it is not told which.
var ErrToken = errors.New("the token opens nothing")

type claims struct {
	Doc    string `json:"doc"`
	Record string `json:"record"`
	jwt.RegisteredClaims
}

// Read reads a token and checks who signed it and until when it holds. secret
// gives the secret of a signing key that was not withdrawn.
func Read(token string, now time.Time, secret func(keyID int64) ([]byte, error)) (Token, error) {
	var out Token
	var c claims
	var failed error
	if !strict(token) {
		return Token{}, ErrToken
	}
	_, err := jwt.ParseWithClaims(token, &c, func(t *jwt.Token) (any, error) {
		// What a token calls critical has to be understood (RFC 7515, 4.1.11), and
		// nothing is.
		if _, critical := t.Header["crit"]; critical {
			return nil, ErrToken
		}
		kid, _ := t.Header["kid"].(string)
		id, err := strconv.ParseInt(kid, 10, 64)
		if err != nil || strconv.FormatInt(id, 10) != kid { // a key has one name
			return nil, ErrToken
		}
		out.KeyID = id
		key, err := secret(id)
		if err != nil && !errors.Is(err, ErrToken) {
			failed = err
		}
		return key, err
	}, jwt.WithValidMethods([]string{"HS256"}), jwt.WithExpirationRequired(), jwt.WithTimeFunc(func() time.Time { return now }))
	if failed != nil {
		return Token{}, failed
	}
	if err != nil {
		return Token{}, fmt.Errorf("%w: %w", ErrToken, err)
	}
	out.Doc, out.Record, out.ID, out.Until = c.Doc, c.Record, c.ID, c.ExpiresAt.Time
	if c.IssuedAt != nil && c.IssuedAt.After(now.Add(mostAhead)) {
		return Token{}, ErrToken
	}
	if out.Until.After(now.Add(LongestToken)) || len(out.ID) > 200 || strings.ContainsRune(out.ID+out.Doc+out.Record, 0) {
		return Token{}, ErrToken
	}
	return out, nil
}

// strict says whether the header and the claims of a token are JSON objects in which no name
// stands twice, in whatever case, and times are numbers (RFC 7519, 2 and 4): what may be
// read in two ways is read in none.
func strict(token string) bool {
	parts := strings.Split(token, ".")
	if len(parts) != 3 {
		return false
	}
	for _, part := range parts[:2] {
		b, err := base64.RawURLEncoding.DecodeString(part)
		if err != nil || !once(b) {
			return false
		}
	}
	return true
}

// once says whether each name of a JSON object stands there once, and times are numbers.
func once(object []byte) bool {
	d := json.NewDecoder(bytes.NewReader(object))
	if open, err := d.Token(); err != nil || open != json.Delim('{') {
		return false
	}
	seen := map[string]bool{}
	for d.More() {
		name, err := d.Token()
		text, is := name.(string)
		if err != nil || !is || seen[strings.ToLower(text)] {
			return false
		}
		seen[strings.ToLower(text)] = true
		var value json.RawMessage
		if err := d.Decode(&value); err != nil {
			return false
		}
		switch strings.ToLower(text) {
		case "exp", "iat", "nbf":
			if len(value) == 0 || value[0] != '-' && (value[0] < '0' || value[0] > '9') {
				return false
			}
		}
	}
	_, err := d.Token()
	return err == nil && !d.More()
}

// Opens says whether a token is for a document: by its key, or by the record it
// is attached to.
func (t Token) Opens(doc, record string) bool {
	return t.Doc != "" && t.Doc == doc || t.Record != "" && t.Record == record
}

// Grant is the part of an address that lets who showed a token read a document:
// the signing key, when it ends, and a code (HMAC-SHA-256) over both and the
// document's key. It ends when the token does, and with its signing key.
func Grant(t Token, doc string, secret []byte) string {
	until := strconv.FormatInt(t.Until.Unix(), 36)
	id := strconv.FormatInt(t.KeyID, 36)
	return id + "." + until + "." + code(secret, doc, id, until)
}

// Until is when a grant ends, or zero where it is none.
func Until(grant string) time.Time {
	parts := strings.Split(grant, ".")
	if len(parts) != 3 {
		return time.Time{}
	}
	until, err := strconv.ParseInt(parts[1], 36, 64)
	if err != nil {
		return time.Time{}
	}
	return time.Unix(until, 0)
}

// Granted says whether a grant lets its bearer read a document now.
func Granted(grant, doc string, now time.Time, secret func(keyID int64) ([]byte, error)) (bool, error) {
	parts := strings.Split(grant, ".")
	if len(parts) != 3 {
		return false, nil
	}
	id, err := strconv.ParseInt(parts[0], 36, 64)
	if err != nil {
		return false, nil //nolint:nilerr // no grant of ours
	}
	until, err := strconv.ParseInt(parts[1], 36, 64)
	if err != nil || now.Unix() >= until {
		return false, nil //nolint:nilerr // no grant of ours
	}
	key, err := secret(id)
	if errors.Is(err, ErrToken) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	return hmac.Equal([]byte(code(key, doc, parts[0], parts[1])), []byte(parts[2])), nil
}

func code(secret []byte, parts ...string) string {
	mac := hmac.New(sha256.New, secret)
	fmt.Fprintf(mac, "grant\n%s", strings.Join(parts, "\n"))
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil)[:20])
}

package reader

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"

	"incipit/internal/pdf"
	"incipit/internal/press"
)

// A document that asks for a password asks the reader. The password goes to the
// worker that opens the file, and back to the reader sealed: with every request
// for a page the reader shows the seal, in a header and in no address. This
// process alone can open the seal, and keeps neither.

// opened is the header that carries the seal.
const opened = "Incipit-Opened"

// sealed is how long a seal holds.
const sealed = 12 * time.Hour

// mostPassword bounds what may be tried, in bytes.
const mostPassword = 200

var errLocked = errors.New("the document asks for a password")

// seals makes and reads seals.
type seals struct {
	aead            cipher.AEAD
	tries, allTries *pace // guessing takes time
}

func newSeals() (*seals, error) {
	key := make([]byte, 32)
	if _, err := rand.Read(key); err != nil {
		return nil, fmt.Errorf("make a key for seals: %w", err)
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, fmt.Errorf("make seals: %w", err)
	}
	aead, err := cipher.NewGCM(block)
	if err != nil {
		return nil, fmt.Errorf("make seals: %w", err)
	}
	return &seals{aead: aead, tries: newPace(rate.Every(2*time.Second), 5), allTries: newPace(5, 60)}, nil
}

// mayTry says whether a password may be tried now: five at once, then one every
// two seconds, for each placement and where it comes from; sixty at once, then
// five a second, for the placement as a whole.
func (s *seals) mayTry(base, from string) bool {
	return s.tries.allows(base+" "+from) && s.allTries.allows(base)
}

// seal closes a password, for one edition and for a time.
func (s *seals) seal(edition, password string, now time.Time) (string, error) {
	nonce := make([]byte, s.aead.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return "", fmt.Errorf("seal: %w", err)
	}
	text := binary.BigEndian.AppendUint64(nil, uint64(now.Add(sealed).Unix())) //nolint:gosec // a time after 1970
	return base64.RawURLEncoding.EncodeToString(s.aead.Seal(nonce, nonce, append(text, password...), []byte(edition))), nil
}

// open gives the password of a seal that was made here, for this edition, and
// still holds.
func (s *seals) open(edition, seal string, now time.Time) (string, bool) {
	b, err := base64.RawURLEncoding.DecodeString(seal)
	if err != nil || len(b) < s.aead.NonceSize() {
		return "", false
	}
	text, err := s.aead.Open(nil, b[:s.aead.NonceSize()], b[s.aead.NonceSize():], []byte(edition))
	if err != nil || len(text) < 8 || now.Unix() > int64(binary.BigEndian.Uint64(text)) { //nolint:gosec // written by seal
		return "", false
	}
	return string(text[8:]), true
}

// unlocked gives the file of a document, with the password that a request
// carries where it asks for one.
func (r *Reader) unlocked(c *echo.Context, s shown) (press.File, error) {
	file := s.file()
	if !s.edition.Locked {
		return file, nil
	}
	password, ok := r.seals.open(s.edition.SHA256, c.Request().Header.Get(opened), time.Now())
	if !ok {
		return file, errLocked
	}
	file.Password = password
	return file, nil
}

// open answers a password with a seal, where it opens the document.
func (r *Reader) open(c *echo.Context, s shown) error {
	if !s.edition.Locked {
		return errNoSuchPage
	}
	from, _, _ := net.SplitHostPort(c.Request().RemoteAddr)
	if !r.seals.mayTry(s.base, from) {
		c.Response().Header().Set("Retry-After", "2")
		return c.JSON(http.StatusTooManyRequests, map[string]string{"problem": "wait"})
	}
	var asked struct {
		Password string `json:"password"`
	}
	body := http.MaxBytesReader(c.Response(), c.Request().Body, 4*mostPassword)
	if err := json.NewDecoder(body).Decode(&asked); err != nil || asked.Password == "" || len(asked.Password) > mostPassword {
		return c.JSON(http.StatusForbidden, map[string]string{"problem": "wrong"})
	}
	file := s.file()
	file.Password = asked.Password
	err := r.Press.Opens(c.Request().Context(), file)
	if pdf.KindOf(err) == pdf.NeedsPassword {
		return c.JSON(http.StatusForbidden, map[string]string{"problem": "wrong"})
	}
	if err != nil {
		return err
	}
	seal, err := r.seals.seal(s.edition.SHA256, asked.Password, time.Now())
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(http.StatusOK, map[string]string{"seal": seal})
}

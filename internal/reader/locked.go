package reader

import (
	"context"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"

	"incipit/internal/core/share"
	"incipit/internal/pdf"
	"incipit/internal/press"
	"incipit/internal/seal"
)

// A document that asks for a password asks the reader. The password goes to the
// worker that opens the file, and back to the reader sealed: with every request
// for a page the reader shows the seal, in a header and in no address. The servers of
// the house alone can open the seal, and keep neither.

// opened is the header that carries the seal.
const opened = "Incipit-Opened"

// sealed is how long a seal holds.
const sealed = 12 * time.Hour

// mostPassword bounds what may be tried, in bytes.
const mostPassword = 200

var errLocked = errors.New("the document asks for a password")

// seals makes and reads seals, by secrets that all servers of the house have.
type seals struct {
	read            func(context.Context) ([][]byte, error)
	tries, allTries *pace // guessing takes time; see mayTry

	mu      sync.Mutex
	secrets [][]byte // that the ring is made of
	ring    *seal.Ring
	last    time.Time // when the secrets were read last
}

// sealPurpose is what the keys are made for.
const sealPurpose = "passwords of documents"

// readAgain is how often the secrets are read again at most, for a seal of a key that is
// not known: another server may have made it.
const readAgain = 200 * time.Millisecond

func newSeals(read func(context.Context) ([][]byte, error)) *seals {
	return &seals{read: read, tries: newPace(rate.Every(2*time.Second), 5), allTries: newPace(5, 60)}
}

// current gives the ring; again has it read anew, if that was not done just now.
func (s *seals) current(ctx context.Context, again bool) (*seal.Ring, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.ring != nil && (!again || time.Since(s.last) < readAgain) {
		return s.ring, nil
	}
	secrets, err := s.read(ctx)
	if err != nil {
		return nil, err
	}
	ring, err := seal.NewRing(sealPurpose, secrets...)
	if err != nil {
		return nil, err
	}
	s.secrets = secrets
	s.ring, s.last = ring, time.Now()
	return ring, nil
}

// known gives the secrets that seals are made of, the newest first.
func (s *seals) known(ctx context.Context) ([][]byte, error) {
	if _, err := s.current(ctx, false); err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.secrets, nil
}

// seal closes a password, for one edition and for a time.
func (s *seals) seal(ctx context.Context, edition, password string, now time.Time) (string, error) {
	ring, err := s.current(ctx, false)
	if err != nil {
		return "", err
	}
	text := binary.BigEndian.AppendUint64(nil, uint64(now.Add(sealed).Unix())) //nolint:gosec // a time after 1970
	b, err := ring.Seal(edition, append(text, password...))
	return base64.RawURLEncoding.EncodeToString(b), err
}

// open gives the password of a seal that was made here or by another server, for this
// edition, and still holds.
func (s *seals) open(ctx context.Context, edition, text string, now time.Time) (string, bool) {
	b, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil || len(b) == 0 {
		return "", false
	}
	for _, again := range []bool{false, true} {
		ring, err := s.current(ctx, again)
		if err != nil {
			return "", false
		}
		plain, err := ring.Open(edition, b)
		if errors.Is(err, seal.ErrKey) {
			continue
		}
		if err != nil || len(plain) < 8 || now.Unix() > int64(binary.BigEndian.Uint64(plain)) { //nolint:gosec // written by seal
			return "", false
		}
		return string(plain[8:]), true
	}
	return "", false
}

// Guessing takes time: here, where a few come at once, and by what is counted in the
// database for all servers. Within a minute so many passwords of one document are tried
// from one place, and so many in all.
const (
	triesWithin = time.Minute
	mostTries   = 12
	mostOfAll   = 300
)

// mayTry says whether this server lets a password be tried: five at once, then one every
// two seconds, for each placement and where it comes from; sixty at once, then five a
// second, for the placement as a whole.
func (s *seals) mayTry(name, from string) bool {
	return s.tries.allows(name+" "+from) && s.allTries.allows(name)
}

// mayTry says whether a password of a placement may be tried now from where it comes.
func (r *Reader) mayTry(ctx context.Context, placement int64, from string) (bool, error) {
	name := triesOf(placement)
	if !r.seals.mayTry(name, from) {
		return false, nil
	}
	for i, most := range []int{mostTries, mostOfAll} {
		n, err := r.People.Try(ctx, subjects(name, from)[i], triesWithin)
		if err != nil || n > most {
			return false, err
		}
	}
	return true, nil
}

// subjects are what tries of a password count under: where they come from, and all.
func subjects(name, from string) [2]string { return [2]string{name + " from " + from, name} }

// tried takes back what a right password counted: a class that opens a document from one
// network is nobody who guesses.
func (r *Reader) tried(ctx context.Context, placement int64, from string) error {
	for _, subject := range subjects(triesOf(placement), from) {
		if err := r.People.TakeBack(ctx, subject); err != nil {
			return err
		}
	}
	return nil
}

func triesOf(placement int64) string { return fmt.Sprintf("document %d", placement) }

// unlocked gives the file of a document, with the password that a request
// carries where it asks for one.
func (r *Reader) unlocked(c *echo.Context, s shown) (press.File, error) {
	file := s.file()
	if !s.edition.Locked {
		return file, nil
	}
	password, ok := r.seals.open(c.Request().Context(), s.edition.SHA256, c.Request().Header.Get(opened), time.Now())
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
	ctx := c.Request().Context()
	may, err := r.mayTry(ctx, s.placement, share.Origin(ctx))
	if err != nil {
		return err
	}
	if !may {
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
	err = r.Press.Opens(ctx, file)
	if pdf.KindOf(err) == pdf.NeedsPassword {
		return c.JSON(http.StatusForbidden, map[string]string{"problem": "wrong"})
	}
	if err != nil {
		return err
	}
	if err := r.tried(ctx, s.placement, share.Origin(ctx)); err != nil {
		return err
	}
	seal, err := r.seals.seal(ctx, s.edition.SHA256, asked.Password, time.Now())
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(http.StatusOK, map[string]string{"seal": seal})
}

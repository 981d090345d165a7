package library

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"incipit/internal/core/revisit"
	"incipit/internal/database"
)

// Bounds of web links in documents.
const (
	MostWebLinks   = 500  // of one edition, those that stand first
	MostWebAddress = 2000 // bytes; a longer one is not looked at
	mostBroken     = 100  // that the screen of a document lists
	linksAgain     = time.Hour
)

// WebLink is a link that stands in an edition, on the first page that has it. Said is why it
// leads nowhere, as far as it was looked at.
type WebLink struct {
	Address string
	Page    int
	Said    string
}

// LinksUnknown lists editions in force whose links have not been gathered, the first first.
func (s *Library) LinksUnknown(ctx context.Context, most int) ([]Edition, error) {
	var out []Edition
	err := s.db.WithContext(ctx).Raw(`SELECT e.* FROM editions e JOIN documents d ON d.id = e.document_id AND d.edition = e.number
		WHERE NOT e.links_known AND e.state = ? AND (e.indexed = e.pages OR NOT e.has_text) AND NOT e.locked ORDER BY e.id LIMIT ?`, Ready, most).Scan(&out).Error
	return out, database.Found(err, "find editions whose links are not known")
}

// KeepLinks keeps the web links of an edition.
func (s *Library) KeepLinks(ctx context.Context, edition int64, links []WebLink) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		for _, l := range links {
			if err := tx.Exec("INSERT INTO web_links (address) VALUES (?) ON CONFLICT DO NOTHING", l.Address).Error; err != nil {
				return fmt.Errorf("keep a web link: %w", err)
			}
			if err := tx.Exec("INSERT INTO edition_links (edition_id, address, page) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", edition, l.Address, l.Page).Error; err != nil {
				return fmt.Errorf("keep a web link of edition %d: %w", edition, err)
			}
		}
		return database.Found(tx.Exec("UPDATE editions SET links_known = true WHERE id = ?", edition).Error, "note that links are known")
	})
}

// TakeDueLinks gives links of editions in force whose time has come, the one due first first.
// Those whose look is lost come again after an hour.
func (s *Library) TakeDueLinks(ctx context.Context, now time.Time, most int) ([]string, error) {
	var out []string
	err := s.db.WithContext(ctx).Raw(`UPDATE web_links SET due_at = ? WHERE address IN (
		SELECT w.address FROM web_links w WHERE w.due_at <= ? AND EXISTS (SELECT FROM edition_links l JOIN editions e ON e.id = l.edition_id
			JOIN documents d ON d.id = e.document_id AND d.edition = e.number WHERE l.address = w.address)
		ORDER BY w.due_at, w.address LIMIT ? FOR UPDATE OF w SKIP LOCKED) RETURNING address`, now.Add(linksAgain), now, most).Scan(&out).Error
	return out, database.Found(err, "find web links to look at")
}

// LinkLater has a link looked at at a time.
func (s *Library) LinkLater(ctx context.Context, address string, at time.Time) error {
	return database.Found(s.db.WithContext(ctx).Exec("UPDATE web_links SET due_at = ? WHERE address = ?", at, address).Error, "have a web link looked at later")
}

// LinkLooked keeps what came of looking at a link: said is why there is nothing, or "".
func (s *Library) LinkLooked(ctx context.Context, address, said string, now time.Time, every time.Duration) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		var failed int
		if err := tx.Raw("SELECT failed FROM web_links WHERE address = ? FOR UPDATE", address).Take(&failed).Error; err != nil {
			return database.Found(err, "web link")
		}
		if failed++; said == "" {
			failed = 0
		}
		err := tx.Exec("UPDATE web_links SET said = ?, failed = ?, looked_at = ?, due_at = ? WHERE address = ?", said, failed, now,
			revisit.NextLink(now, every, failed), address).Error
		return database.Found(err, "keep what came of a look at a web link")
	})
}

// broken tells links that lead nowhere, in SQL.
var broken = fmt.Sprintf("w.failed >= %d", revisit.LinkFails)

// BrokenLinks lists the links of an edition that lead nowhere, by page.
func (s *Library) BrokenLinks(ctx context.Context, edition int64) ([]WebLink, error) {
	var out []WebLink
	err := s.db.WithContext(ctx).Raw(`SELECT l.address, l.page, w.said FROM edition_links l JOIN web_links w ON w.address = l.address
		WHERE l.edition_id = ? AND `+broken+` ORDER BY l.page, l.address LIMIT ?`, edition, mostBroken).Scan(&out).Error
	return out, database.Found(err, fmt.Sprintf("list the broken links of edition %d", edition))
}

// ForgetLinks lets go of links that stand nowhere any more.
func (s *Library) ForgetLinks(ctx context.Context) error {
	err := s.db.WithContext(ctx).Exec("DELETE FROM web_links w WHERE NOT EXISTS (SELECT FROM edition_links l WHERE l.address = w.address)").Error
	return database.Found(err, "forget web links")
}

package desk

import (
	"context"
	"errors"

	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/proof"
	"incipit/internal/database"
	"incipit/internal/nouns"
)

// Known is where a check of a web page asks about placements, collections and
// records. Failed is what went wrong meanwhile: a database that does not answer
// must not be taken for a document that is not there.
type Known struct {
	ctx    context.Context //nolint:containedctx // of one check
	kept   nouns.All
	Failed error
}

// Know makes it for one check.
func Know(ctx context.Context, s nouns.All) *Known { return &Known{ctx: ctx, kept: s} }

// In has a check ask here.
func (k *Known) In(w embed.Where) embed.Where {
	w.Lookup = func(key string) (embed.Placed, bool) {
		p, err := k.placed(key)
		return p, k.there(err)
	}
	w.Gathers = func(key string) bool {
		_, err := k.kept.Publishing.CollectionByKey(k.ctx, key)
		return k.there(err)
	}
	w.Record = func(record string) (string, bool) {
		p, err := k.kept.Placing.PlacementByRecord(k.ctx, record)
		return p.Key, k.there(err)
	}
	return w
}

func (k *Known) there(err error) bool {
	if err != nil && !errors.Is(err, database.ErrNotFound) {
		k.Failed = errors.Join(k.Failed, err)
	}
	return err == nil
}

func (k *Known) placed(key string) (embed.Placed, error) {
	p, err := k.kept.Placing.PlacementByKey(k.ctx, key)
	if err != nil {
		return embed.Placed{}, err
	}
	d, err := k.kept.Library.Document(k.ctx, p.DocumentID)
	if err != nil {
		return embed.Placed{}, err
	}
	out := embed.Placed{Title: d.Title}
	v, err := k.kept.Placing.PublishedVersion(k.ctx, p)
	if errors.Is(err, database.ErrNotFound) {
		// A placement that has versions was published once.
		out.Withdrawn, err = k.kept.Placing.WasPublished(k.ctx, p.ID)
		return out, err
	}
	if err != nil {
		return out, err
	}
	e, err := k.kept.Library.Edition(k.ctx, v.EditionID)
	if err != nil {
		return out, err
	}
	out.Published, out.Settings, out.Pages = true, v.Settings, frame.PagesOf(e.AllSheets())
	out.Tools = v.Settings.Tools.Given(v.Settings.Allowed(e.Holds()))
	f := e.ProofFacts()
	phone := proof.Usual(proof.Site{})[0]
	out.ReadableFrom = proof.Answer(f, v.Settings, phone, phone).ReadableFrom
	return out, nil
}

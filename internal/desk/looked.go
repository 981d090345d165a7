package desk

import (
	"context"
	"errors"

	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/proof"
	"incipit/internal/store"
)

// Known is where a check of a web page asks about placements, collections and
// records. Failed is what went wrong meanwhile: a database that does not answer
// must not be taken for a document that is not there.
type Known struct {
	ctx    context.Context //nolint:containedctx // of one check
	store  *store.Store
	Failed error
}

// Know makes it for one check.
func Know(ctx context.Context, s *store.Store) *Known { return &Known{ctx: ctx, store: s} }

// In has a check ask here.
func (k *Known) In(w embed.Where) embed.Where {
	w.Lookup = func(key string) (embed.Placed, bool) {
		p, err := k.placed(key)
		return p, k.there(err)
	}
	w.Gathers = func(key string) bool {
		_, err := k.store.CollectionByKey(k.ctx, key)
		return k.there(err)
	}
	w.Record = func(record string) (string, bool) {
		p, err := k.store.PlacementByRecord(k.ctx, record)
		return p.Key, k.there(err)
	}
	return w
}

func (k *Known) there(err error) bool {
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		k.Failed = errors.Join(k.Failed, err)
	}
	return err == nil
}

func (k *Known) placed(key string) (embed.Placed, error) {
	p, err := k.store.PlacementByKey(k.ctx, key)
	if err != nil {
		return embed.Placed{}, err
	}
	d, err := k.store.Document(k.ctx, p.DocumentID)
	if err != nil {
		return embed.Placed{}, err
	}
	out := embed.Placed{Title: d.Title}
	v, err := k.store.PublishedVersion(k.ctx, p)
	if errors.Is(err, store.ErrNotFound) {
		// A placement that has versions was published once.
		out.Withdrawn, err = k.store.WasPublished(k.ctx, p.ID)
		return out, err
	}
	if err != nil {
		return out, err
	}
	e, err := k.store.Edition(k.ctx, v.EditionID)
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

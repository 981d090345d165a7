-- +goose Up

-- What lists are ordered by, and what is looked for beside them.
CREATE INDEX placements_changed ON placements (updated_at DESC, id DESC);
CREATE INDEX placements_document ON placements (document_id);

-- +goose Down
DROP INDEX placements_changed, placements_document;

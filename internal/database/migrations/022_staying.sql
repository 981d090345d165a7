-- +goose Up

-- A placement may stay at an edition, whatever comes into force; 0 is that it follows.
ALTER TABLE all_placements ADD COLUMN stays_at int NOT NULL DEFAULT 0;
DROP VIEW placements;
CREATE VIEW placements AS SELECT id, key, document_id, step, published, created_at, updated_at, record, name, stays_at FROM all_placements WHERE removed_at IS NULL;

-- +goose Down
DROP VIEW placements;
CREATE VIEW placements AS SELECT id, key, document_id, step, published, created_at, updated_at, record, name FROM all_placements WHERE removed_at IS NULL;
ALTER TABLE all_placements DROP COLUMN stays_at;

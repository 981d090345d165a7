-- +goose Up

-- A file that came in parts may become an edition of a document: its number, 0 for a document
-- of its own.
ALTER TABLE uploads ADD COLUMN edition int NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE uploads DROP COLUMN edition;

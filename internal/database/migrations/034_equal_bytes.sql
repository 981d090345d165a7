-- +goose Up

-- Editions of equal bytes share them.
ALTER TABLE editions DROP CONSTRAINT editions_blob_key_key;
CREATE INDEX editions_blob ON editions (blob_key);

-- +goose Down
DROP INDEX editions_blob;
ALTER TABLE editions ADD CONSTRAINT editions_blob_key_key UNIQUE (blob_key);

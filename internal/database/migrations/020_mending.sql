-- +goose Up

-- What editors say of documents for people who do not see their pages, and whether it is
-- written into the files that readers download. The file that says it stands beside the one
-- that came; mended_says is what it says.
ALTER TABLE all_documents ADD COLUMN write_in boolean NOT NULL DEFAULT false;
DROP VIEW documents;
CREATE VIEW documents AS SELECT id, title, added_by, created_at, edition, description, language, write_in FROM all_documents WHERE removed_at IS NULL;
ALTER TABLE editions
    ADD COLUMN language     text NOT NULL DEFAULT '' CHECK (length(language) <= 35),
    ADD COLUMN alternatives jsonb NOT NULL DEFAULT '{}',
    ADD COLUMN mended_key   text NOT NULL DEFAULT '',
    ADD COLUMN mended_hash  text NOT NULL DEFAULT '',
    ADD COLUMN mended_says  text NOT NULL DEFAULT '',
    ADD COLUMN mended_not   text NOT NULL DEFAULT '';
CREATE INDEX editions_mended ON editions (mended_key) WHERE mended_key <> '';

-- +goose Down
DROP INDEX editions_mended;
ALTER TABLE editions DROP COLUMN mended_not, DROP COLUMN mended_says, DROP COLUMN mended_hash, DROP COLUMN mended_key, DROP COLUMN alternatives, DROP COLUMN language;
DROP VIEW documents;
CREATE VIEW documents AS SELECT id, title, added_by, created_at, edition, description, language FROM all_documents WHERE removed_at IS NULL;
ALTER TABLE all_documents DROP COLUMN write_in;

-- +goose Up

-- The text of every page: as it is written, folded for the index, and with the
-- place of each letter (compressed). Any account that owns the database may
-- make the extension; it comes with PostgreSQL.
CREATE EXTENSION IF NOT EXISTS pg_trgm;

CREATE TABLE page_texts (
    edition_id bigint NOT NULL REFERENCES editions (id) ON DELETE CASCADE,
    page       integer NOT NULL,
    plain      text NOT NULL,
    folded     text NOT NULL,
    layer      bytea NOT NULL,
    PRIMARY KEY (edition_id, page)
);
CREATE INDEX page_texts_folded ON page_texts USING gin (folded gin_trgm_ops);

-- How many pages have their text in page_texts, and what the text view knows
-- of the whole document.
ALTER TABLE editions
    ADD COLUMN indexed integer NOT NULL DEFAULT 0,
    ADD COLUMN flow    jsonb NOT NULL DEFAULT '{}';

-- Published settings are whole: those of before get the settings there are now.
UPDATE placement_versions SET settings = '{
    "copying": true, "text_view": "closed", "pointer": "select", "name": true, "fore_edge": true
}'::jsonb || settings;

-- +goose Down
ALTER TABLE editions DROP COLUMN flow, DROP COLUMN indexed;
DROP TABLE page_texts;

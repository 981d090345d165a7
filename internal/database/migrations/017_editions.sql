-- +goose Up

-- The edition that is in force, by its number: drafts stand in it, and publishing gives
-- it to readers. Later ones have been added to be looked at.
ALTER TABLE documents ADD COLUMN edition integer NOT NULL DEFAULT 1;
UPDATE documents d SET edition = (SELECT coalesce(max(number), 1) FROM editions e WHERE e.document_id = d.id);
ALTER TABLE editions ADD COLUMN added_by bigint REFERENCES accounts (id) ON DELETE SET NULL;

-- What came into force when, through whom.
CREATE TABLE edition_turns (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    document_id bigint NOT NULL REFERENCES documents (id) ON DELETE CASCADE,
    number      integer NOT NULL,
    made_by     text NOT NULL,
    made_at     timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX edition_turns_document ON edition_turns (document_id, id);

-- What became of the pages of one edition in another one, and how far it is known.
CREATE TABLE edition_comparisons (
    before_id  bigint NOT NULL REFERENCES editions (id) ON DELETE CASCADE,
    edition_id bigint NOT NULL REFERENCES editions (id) ON DELETE CASCADE,
    done       integer NOT NULL DEFAULT 0,
    pages      integer NOT NULL DEFAULT 0,
    result     jsonb,
    trouble    text NOT NULL DEFAULT '',
    PRIMARY KEY (before_id, edition_id)
);
CREATE INDEX edition_comparisons_edition ON edition_comparisons (edition_id);

-- What is wrong with an edition for people who do not see its pages; result is null until
-- it is known.
CREATE TABLE edition_reports (
    edition_id bigint PRIMARY KEY REFERENCES editions (id) ON DELETE CASCADE,
    result     jsonb,
    trouble    text NOT NULL DEFAULT ''
);
CREATE INDEX placement_versions_edition ON placement_versions (edition_id);

-- +goose Down
DROP INDEX placement_versions_edition;
DROP TABLE edition_reports;
DROP TABLE edition_comparisons;
DROP TABLE edition_turns;
ALTER TABLE editions DROP COLUMN added_by;
ALTER TABLE documents DROP COLUMN edition;

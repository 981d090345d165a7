-- +goose Up

-- Where the files of documents come from, if not from an editor's machine: fetched once, or
-- looked at again and again. due_at is when it is looked at next; NULL is never.
CREATE TABLE sources (
    id          bigserial PRIMARY KEY,
    account_id  bigint REFERENCES accounts (id) ON DELETE SET NULL,
    document_id bigint UNIQUE REFERENCES all_documents (id) ON DELETE CASCADE,
    address     text NOT NULL CHECK (length(address) BETWEEN 1 AND 2000),
    hours       int NOT NULL CHECK (hours IN (0, 1, 24, 168)),
    at_once     boolean NOT NULL DEFAULT false,
    etag        text NOT NULL DEFAULT '',
    modified    text NOT NULL DEFAULT '',
    sha256      text NOT NULL DEFAULT '',
    received    bigint NOT NULL DEFAULT 0,
    bytes       bigint NOT NULL DEFAULT -1,
    said        text NOT NULL DEFAULT '' CHECK (length(said) <= 600),
    failed      int NOT NULL DEFAULT 0,
    looking     boolean NOT NULL DEFAULT false,
    created_at  timestamptz NOT NULL DEFAULT now(),
    looked_at   timestamptz,
    changed_at  timestamptz,
    due_at      timestamptz
);
CREATE INDEX sources_due ON sources (due_at) WHERE due_at IS NOT NULL;
CREATE INDEX sources_account ON sources (account_id);

-- When an edition goes to readers by itself, who said so, and why it did not.
ALTER TABLE editions
    ADD COLUMN live_at  timestamptz,
    ADD COLUMN live_by  text NOT NULL DEFAULT '',
    ADD COLUMN live_not text NOT NULL DEFAULT '';
CREATE INDEX editions_live ON editions (live_at) WHERE live_at IS NOT NULL;

-- +goose Down
ALTER TABLE editions DROP COLUMN live_not, DROP COLUMN live_by, DROP COLUMN live_at;
DROP TABLE sources;

-- +goose Up

-- Files on their way, in parts: what has arrived is kept until the rest comes. A part's
-- bytes are in blobs. document_id is set in the transaction that adds the document, so that
-- a file that is finished twice is added once.
CREATE TABLE uploads (
    id          text PRIMARY KEY,
    account_id  bigint NOT NULL REFERENCES accounts (id) ON DELETE CASCADE,
    name        text NOT NULL CHECK (length(name) <= 200),
    bytes       bigint NOT NULL,
    received    bigint NOT NULL DEFAULT 0,
    document_id bigint REFERENCES all_documents (id) ON DELETE CASCADE,
    title       text NOT NULL DEFAULT '',
    created_at  timestamptz NOT NULL DEFAULT now(),
    touched_at  timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX uploads_account ON uploads (account_id);
CREATE INDEX uploads_touched ON uploads (touched_at);
CREATE TABLE upload_parts (
    upload_id text NOT NULL REFERENCES uploads (id) ON DELETE CASCADE,
    at        bigint NOT NULL,
    bytes     bigint NOT NULL,
    blob_key  text NOT NULL,
    PRIMARY KEY (upload_id, at)
);
CREATE INDEX upload_parts_key ON upload_parts (blob_key);

-- +goose Down
DROP TABLE upload_parts, uploads;

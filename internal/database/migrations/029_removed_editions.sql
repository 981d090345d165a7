-- +goose Up

-- Editions that an editor removed, which can be put back for a while: what they are made of;
-- all else is read out of the file again. Their numbers are not used again.
CREATE TABLE removed_editions (
    document_id   bigint NOT NULL REFERENCES all_documents (id) ON DELETE CASCADE,
    number        int NOT NULL,
    sha256        text NOT NULL,
    bytes         bigint NOT NULL,
    file_name     text NOT NULL,
    blob_key      text NOT NULL,
    pages         int NOT NULL,
    sheets        jsonb NOT NULL,
    alternatives  jsonb NOT NULL DEFAULT '{}',
    recognised    jsonb NOT NULL DEFAULT '[]',
    recognised_in text NOT NULL DEFAULT '',
    added_by      bigint REFERENCES accounts (id) ON DELETE SET NULL,
    created_at    timestamptz NOT NULL,
    removed_at    timestamptz NOT NULL DEFAULT now(),
    removed_by    text NOT NULL DEFAULT '',
    PRIMARY KEY (document_id, number)
);
CREATE INDEX removed_editions_blob ON removed_editions (blob_key);

-- +goose Down
DROP TABLE removed_editions;

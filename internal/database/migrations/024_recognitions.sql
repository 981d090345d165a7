-- +goose Up

-- Text that a program recognises in the pictures of an edition's pages, page by page, and the
-- edition that it becomes. What was read of a page is kept until then, so that a server that
-- is ended goes on where it was.
CREATE TABLE recognitions (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    edition_id bigint NOT NULL UNIQUE REFERENCES editions (id) ON DELETE CASCADE,
    account_id bigint REFERENCES accounts (id) ON DELETE SET NULL,
    languages  text NOT NULL CHECK (length(languages) BETWEEN 1 AND 100),
    at_once    boolean NOT NULL DEFAULT false,
    done       int NOT NULL DEFAULT 0,
    had        int NOT NULL DEFAULT 0,
    unsure     jsonb NOT NULL DEFAULT '[]',
    said       text NOT NULL DEFAULT '' CHECK (length(said) <= 600),
    made       int NOT NULL DEFAULT 0,
    created_at timestamptz NOT NULL DEFAULT now(),
    ended_at   timestamptz
);
CREATE TABLE recognised_pages (
    recognition_id bigint NOT NULL REFERENCES recognitions (id) ON DELETE CASCADE,
    page           int NOT NULL,
    lines          jsonb NOT NULL CHECK (pg_column_size(lines) <= 4000000),
    PRIMARY KEY (recognition_id, page)
);
ALTER TABLE editions
    ADD COLUMN recognised    jsonb NOT NULL DEFAULT '[]',
    ADD COLUMN recognised_in text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE editions DROP COLUMN recognised_in, DROP COLUMN recognised;
DROP TABLE recognised_pages, recognitions;

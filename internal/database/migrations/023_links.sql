-- +goose Up

-- Web links that stand in documents, and what came of looking at them. due_at is when one is
-- looked at next.
CREATE TABLE web_links (
    address   text PRIMARY KEY CHECK (octet_length(address) <= 2000),
    said      text NOT NULL DEFAULT '' CHECK (length(said) <= 600),
    failed    int NOT NULL DEFAULT 0,
    looked_at timestamptz,
    due_at    timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX web_links_due ON web_links (due_at);
CREATE TABLE edition_links (
    edition_id bigint NOT NULL REFERENCES editions (id) ON DELETE CASCADE,
    address    text NOT NULL REFERENCES web_links (address) ON DELETE CASCADE,
    page       int NOT NULL,
    PRIMARY KEY (edition_id, address)
);
CREATE INDEX edition_links_address ON edition_links (address);
ALTER TABLE editions ADD COLUMN links_known boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE editions DROP COLUMN links_known;
DROP TABLE edition_links, web_links;

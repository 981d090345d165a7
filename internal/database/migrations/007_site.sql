-- +goose Up

-- Named groups of documents. The content is the editor's whole setting; a
-- change names the revision it was made of.
CREATE TABLE collections (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    key        text NOT NULL UNIQUE,
    revision   integer NOT NULL DEFAULT 0,
    content    jsonb NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    updated_at timestamptz NOT NULL DEFAULT now()
);

-- Pictures that editors add. The bytes are in blobs, in the widths in which
-- they are served.
CREATE TABLE pictures (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    sha256     text NOT NULL UNIQUE,
    name       text NOT NULL,
    width      integer NOT NULL,
    height     integer NOT NULL,
    media_type text NOT NULL,
    widths     jsonb NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

-- Web pages. The draft is a row of steps, as with placements.
CREATE TABLE web_pages (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    step       integer NOT NULL DEFAULT 0,
    created_at timestamptz NOT NULL DEFAULT now(),
    updated_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE web_page_steps (
    web_page_id bigint NOT NULL REFERENCES web_pages (id) ON DELETE CASCADE,
    step        integer NOT NULL,
    -- Numbers of steps are used again after an undo; this never is.
    mark        bigint GENERATED ALWAYS AS IDENTITY UNIQUE,
    content     jsonb NOT NULL,
    made_by     text NOT NULL,
    made_at     timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (web_page_id, step)
);
CREATE TABLE web_page_versions (
    web_page_id bigint NOT NULL REFERENCES web_pages (id) ON DELETE CASCADE,
    number      integer NOT NULL,
    content     jsonb NOT NULL,
    made_by     text NOT NULL,
    made_at     timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (web_page_id, number)
);

-- What readers see from when on; version 0 is nothing.
CREATE TABLE web_page_turns (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    web_page_id bigint NOT NULL REFERENCES web_pages (id) ON DELETE CASCADE,
    version     integer NOT NULL,
    due         timestamptz NOT NULL,
    made_by     text NOT NULL,
    made_at     timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX web_page_turns_page ON web_page_turns (web_page_id, due);

-- Addresses lead to their page for ever, also when it was given another one.
CREATE TABLE web_page_paths (
    path        text PRIMARY KEY,
    web_page_id bigint NOT NULL REFERENCES web_pages (id) ON DELETE CASCADE,
    holds       boolean NOT NULL DEFAULT true
);
CREATE UNIQUE INDEX web_page_paths_one ON web_page_paths (web_page_id) WHERE holds;

CREATE TABLE site_frame (
    one      boolean PRIMARY KEY DEFAULT true CHECK (one),
    revision integer NOT NULL DEFAULT 0,
    content  jsonb NOT NULL
);

-- Keys with which an integrator's server signs who may open a guarded document.
CREATE TABLE signing_keys (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name       text NOT NULL,
    secret     bytea NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    withdrawn  timestamptz
);

-- Tokens that may be used once, until they end.
CREATE TABLE used_tokens (
    key_id bigint NOT NULL REFERENCES signing_keys (id) ON DELETE CASCADE,
    id     text NOT NULL,
    until  timestamptz NOT NULL,
    PRIMARY KEY (key_id, id)
);

-- The integrator's own name for what a document is attached to.
ALTER TABLE placements ADD COLUMN record text;
CREATE UNIQUE INDEX placements_record ON placements (record) WHERE record IS NOT NULL;

-- Web pages on which a placement was seen. Nobody who visited them is in it.
CREATE TABLE seen_pages (
    placement_id bigint NOT NULL REFERENCES placements (id) ON DELETE CASCADE,
    page         text NOT NULL CHECK (length(page) <= 400),
    width        integer NOT NULL,
    times        bigint NOT NULL DEFAULT 1,
    last_seen    timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (placement_id, page, width)
);

-- +goose Down
DROP TABLE seen_pages, used_tokens, signing_keys, site_frame, web_page_paths, web_page_turns, web_page_versions, web_page_steps, web_pages, pictures, collections;
ALTER TABLE placements DROP COLUMN record;

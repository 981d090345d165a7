-- +goose Up
CREATE TABLE accounts (
    id            bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    email         text NOT NULL UNIQUE CHECK (email = lower(email)),
    name          text NOT NULL,
    password_hash text NOT NULL,
    owner         boolean NOT NULL DEFAULT false,
    created_at    timestamptz NOT NULL DEFAULT now()
);

-- One-time addresses with which the first account is made.
CREATE TABLE setup_addresses (
    token_hash bytea PRIMARY KEY,
    expires_at timestamptz NOT NULL
);

-- Failed sign-ins, kept for as long as they count.
CREATE TABLE sign_in_failures (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    subject text NOT NULL,
    at      timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX sign_in_failures_subject ON sign_in_failures (subject, at);

CREATE TABLE sessions (
    token  text PRIMARY KEY,
    data   bytea NOT NULL,
    expiry timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);

CREATE TABLE documents (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    title      text NOT NULL,
    added_by   bigint REFERENCES accounts (id) ON DELETE SET NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE editions (
    id              bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    document_id     bigint NOT NULL REFERENCES documents (id) ON DELETE CASCADE,
    number          integer NOT NULL,
    sha256          text NOT NULL,
    bytes           bigint NOT NULL,
    file_name       text NOT NULL,
    blob_key        text NOT NULL UNIQUE,
    state           text NOT NULL CHECK (state IN ('examining', 'ready', 'failed')),
    problem_kind    text NOT NULL DEFAULT '',
    problem_message text NOT NULL DEFAULT '',
    pages           integer NOT NULL,
    pages_known     integer NOT NULL DEFAULT 0,
    sheets          jsonb NOT NULL DEFAULT '[]',
    facts           jsonb NOT NULL DEFAULT '{}',
    has_text        boolean NOT NULL DEFAULT false,
    created_at      timestamptz NOT NULL DEFAULT now(),
    UNIQUE (document_id, number)
);
CREATE INDEX editions_sha256 ON editions (sha256);

CREATE TABLE placements (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    key         text NOT NULL UNIQUE,
    document_id bigint NOT NULL REFERENCES documents (id) ON DELETE CASCADE,
    step        integer NOT NULL DEFAULT 0,
    published   integer,
    created_at  timestamptz NOT NULL DEFAULT now(),
    updated_at  timestamptz NOT NULL DEFAULT now()
);

-- The draft is a row of steps; placements.step says which one holds. Undo goes
-- back a step, redo forward, a change drops what lies ahead.
CREATE TABLE placement_steps (
    placement_id bigint NOT NULL REFERENCES placements (id) ON DELETE CASCADE,
    step         integer NOT NULL,
    settings     jsonb NOT NULL,
    PRIMARY KEY (placement_id, step)
);

-- What readers see, whole: house style may change without reaching them.
CREATE TABLE placement_versions (
    placement_id bigint NOT NULL REFERENCES placements (id) ON DELETE CASCADE,
    number       integer NOT NULL,
    settings     jsonb NOT NULL,
    edition_id   bigint NOT NULL REFERENCES editions (id),
    published_by bigint REFERENCES accounts (id) ON DELETE SET NULL,
    published_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (placement_id, number)
);

CREATE TABLE house_styles (
    id         integer PRIMARY KEY CHECK (id = 1),
    settings   jsonb NOT NULL DEFAULT '{}',
    updated_at timestamptz NOT NULL DEFAULT now()
);
INSERT INTO house_styles (id) VALUES (1);

-- +goose Down
DROP TABLE house_styles, placement_versions, placement_steps, placements, editions, documents,
    sessions, sign_in_failures, setup_addresses, accounts;

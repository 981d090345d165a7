-- +goose Up

-- Tries to sign in, counted before a password is looked at. A subject is a hash:
-- what somebody typed is not kept.
DROP TABLE sign_in_failures;
CREATE TABLE sign_in_tries (
    subject bytea PRIMARY KEY,
    tries   integer NOT NULL,
    since   timestamptz NOT NULL DEFAULT now()
);

-- Devices on which somebody has signed in. They are known by the hash of a
-- token that they keep.
CREATE TABLE devices (
    token_hash bytea PRIMARY KEY,
    account_id bigint NOT NULL REFERENCES accounts (id) ON DELETE CASCADE,
    seen       timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX devices_account ON devices (account_id, seen);

-- Where somebody is signed in. session is the name of a row of sessions.
CREATE TABLE sign_ins (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    account_id bigint NOT NULL REFERENCES accounts (id) ON DELETE CASCADE,
    session    text NOT NULL UNIQUE,
    agent      text NOT NULL CHECK (length(agent) <= 200),
    begun      timestamptz NOT NULL DEFAULT now(),
    seen       timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX sign_ins_account ON sign_ins (account_id);

-- One-time addresses, for the owner's first account or for a new password.
ALTER TABLE setup_addresses ADD COLUMN account_id bigint REFERENCES accounts (id) ON DELETE CASCADE;

-- Texts in files were kept whole, however long. What is too long is examined
-- again: it is cut then.
UPDATE editions SET state = 'examining' WHERE state = 'ready' AND NOT locked AND (pg_column_size(facts) > 2000000 OR pg_column_size(sheets) > 1000000);

-- Pictures that stand nowhere are looked for by age.
CREATE INDEX pictures_created ON pictures (created_at);
-- Whether an older one stands in code elsewhere is not known: it is kept.
ALTER TABLE pictures ADD COLUMN given_out boolean NOT NULL DEFAULT true;
ALTER TABLE pictures ALTER COLUMN given_out SET DEFAULT false;

-- +goose Down
ALTER TABLE pictures DROP COLUMN given_out;
DROP INDEX pictures_created;
ALTER TABLE setup_addresses DROP COLUMN account_id;
DROP TABLE sign_ins, devices, sign_in_tries;
CREATE TABLE sign_in_failures (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    subject text NOT NULL,
    at      timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX sign_in_failures_subject ON sign_in_failures (subject, at);

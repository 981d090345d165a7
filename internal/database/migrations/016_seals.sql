-- +goose Up

-- Secrets that keys for seals are made of, the newest last, where the operator gives
-- none: all servers on this database open each other's seals.
CREATE TABLE seal_secrets (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    secret  bytea NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now()
);

-- Whether the secret of a signing key is sealed, with what the operator gives.
ALTER TABLE signing_keys ADD COLUMN sealed boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE signing_keys DROP COLUMN sealed;
DROP TABLE seal_secrets;

-- +goose Up

-- What was found of a removed edition that asks for a password: nobody gives that again when
-- it is put back.
ALTER TABLE removed_editions ADD COLUMN opened jsonb;

-- +goose Down
ALTER TABLE removed_editions DROP COLUMN opened;

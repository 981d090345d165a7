-- +goose Up

-- A file that asks for a password: nothing of its content is kept but the sizes
-- of its pages, and the password nowhere.
ALTER TABLE editions ADD COLUMN locked boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE editions DROP COLUMN locked;

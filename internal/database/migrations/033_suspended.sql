-- +goose Up

-- Who is suspended cannot sign in; all that they made stays.
ALTER TABLE accounts ADD COLUMN suspended_at timestamptz;

-- +goose Down
ALTER TABLE accounts DROP COLUMN suspended_at;

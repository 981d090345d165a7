-- +goose Up

-- Reports say more than they did: those from before are made anew when somebody looks at them.
ALTER TABLE edition_reports ADD COLUMN version int NOT NULL DEFAULT 1;
ALTER TABLE edition_reports ALTER COLUMN version SET DEFAULT 2;

-- +goose Down
ALTER TABLE edition_reports DROP COLUMN version;

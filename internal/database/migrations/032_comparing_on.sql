-- +goose Up

-- A comparison has a budget of work, and an editor may give it as much again.
ALTER TABLE edition_comparisons ADD COLUMN budgets integer NOT NULL DEFAULT 1, ADD COLUMN out_of_budget boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE edition_comparisons DROP COLUMN budgets, DROP COLUMN out_of_budget;

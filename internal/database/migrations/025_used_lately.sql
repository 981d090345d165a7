-- +goose Up

-- What somebody worked on last, to be at hand where one is chosen: a few for each account.
CREATE TABLE used_lately (
    account_id   bigint NOT NULL REFERENCES accounts (id) ON DELETE CASCADE,
    placement_id bigint NOT NULL REFERENCES all_placements (id) ON DELETE CASCADE,
    used_at      timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (account_id, placement_id)
);
CREATE INDEX used_lately_placement ON used_lately (placement_id);

-- +goose Down
DROP TABLE used_lately;

-- +goose Up

-- What has to be fixed of placements that readers see, found in the background; state names
-- what that was found of, so that it is looked at again once it is no longer so.
CREATE TABLE placement_musts (
    placement_id bigint PRIMARY KEY REFERENCES all_placements (id) ON DELETE CASCADE,
    state        text NOT NULL CHECK (length(state) <= 100),
    musts        int NOT NULL,
    said         text NOT NULL DEFAULT '' CHECK (length(said) <= 300)
);

-- +goose Down
DROP TABLE placement_musts;

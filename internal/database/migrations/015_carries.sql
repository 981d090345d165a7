-- +goose Up

-- Changes of house style that are put in force for readers at once, placement by
-- placement: after is the last one that was looked at. They go one after the other.
CREATE TABLE house_carries (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    revision  bigint NOT NULL,
    change    jsonb NOT NULL,
    made_by   bigint REFERENCES accounts (id) ON DELETE SET NULL,
    made_at   timestamptz NOT NULL DEFAULT now(),
    after     bigint NOT NULL DEFAULT 0,
    seen      integer NOT NULL DEFAULT 0,
    published integer NOT NULL DEFAULT 0,
    ended_at  timestamptz
);
CREATE INDEX house_carries_open ON house_carries (id) WHERE ended_at IS NULL;

-- The revision of house style that a version was published over: whoever published
-- meanwhile had the change on screen already.
ALTER TABLE placement_versions ADD COLUMN house bigint NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE placement_versions DROP COLUMN house;
DROP TABLE house_carries;

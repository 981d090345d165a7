-- +goose Up

-- Websites that were refused, so that an editor can see and allow them. Nobody
-- who visited them is in it.
CREATE TABLE refused_sites (
  placement_id bigint NOT NULL REFERENCES placements ON DELETE CASCADE,
  origin       text   NOT NULL CHECK (length(origin) <= 200),
  times        bigint NOT NULL DEFAULT 1,
  last_seen    timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (placement_id, origin)
);

-- +goose Down
DROP TABLE refused_sites;

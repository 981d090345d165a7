-- +goose Up

-- What the proof needs of an edition: its measured type, and the bytes of page
-- 1's image by width. measured is set when both are there, or cannot be.
ALTER TABLE editions
    ADD COLUMN measured boolean NOT NULL DEFAULT false,
    ADD COLUMN type     jsonb NOT NULL DEFAULT '{}',
    ADD COLUMN images   jsonb NOT NULL DEFAULT '{}';

-- The starter that a draft was last begun with, and why: undo goes back there,
-- too.
ALTER TABLE placement_steps
    ADD COLUMN starter        text NOT NULL DEFAULT '',
    ADD COLUMN starter_reason text NOT NULL DEFAULT '';

-- What a house asks of its placements, and the websites they stand on.
ALTER TABLE house_styles
    ADD COLUMN budget bigint NOT NULL DEFAULT 400000,
    ADD COLUMN sites  jsonb NOT NULL DEFAULT '[{"name": "Website", "column": 960, "margin": 16}]';

-- Published settings are whole: those of before get the settings there are now.
UPDATE placement_versions SET settings = '{
    "min_width": 0, "min_height": 0, "max_height": 0, "least_zoom": 0, "flow": "down", "facing": "single", "order": "ltr",
    "bar_place": "top", "bar_shown": "always", "padding": 0, "border": 1, "corner": 3, "shadow": "none", "background": "",
    "scheme": "system", "colours": {"paper": "#fffdf8", "ink": "#23222b", "accent": "#24467a"}
}'::jsonb || settings;

-- +goose Down
ALTER TABLE house_styles DROP COLUMN sites, DROP COLUMN budget;
ALTER TABLE placement_steps DROP COLUMN starter_reason, DROP COLUMN starter;
ALTER TABLE editions DROP COLUMN images, DROP COLUMN type, DROP COLUMN measured;

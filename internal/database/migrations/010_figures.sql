-- +goose Up

-- Letters are read by the names of their glyphs since, and pages have figures: their
-- texts are read again, which resumes by itself.
DELETE FROM page_texts;
UPDATE editions SET indexed = 0 WHERE indexed > 0;

-- +goose Down
-- The texts are read again: nothing needs to be put back.
SELECT 1;

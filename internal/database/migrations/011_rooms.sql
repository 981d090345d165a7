-- +goose Up

-- The room that a viewer last had on a page, CSS px; 0 is not known. Code that was
-- pasted before a change of size keeps the earlier one.
ALTER TABLE seen_pages ADD COLUMN room_width integer NOT NULL DEFAULT 0, ADD COLUMN room_height integer NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE seen_pages DROP COLUMN room_width, DROP COLUMN room_height;

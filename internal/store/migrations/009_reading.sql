-- +goose Up

-- Pages are read by place since: their texts are read again, which resumes by
-- itself.
DELETE FROM page_texts;
UPDATE editions SET indexed = 0 WHERE indexed > 0;

-- +goose Down
-- Texts are read again whenever they are missing: there is nothing to put back.
SELECT 1;

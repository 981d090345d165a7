-- +goose Up

-- Parts of a file that could not be read, by page: they alone are missing.
ALTER TABLE editions ADD COLUMN unread jsonb NOT NULL DEFAULT '{}';

-- Whose examination failed by a deadline that a busy machine broke is examined again.
UPDATE editions SET state = 'examining', pages_known = 1, problem_kind = '', problem_message = '' WHERE state = 'failed' AND problem_kind IN ('took-too-long', 'failed') AND NOT locked;
-- Whose text was given up by one is read again; what is kept of it stays until then.
UPDATE editions e SET indexed = 0 WHERE e.state = 'ready' AND e.has_text AND NOT e.locked AND e.indexed > 0
	AND EXISTS (SELECT FROM page_texts t WHERE t.edition_id = e.id AND t.page = e.pages AND t.plain = '')
	AND (SELECT count(*) FROM page_texts t WHERE t.edition_id = e.id AND t.plain = '') >= 4;

-- +goose Down
ALTER TABLE editions DROP COLUMN unread;

-- An installation as schema 11 kept it: two placements, one of them gone back from by a
-- step and published twice, a web page with a history and a plan, a collection, the
-- frame of all pages, a house style of its own, a signing key.
INSERT INTO accounts (email, name, password_hash) VALUES ('maren@harrowmere.example', 'Maren Oakes', 'x');
INSERT INTO documents (title, added_by) VALUES ('Tide table', 1), ('Trail map', 1);
INSERT INTO editions (document_id, number, sha256, bytes, file_name, blob_key, pages, pages_known, state, sheets)
VALUES (1, 1, 'aa', 10, 'tides.pdf', 'files/aa', 2, 2, 'ready', '[{"width":842,"height":595,"label":"1"},{"width":842,"height":595,"label":"2"}]'),
       (2, 1, 'bb', 10, 'map.pdf', 'files/bb', 1, 1, 'ready', '[{"width":595,"height":842,"label":"1"}]');
INSERT INTO placements (key, document_id, step, published) VALUES ('aaaaaaaaaaaaaaaaaaaa', 1, 1, 2), ('bbbbbbbbbbbbbbbbbbbb', 2, 0, NULL);
INSERT INTO placement_steps (placement_id, step, settings, starter, starter_reason)
VALUES (1, 0, '{}', 'plan', 'Its pages lie across.'), (1, 1, '{"print":false}', 'plan', 'Its pages lie across.'), (1, 2, '{"print":false,"padding":9}', 'plan', 'Its pages lie across.'),
       (2, 0, '{"flow":"turn"}', '', '');
INSERT INTO placement_versions (placement_id, number, settings, edition_id, published_by) SELECT 1, n, '{"padding":3}', 1, 1 FROM generate_series(1, 2) n;
UPDATE house_styles SET settings = '{"download":false,"width":{"value":90,"unit":"%"}}', budget = 250000, sites = '[{"name":"Harrowmere","column":704,"margin":20}]';
INSERT INTO web_pages (step) VALUES (1);
INSERT INTO web_page_steps (web_page_id, step, content, made_by)
VALUES (1, 0, '{"title":"Visit","description":"","rows":[]}', 'Maren Oakes'), (1, 1, '{"title":"Visiting","description":"","rows":[]}', 'Piet Holm'), (1, 2, '{"title":"Visiting us","description":"","rows":[]}', 'Maren Oakes');
INSERT INTO web_page_paths (path, web_page_id, holds) VALUES ('visit', 1, false), ('visiting', 1, true);
INSERT INTO web_page_versions (web_page_id, number, content, made_by) VALUES (1, 1, '{"title":"Visit","description":"","rows":[]}', 'Maren Oakes');
INSERT INTO web_page_turns (web_page_id, version, due, made_by) VALUES (1, 1, '2026-01-01', 'Maren Oakes'), (1, 0, '2099-01-01', 'Maren Oakes');
INSERT INTO collections (key, revision, content) VALUES ('cccccccccccccccccccc', 4, '{"name":"Reports","arrangement":"list","order":"hand","height":500,"items":[{"placement":1,"category":""}]}');
INSERT INTO site_frame (revision, content) VALUES (3, '{"name":"Harrowmere","links":[],"footer":"","accent":"#256b5c","language":"en"}');
INSERT INTO signing_keys (name, secret) VALUES ('shop', '\x0102');

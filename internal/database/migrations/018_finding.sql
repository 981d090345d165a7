-- +goose Up

-- What was removed is kept for a while, with its addresses, and can be put back. What is
-- asked for by name is what is there: documents and placements are views, so that no
-- query can forget it. Who adds a column to one of these tables makes its view anew.
ALTER TABLE documents RENAME TO all_documents;
ALTER TABLE placements RENAME TO all_placements;
ALTER TABLE all_documents
    ADD COLUMN removed_at  timestamptz,
    ADD COLUMN removed_by  text NOT NULL DEFAULT '',
    ADD COLUMN description text NOT NULL DEFAULT '' CHECK (length(description) <= 1000),
    ADD COLUMN language    text NOT NULL DEFAULT '' CHECK (length(language) <= 35);
ALTER TABLE all_placements
    ADD COLUMN removed_at timestamptz,
    ADD COLUMN removed_by text NOT NULL DEFAULT '',
    ADD COLUMN name       text NOT NULL DEFAULT '' CHECK (length(name) <= 80);
CREATE VIEW documents AS SELECT id, title, added_by, created_at, edition, description, language FROM all_documents WHERE removed_at IS NULL;
CREATE VIEW placements AS SELECT id, key, document_id, step, published, created_at, updated_at, record, name FROM all_placements WHERE removed_at IS NULL;
CREATE INDEX all_documents_removed ON all_documents (removed_at) WHERE removed_at IS NOT NULL;
CREATE INDEX all_placements_removed ON all_placements (removed_at) WHERE removed_at IS NOT NULL;
-- What a removed one was attached to may have another one meanwhile.
DROP INDEX placements_record;
CREATE UNIQUE INDEX placements_record ON all_placements (record) WHERE record IS NOT NULL AND removed_at IS NULL;

-- Titles in the order in which people look them up, numbers by their value.
CREATE COLLATION incipit_titles (provider = icu, locale = 'und-u-kn-true');
CREATE INDEX documents_by_title ON all_documents (title COLLATE incipit_titles, id);

ALTER TABLE edition_reports ADD COLUMN findings integer NOT NULL DEFAULT 0;
UPDATE edition_reports SET findings = jsonb_array_length(result->'findings') WHERE jsonb_typeof(result->'findings') = 'array';

CREATE TABLE document_categories (
    document_id bigint NOT NULL REFERENCES all_documents (id) ON DELETE CASCADE,
    category    text NOT NULL CHECK (length(category) BETWEEN 1 AND 60),
    PRIMARY KEY (document_id, category)
);
CREATE INDEX document_categories_name ON document_categories (category);

-- The words of every page in the forms in which they are looked for, of every edition, and
-- of every document: of its title, of that and what is said of it, of these and what it is
-- about (words of many of its pages), and of all of it. config is the language whose stems
-- they are.
CREATE EXTENSION IF NOT EXISTS btree_gin;
CREATE TABLE page_words (
    edition_id bigint NOT NULL REFERENCES editions (id) ON DELETE CASCADE,
    page       integer NOT NULL,
    words      tsvector NOT NULL,
    PRIMARY KEY (edition_id, page)
);
CREATE INDEX page_words_words ON page_words USING gin (edition_id, words);
CREATE TABLE edition_words (
    edition_id bigint PRIMARY KEY REFERENCES editions (id) ON DELETE CASCADE,
    config     regconfig NOT NULL,
    about      tsvector NOT NULL,
    words      tsvector NOT NULL
);
CREATE TABLE document_words (
    document_id bigint PRIMARY KEY REFERENCES all_documents (id) ON DELETE CASCADE,
    config      regconfig NOT NULL DEFAULT 'simple',
    titled      tsvector NOT NULL,
    said        tsvector NOT NULL,
    about       tsvector NOT NULL,
    words       tsvector NOT NULL
);
CREATE INDEX document_words_words ON document_words USING gin (titled, said, about, words);
CREATE INDEX document_words_config ON document_words (config);
CREATE INDEX documents_title ON all_documents USING gin (lower(title) gin_trgm_ops);

-- What somebody did to many documents at once, so that it can be undone.
CREATE TABLE bulk_acts (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    account_id bigint NOT NULL REFERENCES accounts (id) ON DELETE CASCADE,
    act        text NOT NULL,
    before     jsonb NOT NULL,
    made_at    timestamptz NOT NULL DEFAULT now(),
    undone     boolean NOT NULL DEFAULT false
);
CREATE INDEX bulk_acts_account ON bulk_acts (account_id, id);

-- Filters of the list of documents that somebody keeps under a name.
CREATE TABLE document_views (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    account_id bigint NOT NULL REFERENCES accounts (id) ON DELETE CASCADE,
    name       text NOT NULL CHECK (length(name) BETWEEN 1 AND 60),
    query      text NOT NULL CHECK (length(query) <= 1000),
    UNIQUE (account_id, name)
);

-- +goose Down
ALTER TABLE edition_reports DROP COLUMN findings;
DROP TABLE document_views, bulk_acts, document_words, edition_words, page_words, document_categories;
DROP INDEX documents_by_title, documents_title, placements_record, all_placements_removed, all_documents_removed;
DROP COLLATION incipit_titles;
DROP VIEW documents, placements;
DELETE FROM all_placements WHERE removed_at IS NOT NULL;
DELETE FROM all_documents WHERE removed_at IS NOT NULL;
ALTER TABLE all_placements DROP COLUMN name, DROP COLUMN removed_by, DROP COLUMN removed_at;
ALTER TABLE all_documents DROP COLUMN language, DROP COLUMN description, DROP COLUMN removed_by, DROP COLUMN removed_at;
ALTER TABLE all_placements RENAME TO placements;
ALTER TABLE all_documents RENAME TO documents;
CREATE UNIQUE INDEX placements_record ON placements (record) WHERE record IS NOT NULL;

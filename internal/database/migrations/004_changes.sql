-- +goose Up

-- Servers keep what they have read of placements in memory; whatever changes one
-- is told to all of them.
-- +goose StatementBegin
CREATE FUNCTION incipit_tell_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('incipit_changed', TG_TABLE_NAME);
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON documents FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON editions FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON placements FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON placement_versions FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();

-- +goose Down
DROP TRIGGER tell_change ON placement_versions;
DROP TRIGGER tell_change ON placements;
DROP TRIGGER tell_change ON editions;
DROP TRIGGER tell_change ON documents;
DROP FUNCTION incipit_tell_change();

-- +goose Up

-- Servers remember published pages, too: whatever changes one is told to all of them.
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON web_pages FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON web_page_paths FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON web_page_versions FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON web_page_turns FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON site_frame FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON collections FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON pictures FOR EACH STATEMENT EXECUTE FUNCTION incipit_tell_change();

-- +goose Down
DROP TRIGGER tell_change ON web_pages;
DROP TRIGGER tell_change ON web_page_paths;
DROP TRIGGER tell_change ON web_page_versions;
DROP TRIGGER tell_change ON web_page_turns;
DROP TRIGGER tell_change ON site_frame;
DROP TRIGGER tell_change ON collections;
DROP TRIGGER tell_change ON pictures;

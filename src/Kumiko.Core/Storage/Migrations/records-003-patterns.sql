-- What was seen in the gaps of templates, and every id that a pattern was ever known by.
ALTER TABLE template ADD COLUMN last_seen INTEGER NOT NULL DEFAULT 0;
-- Whether the last gap is all that follows a colon.
ALTER TABLE template ADD COLUMN is_tail INTEGER NOT NULL DEFAULT 0;
ALTER TABLE template ADD COLUMN gaps BLOB NOT NULL DEFAULT x'';
UPDATE template SET last_seen = first_seen;

CREATE TABLE pattern_name (
    id       INTEGER PRIMARY KEY,
    template INTEGER NOT NULL
) STRICT;

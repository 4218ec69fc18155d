-- Off: may not sign in. Removed: gone from the lists; what they wrote keeps their name.
ALTER TABLE person ADD COLUMN off      INTEGER;
ALTER TABLE person ADD COLUMN removed  INTEGER;
ALTER TABLE person ADD COLUMN theme    TEXT;
-- Wrong passwords since they last signed in: how many, when and from where the last came.
ALTER TABLE person ADD COLUMN wrong      INTEGER NOT NULL DEFAULT 0;
ALTER TABLE person ADD COLUMN wrong_at   INTEGER;
ALTER TABLE person ADD COLUMN wrong_from TEXT;

-- Links: of the first administrator, of somebody invited, of somebody who sets a new password. Links from before are of the first kind.
ALTER TABLE invitation ADD COLUMN kind    TEXT NOT NULL DEFAULT 'first' CHECK (kind IN ('first', 'invited', 'reset'));
ALTER TABLE invitation ADD COLUMN person  INTEGER REFERENCES person (id);
ALTER TABLE invitation ADD COLUMN email   TEXT NOT NULL DEFAULT '';
ALTER TABLE invitation ADD COLUMN author  TEXT NOT NULL DEFAULT '';
ALTER TABLE invitation ADD COLUMN expires INTEGER;
UPDATE invitation SET expires = created + 86400000000000;

-- Somebody signed in at one browser. Only a hash of what the browser holds is kept.
CREATE TABLE session (
    hash       TEXT PRIMARY KEY,
    person     INTEGER NOT NULL REFERENCES person (id),
    created    INTEGER NOT NULL,
    seen       INTEGER NOT NULL,
    address    TEXT NOT NULL,
    browser    TEXT NOT NULL,
    -- wrong passwords before it, since the one before
    wrong      INTEGER NOT NULL DEFAULT 0,
    wrong_at   INTEGER,
    wrong_from TEXT
) STRICT;
CREATE INDEX session_person ON session (person);

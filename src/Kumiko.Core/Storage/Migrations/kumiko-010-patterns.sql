-- What people call patterns, and which they know and want out of their way. A person of 0 means everybody.
CREATE TABLE pattern_called (
    pattern TEXT    NOT NULL,
    person  INTEGER NOT NULL,
    name    TEXT    NOT NULL,
    author  INTEGER NOT NULL REFERENCES person (id),
    changed INTEGER NOT NULL,
    PRIMARY KEY (pattern, person)
) STRICT, WITHOUT ROWID;

CREATE TABLE pattern_aside (
    pattern TEXT    NOT NULL,
    person  INTEGER NOT NULL,
    reason  TEXT    NOT NULL,
    -- When it comes back by itself; empty for never.
    until   INTEGER,
    -- How many an hour there were when it was put aside.
    hourly  REAL    NOT NULL,
    author  INTEGER NOT NULL REFERENCES person (id),
    created INTEGER NOT NULL,
    PRIMARY KEY (pattern, person)
) STRICT, WITHOUT ROWID;

-- Where the value of a field leads outside: an address with {value} in it.
CREATE TABLE field_link (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    field   TEXT    NOT NULL,
    title   TEXT    NOT NULL,
    address TEXT    NOT NULL,
    shared  INTEGER NOT NULL,
    author  INTEGER NOT NULL REFERENCES person (id),
    created INTEGER NOT NULL
) STRICT;
CREATE INDEX field_link_field ON field_link (field);

-- Searches that people keep, what they asked lately, and answers as they were.
CREATE TABLE kept_search (
    id      INTEGER PRIMARY KEY,
    name    TEXT NOT NULL,
    note    TEXT NOT NULL,
    tags    TEXT NOT NULL,
    address TEXT NOT NULL,
    query   TEXT NOT NULL,
    shared  INTEGER NOT NULL,
    author  INTEGER NOT NULL REFERENCES person (id),
    created INTEGER NOT NULL,
    changed INTEGER NOT NULL,
    removed INTEGER
) STRICT;
CREATE INDEX kept_search_author ON kept_search (author);

CREATE TABLE asked_search (
    id      INTEGER PRIMARY KEY,
    person  INTEGER NOT NULL REFERENCES person (id),
    query   TEXT NOT NULL,
    address TEXT NOT NULL,
    asked   INTEGER NOT NULL,
    times   INTEGER NOT NULL DEFAULT 1,
    UNIQUE (person, query)
) STRICT;
CREATE INDEX asked_search_time ON asked_search (person, asked);

CREATE TABLE frozen_result (
    id      TEXT PRIMARY KEY,
    title   TEXT NOT NULL,
    address TEXT NOT NULL,
    words   TEXT NOT NULL,
    rows    INTEGER NOT NULL,
    more    INTEGER NOT NULL,
    content BLOB NOT NULL,
    author  INTEGER NOT NULL REFERENCES person (id),
    created INTEGER NOT NULL,
    removed INTEGER
) STRICT;

-- Something somebody did to what runs here, for the strip and beside records.
CREATE TABLE change (
    id      INTEGER PRIMARY KEY,
    key     TEXT NOT NULL UNIQUE,
    at      INTEGER NOT NULL,
    what    TEXT NOT NULL,
    place   TEXT NOT NULL,
    "from"  TEXT NOT NULL,
    "to"    TEXT NOT NULL,
    who     TEXT NOT NULL
) STRICT;
CREATE INDEX change_at ON change (at);

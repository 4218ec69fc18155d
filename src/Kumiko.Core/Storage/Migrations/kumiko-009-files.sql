-- Files that were taken in at once, and can be taken out again. Their records are told by the id.
CREATE TABLE import (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    source   TEXT    NOT NULL,
    files    TEXT    NOT NULL,
    settings TEXT    NOT NULL,
    author   TEXT    NOT NULL,
    created  INTEGER NOT NULL,
    started  INTEGER,
    ended    INTEGER,
    state    TEXT    NOT NULL,
    bytes_read INTEGER NOT NULL DEFAULT 0,
    taken    INTEGER NOT NULL DEFAULT 0,
    refused  INTEGER NOT NULL DEFAULT 0,
    problem  TEXT
) STRICT;

-- Files that are read as they grow; how far is told in records.db.
CREATE TABLE follow (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    path     TEXT    NOT NULL,
    source   TEXT    NOT NULL,
    -- How its lines are read; empty until it was told from the first of them.
    settings TEXT    NOT NULL,
    author   TEXT    NOT NULL,
    created  INTEGER NOT NULL,
    removed  INTEGER
) STRICT;
CREATE UNIQUE INDEX follow_once ON follow (path) WHERE removed IS NULL;

-- How lines of a source are read that come in without their format.
CREATE TABLE source_format (
    source   TEXT PRIMARY KEY,
    settings TEXT    NOT NULL,
    changed  INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

ALTER TABLE token ADD COLUMN format TEXT NOT NULL DEFAULT '';

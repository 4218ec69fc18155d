-- Limits of tokens, and what became of them. Lists have one entry a line.
ALTER TABLE token ADD COLUMN protocol  TEXT NOT NULL DEFAULT '';
ALTER TABLE token ADD COLUMN rate      INTEGER;
ALTER TABLE token ADD COLUMN sources   TEXT NOT NULL DEFAULT '';
ALTER TABLE token ADD COLUMN addresses TEXT NOT NULL DEFAULT '';
ALTER TABLE token ADD COLUMN author    TEXT NOT NULL DEFAULT '';
ALTER TABLE token ADD COLUMN revoked   INTEGER;

-- What came from where, counted since it was first seen.
CREATE TABLE source (
    name       TEXT PRIMARY KEY,
    first_seen INTEGER NOT NULL,
    last_seen  INTEGER NOT NULL,
    newest     INTEGER NOT NULL,
    records    INTEGER NOT NULL,
    samples    INTEGER NOT NULL,
    spans      INTEGER NOT NULL,
    changes    INTEGER NOT NULL,
    refused    INTEGER NOT NULL,
    protocol   TEXT NOT NULL,
    recognised TEXT NOT NULL
) STRICT, WITHOUT ROWID;

-- Places that metrics are fetched from.
CREATE TABLE scrape_target (
    id       INTEGER PRIMARY KEY,
    source   TEXT NOT NULL,
    address  TEXT NOT NULL,
    interval INTEGER NOT NULL,
    author   TEXT NOT NULL,
    created  INTEGER NOT NULL,
    removed  INTEGER
) STRICT;
CREATE UNIQUE INDEX scrape_target_once ON scrape_target (source, address) WHERE removed IS NULL;

ALTER TABLE change ADD COLUMN kind   TEXT NOT NULL DEFAULT '';
ALTER TABLE change ADD COLUMN source TEXT NOT NULL DEFAULT '';

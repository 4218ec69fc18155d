-- Metrics and spans as they were received, one accepted batch a row, until their stores read them.
CREATE TABLE signal (
    id       INTEGER PRIMARY KEY,
    kind     TEXT    NOT NULL CHECK (kind IN ('metrics', 'spans')),
    source   TEXT    NOT NULL,
    received INTEGER NOT NULL,
    items    INTEGER NOT NULL,
    min_time INTEGER NOT NULL,
    max_time INTEGER NOT NULL,
    checksum INTEGER NOT NULL,
    content  BLOB    NOT NULL
) STRICT;
CREATE INDEX signal_time ON signal (kind, min_time);
CREATE INDEX signal_source ON signal (source, id);
CREATE INDEX signal_received ON signal (received, source, items);

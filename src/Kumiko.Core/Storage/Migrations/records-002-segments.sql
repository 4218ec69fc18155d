-- Sealed records: one row here and a blob for each column.
CREATE TABLE segment (
    id            INTEGER PRIMARY KEY AUTOINCREMENT,
    source        TEXT,
    min_time      INTEGER NOT NULL,
    max_time      INTEGER NOT NULL,
    max_observed  INTEGER NOT NULL,
    min_sequence  INTEGER NOT NULL,
    max_sequence  INTEGER NOT NULL,
    rows          INTEGER NOT NULL,
    severity_mask INTEGER NOT NULL,
    raw_bytes     INTEGER NOT NULL,
    bytes         INTEGER NOT NULL,
    columns       INTEGER NOT NULL,
    merges        INTEGER NOT NULL,
    -- of the numbers above; a blob has its own
    checksum      INTEGER NOT NULL,
    -- 'live'; 'gone': replaced or too old, its blobs go when nobody reads them; 'damaged': set aside
    state         TEXT    NOT NULL DEFAULT 'live' CHECK (state IN ('live', 'gone', 'damaged')),
    damage        TEXT
) STRICT;

-- key is the segment's id times 4096 plus the column's number, so that a segment's columns lie together.
CREATE TABLE segment_column (
    key        INTEGER PRIMARY KEY,
    codec      INTEGER NOT NULL,
    raw_length INTEGER NOT NULL,
    checksum   INTEGER NOT NULL,
    content    BLOB    NOT NULL
) STRICT;

-- Identity only: each segment has the text of its templates itself.
CREATE TABLE template (
    id          INTEGER PRIMARY KEY,
    service     TEXT    NOT NULL,
    key         BLOB    NOT NULL,
    merged_into INTEGER,
    first_seen  INTEGER NOT NULL
) STRICT;

-- When each field was first seen, which outlives the records.
CREATE TABLE field (
    name       TEXT    NOT NULL,
    kind       INTEGER NOT NULL,
    first_seen INTEGER NOT NULL,
    PRIMARY KEY (name, kind)
) STRICT, WITHOUT ROWID;

-- Sequences are never given twice, whatever was dropped.
CREATE TABLE counter (
    name  TEXT PRIMARY KEY,
    value INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
-- How many batches there are, so that a lost one is noticed.
INSERT INTO counter VALUES ('batches', (SELECT COUNT(*) FROM recent));
INSERT INTO counter VALUES ('sequence', (SELECT COALESCE(MAX(first_sequence + records), 0) FROM recent));

-- NULL in batches of before.
ALTER TABLE recent ADD COLUMN checksum INTEGER;

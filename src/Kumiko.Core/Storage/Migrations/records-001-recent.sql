-- One accepted batch a row, as one versioned blob. A record's sequence is first_sequence plus its place in the blob.
CREATE TABLE recent (
    first_sequence INTEGER PRIMARY KEY,
    records        INTEGER NOT NULL,
    min_time       INTEGER NOT NULL,
    max_time       INTEGER NOT NULL,
    received       INTEGER NOT NULL,
    source         TEXT    NOT NULL,
    content        BLOB    NOT NULL
) STRICT;

-- Parts of batches that a sender named, so that a repeated one is not taken twice.
CREATE TABLE batch_key (
    source TEXT    NOT NULL,
    key    TEXT    NOT NULL,
    part   INTEGER NOT NULL,
    at     INTEGER NOT NULL,
    PRIMARY KEY (source, key, part)
) STRICT, WITHOUT ROWID;

-- What was refused, with its reason and its beginning, to look at.
CREATE TABLE refused (
    id     INTEGER PRIMARY KEY,
    at     INTEGER NOT NULL,
    source TEXT    NOT NULL,
    line   INTEGER NOT NULL,
    col    INTEGER NOT NULL,
    reason TEXT    NOT NULL,
    head   BLOB    NOT NULL
) STRICT;

-- Which import records came in by, so that it can be taken out whole; NULL for what came in otherwise.
ALTER TABLE recent ADD COLUMN import INTEGER;
ALTER TABLE segment ADD COLUMN import INTEGER;

-- How far each followed file was read: a row changes in the commit that takes its lines in.
CREATE TABLE followed_file (
    id       INTEGER PRIMARY KEY,
    -- Which wish to follow it is of.
    follow   INTEGER NOT NULL,
    path     TEXT    NOT NULL,
    -- What tells a file from another of the same path: its number on its disk, and a hash of its first bytes.
    inode    INTEGER NOT NULL,
    head     INTEGER NOT NULL,
    head_length INTEGER NOT NULL,
    offset   INTEGER NOT NULL,
    line     INTEGER NOT NULL,
    -- What the format needs from earlier lines.
    state    TEXT    NOT NULL,
    taken    INTEGER NOT NULL,
    refused  INTEGER NOT NULL,
    -- UTC nanoseconds; ended is when nothing more can come of it.
    read_at  INTEGER NOT NULL,
    ended    INTEGER
) STRICT;
CREATE INDEX followed_file_follow ON followed_file (follow, path);

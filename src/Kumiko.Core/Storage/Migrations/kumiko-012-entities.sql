-- Where a change was made, by what stands there: names one a line. NULL until it is filled from what was told.
ALTER TABLE change ADD COLUMN services  TEXT;
ALTER TABLE change ADD COLUMN hosts     TEXT;
ALTER TABLE change ADD COLUMN instances TEXT;
ALTER TABLE change ADD COLUMN places    TEXT;
-- What the steps of one roll-out have in common, and which part of what runs there has the change.
ALTER TABLE change ADD COLUMN roll_out  TEXT NOT NULL DEFAULT '';
ALTER TABLE change ADD COLUMN share     REAL;

-- Each time that an instance ran: a container, a pod, a process.
CREATE TABLE instance_run (
    instance     TEXT    NOT NULL,
    -- UTC nanoseconds; as it says itself, or when it was first seen.
    started      INTEGER NOT NULL,
    kind         TEXT    NOT NULL,
    service      TEXT    NOT NULL,
    host         TEXT    NOT NULL,
    source       TEXT    NOT NULL,
    -- How its start was noticed.
    noticed      TEXT    NOT NULL,
    seen         INTEGER NOT NULL,
    ended        INTEGER,
    reason       TEXT    NOT NULL DEFAULT '',
    memory_limit REAL,
    cpu_limit    REAL,
    PRIMARY KEY (instance, started)
) STRICT, WITHOUT ROWID;
CREATE INDEX instance_run_seen ON instance_run (seen);

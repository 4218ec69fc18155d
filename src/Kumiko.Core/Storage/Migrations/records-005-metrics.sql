-- Metrics: what is measured, its series, samples as they came in, and segments of chunks by series.
CREATE TABLE series (
    id        INTEGER PRIMARY KEY,
    source    TEXT    NOT NULL,
    checksum  INTEGER NOT NULL,
    -- Name, unit, description, kind, resource, attributes.
    content   BLOB    NOT NULL,
    -- The last sample that was sealed.
    last_time  INTEGER NOT NULL DEFAULT 0,
    last_value REAL
) STRICT;

CREATE TABLE metric_recent (
    id       INTEGER PRIMARY KEY,
    source   TEXT    NOT NULL,
    received INTEGER NOT NULL,
    samples  INTEGER NOT NULL,
    checksum INTEGER NOT NULL,
    content  BLOB    NOT NULL
) STRICT;

CREATE TABLE metric_segment (
    id        INTEGER PRIMARY KEY,
    -- The UTC day that all samples lie in, nanoseconds.
    day       INTEGER NOT NULL,
    -- Whether the day is closed and each series one chunk, with levels.
    closed    INTEGER NOT NULL,
    -- Which parts are there, a bit for each.
    parts     INTEGER NOT NULL,
    min_time  INTEGER NOT NULL,
    max_time  INTEGER NOT NULL,
    samples   INTEGER NOT NULL,
    bytes     INTEGER NOT NULL,
    gone      INTEGER NOT NULL DEFAULT 0,
    damage    TEXT,
    checksum  INTEGER NOT NULL,
    -- Ids of series and where their chunks begin in each part.
    directory BLOB    NOT NULL
) STRICT;

-- The samples (grain 0) and the levels (1 minute, 2 ten minutes, 3 hours) of a segment, under id * 4 + grain.
CREATE TABLE metric_part (
    id      INTEGER PRIMARY KEY,
    content BLOB NOT NULL
) STRICT;

-- Single measured values with the trace they were measured in.
CREATE TABLE exemplar (
    id       INTEGER PRIMARY KEY,
    series   INTEGER NOT NULL,
    -- Of the sample that carried it, and its own.
    sample   INTEGER NOT NULL,
    time     INTEGER NOT NULL,
    value    REAL    NOT NULL,
    trace_id TEXT,
    span_id  TEXT,
    fields   BLOB    NOT NULL
) STRICT;
CREATE INDEX exemplar_series ON exemplar (series, sample);

-- What was kept as it came in before there were these tables.
DELETE FROM signal WHERE kind = 'metrics';

-- How many samples of a source came in, by hour of arrival.
CREATE TABLE metric_arrival (
    source  TEXT    NOT NULL,
    hour    INTEGER NOT NULL,
    samples INTEGER NOT NULL,
    PRIMARY KEY (source, hour)
) STRICT, WITHOUT ROWID;

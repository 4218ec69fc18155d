CREATE TABLE person (
    id       INTEGER PRIMARY KEY,
    name     TEXT NOT NULL,
    email    TEXT NOT NULL UNIQUE COLLATE NOCASE,
    role     TEXT NOT NULL CHECK (role IN ('viewer', 'analyst', 'administrator')),
    password TEXT,
    zone     TEXT,
    created  INTEGER NOT NULL
) STRICT;

-- Links that work once. Only a hash is kept.
CREATE TABLE invitation (
    hash    TEXT PRIMARY KEY,
    role    TEXT NOT NULL,
    created INTEGER NOT NULL,
    used    INTEGER
) STRICT;

CREATE TABLE token (
    id      INTEGER PRIMARY KEY,
    name    TEXT NOT NULL,
    purpose TEXT NOT NULL CHECK (purpose IN ('intake', 'query')),
    hash    TEXT NOT NULL UNIQUE,
    created INTEGER NOT NULL,
    used    INTEGER
) STRICT;

CREATE TABLE rule (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL,
    query      TEXT NOT NULL,
    warning    INTEGER,
    critical   INTEGER,
    look_back  INTEGER NOT NULL,
    interval   INTEGER NOT NULL,
    mail_to    TEXT NOT NULL,
    zone       TEXT NOT NULL,
    author     INTEGER NOT NULL REFERENCES person (id),
    created    INTEGER NOT NULL,
    paused     INTEGER NOT NULL DEFAULT 0,
    removed    INTEGER,
    -- what the last check found
    checked    INTEGER,
    value      INTEGER,
    problem    TEXT
) STRICT;

CREATE TABLE alert (
    id       INTEGER PRIMARY KEY,
    rule     INTEGER NOT NULL REFERENCES rule (id),
    name     TEXT NOT NULL,
    query    TEXT NOT NULL,
    started  INTEGER NOT NULL,
    level    TEXT NOT NULL CHECK (level IN ('warning', 'critical')),
    value    INTEGER NOT NULL,
    highest  INTEGER NOT NULL,
    ended    INTEGER,
    ended_by TEXT
) STRICT;
CREATE UNIQUE INDEX alert_open ON alert (rule) WHERE ended IS NULL;
CREATE INDEX alert_started ON alert (started);

-- Start, each rise and end of an alert.
CREATE TABLE alert_turn (
    id    INTEGER PRIMARY KEY,
    alert INTEGER NOT NULL REFERENCES alert (id),
    at    INTEGER NOT NULL,
    kind  TEXT NOT NULL CHECK (kind IN ('started', 'rose', 'ended')),
    level TEXT NOT NULL,
    value INTEGER NOT NULL
) STRICT;
CREATE INDEX alert_turn_alert ON alert_turn (alert);

-- Effects outside, written in the transaction of their cause.
CREATE TABLE outbox (
    id        INTEGER PRIMARY KEY,
    key       TEXT NOT NULL UNIQUE,
    recipient TEXT NOT NULL,
    subject   TEXT NOT NULL,
    text      TEXT NOT NULL,
    html      TEXT NOT NULL,
    created   INTEGER NOT NULL,
    attempts  INTEGER NOT NULL DEFAULT 0,
    due       INTEGER NOT NULL,
    sent      INTEGER,
    problem   TEXT
) STRICT;
CREATE INDEX outbox_due ON outbox (due) WHERE sent IS NULL;

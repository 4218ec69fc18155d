-- What people and machines are told: turns that wait to be told, channels, routes, calendars, quiet times, and everything sent.
ALTER TABLE alert ADD COLUMN brief TEXT;
ALTER TABLE rule ADD COLUMN onward TEXT NOT NULL DEFAULT '';

-- Something to be told, written in the transaction of its cause. Planned: its targets are settled.
CREATE TABLE telling (
    id       INTEGER PRIMARY KEY,
    kind     TEXT NOT NULL CHECK (kind IN ('started', 'rose', 'ended', 'failed', 'escalated', 'result')),
    rule     INTEGER NOT NULL REFERENCES rule (id),
    alert    INTEGER REFERENCES alert (id),
    at       INTEGER NOT NULL,
    level    TEXT NOT NULL,
    value    REAL,
    compared REAL,
    flapping INTEGER NOT NULL DEFAULT 0,
    text     TEXT NOT NULL DEFAULT '',
    planned  INTEGER,
    -- one failure of a rule is told once
    once     TEXT UNIQUE
) STRICT;
CREATE INDEX telling_waiting ON telling (id) WHERE planned IS NULL;
CREATE INDEX telling_alert ON telling (alert) WHERE alert IS NOT NULL;

CREATE TABLE channel (
    id       INTEGER PRIMARY KEY,
    name     TEXT NOT NULL,
    settings TEXT NOT NULL,
    -- encrypted
    secret   TEXT NOT NULL DEFAULT '',
    template TEXT NOT NULL DEFAULT '',
    quiet    TEXT NOT NULL,
    paused   INTEGER NOT NULL DEFAULT 0,
    author   INTEGER NOT NULL REFERENCES person (id),
    created  INTEGER NOT NULL,
    removed  INTEGER
) STRICT;

CREATE TABLE calendar (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL,
    definition TEXT NOT NULL,
    removed    INTEGER
) STRICT;

CREATE TABLE route (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL,
    definition TEXT NOT NULL,
    paused     INTEGER NOT NULL DEFAULT 0,
    removed    INTEGER
) STRICT;

CREATE TABLE quiet_time (
    id         INTEGER PRIMARY KEY,
    definition TEXT NOT NULL,
    person     TEXT NOT NULL,
    created    INTEGER NOT NULL,
    removed    INTEGER
) STRICT;

-- A step of a route that comes when nobody acknowledges in time.
CREATE TABLE escalation (
    alert INTEGER NOT NULL REFERENCES alert (id),
    route INTEGER NOT NULL REFERENCES route (id),
    step  INTEGER NOT NULL,
    due   INTEGER NOT NULL,
    done  INTEGER,
    PRIMARY KEY (alert, route, step)
) STRICT;
CREATE INDEX escalation_due ON escalation (due) WHERE done IS NULL;

CREATE TABLE delivery (
    id        INTEGER PRIMARY KEY,
    -- the same for every try: tells a repeat from a new one
    key       TEXT NOT NULL UNIQUE,
    channel   INTEGER REFERENCES channel (id),
    recipient TEXT NOT NULL,
    kind      TEXT NOT NULL CHECK (kind IN ('alert', 'digest', 'result', 'test', 'again')),
    subject   TEXT NOT NULL DEFAULT '',
    -- what is sent, as it was composed; null before the first try
    payload   TEXT,
    created   INTEGER NOT NULL,
    due       INTEGER NOT NULL,
    attempts  INTEGER NOT NULL DEFAULT 0,
    sent      INTEGER,
    given_up  INTEGER,
    answer    TEXT NOT NULL DEFAULT '',
    problem   TEXT,
    -- what the text says of its template, where that is broken
    remark    TEXT NOT NULL DEFAULT '',
    again_of  INTEGER REFERENCES delivery (id),
    person    TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX delivery_due ON delivery (due) WHERE sent IS NULL AND given_up IS NULL;
CREATE INDEX delivery_created ON delivery (created);
CREATE INDEX delivery_target ON delivery (channel, recipient, created);

-- One telling to one target; it waits until it is part of a delivery, or is dropped with a reason.
CREATE TABLE delivery_item (
    id        INTEGER PRIMARY KEY,
    telling   INTEGER NOT NULL REFERENCES telling (id),
    channel   INTEGER REFERENCES channel (id),
    recipient TEXT NOT NULL,
    bundle    TEXT NOT NULL,
    level     TEXT NOT NULL,
    -- null for the rule's own addresses
    route     INTEGER REFERENCES route (id),
    since     INTEGER NOT NULL,
    hold      INTEGER,
    quiet     INTEGER REFERENCES quiet_time (id),
    why       TEXT NOT NULL DEFAULT '',
    delivery  INTEGER REFERENCES delivery (id),
    dropped   TEXT
) STRICT;
CREATE INDEX delivery_item_waiting ON delivery_item (id) WHERE delivery IS NULL AND dropped IS NULL;
CREATE INDEX delivery_item_target ON delivery_item (channel, recipient, bundle) WHERE delivery IS NOT NULL;
CREATE INDEX delivery_item_telling ON delivery_item (telling);
CREATE INDEX delivery_item_delivery ON delivery_item (delivery) WHERE delivery IS NOT NULL;

-- Signed links that were used.
CREATE TABLE link_used (
    link TEXT PRIMARY KEY,
    at   INTEGER NOT NULL
) STRICT;

INSERT INTO delivery (key, recipient, kind, subject, payload, created, due, attempts, sent, problem)
    SELECT key, recipient, 'alert', subject, json_object('subject', subject, 'text', text, 'html', html), created, due, attempts, sent, problem FROM outbox;
DROP TABLE outbox;

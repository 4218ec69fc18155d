-- A rule is a sentence; what stands around it, what its checks have come to, and alerts of one key each.
ALTER TABLE rule ADD COLUMN definition TEXT NOT NULL DEFAULT '';
ALTER TABLE rule ADD COLUMN note TEXT NOT NULL DEFAULT '';
ALTER TABLE rule ADD COLUMN runbook TEXT NOT NULL DEFAULT '';
ALTER TABLE rule ADD COLUMN labels TEXT NOT NULL DEFAULT '';
ALTER TABLE rule ADD COLUMN owner INTEGER REFERENCES person (id);
ALTER TABLE rule ADD COLUMN team TEXT NOT NULL DEFAULT '';
ALTER TABLE rule ADD COLUMN follow_up TEXT NOT NULL DEFAULT '';
ALTER TABLE rule ADD COLUMN state TEXT NOT NULL DEFAULT '';
ALTER TABLE rule ADD COLUMN level TEXT NOT NULL DEFAULT 'none';
ALTER TABLE rule ADD COLUMN figure REAL;
ALTER TABLE rule ADD COLUMN unit TEXT NOT NULL DEFAULT '';
ALTER TABLE rule ADD COLUMN no_data INTEGER NOT NULL DEFAULT 0;
ALTER TABLE rule ADD COLUMN outside INTEGER NOT NULL DEFAULT 0;
ALTER TABLE rule ADD COLUMN keys INTEGER NOT NULL DEFAULT 0;
ALTER TABLE rule ADD COLUMN left_out INTEGER NOT NULL DEFAULT 0;
ALTER TABLE rule ADD COLUMN took INTEGER NOT NULL DEFAULT 0;
ALTER TABLE rule ADD COLUMN skipped INTEGER NOT NULL DEFAULT 0;
ALTER TABLE rule ADD COLUMN problem_since INTEGER;

UPDATE rule SET figure = value, definition = json_object(
    'quantity', json_object('kind', 'count', 'query', query),
    'wrong', json_object('kind', 'beyond', 'below', json('false'), 'warning', warning, 'critical', critical),
    'lasting', json_object('kind', 'once'), 'keys', json_array(), 'lookBack', look_back, 'interval', interval, 'delay', 0, 'noData', 'quiet', 'zone', zone);

CREATE TABLE alert_new (
    id           INTEGER PRIMARY KEY,
    rule         INTEGER NOT NULL REFERENCES rule (id),
    name         TEXT NOT NULL,
    key          TEXT NOT NULL,
    keys         TEXT NOT NULL,
    definition   TEXT NOT NULL,
    unit         TEXT NOT NULL,
    started      INTEGER NOT NULL,
    level        TEXT NOT NULL CHECK (level IN ('warning', 'critical')),
    value        REAL,
    compared     REAL,
    worst        REAL,
    flapping     INTEGER NOT NULL DEFAULT 0,
    ended        INTEGER,
    ended_by     TEXT,
    acknowledged INTEGER,
    acknowledger TEXT,
    snoozed      INTEGER,
    follow_up    TEXT
) STRICT;
INSERT INTO alert_new (id, rule, name, key, keys, definition, unit, started, level, value, worst, ended, ended_by)
    SELECT a.id, a.rule, a.name, '', '[]', r.definition, '', a.started, a.level, a.value, a.highest, a.ended, a.ended_by FROM alert a JOIN rule r ON r.id = a.rule;

CREATE TABLE alert_turn_new (
    id     INTEGER PRIMARY KEY,
    alert  INTEGER NOT NULL REFERENCES alert_new (id),
    at     INTEGER NOT NULL,
    kind   TEXT NOT NULL CHECK (kind IN ('started', 'rose', 'ended', 'acknowledged', 'snoozed', 'woken', 'resolved', 'note')),
    level  TEXT NOT NULL,
    value  REAL,
    person TEXT NOT NULL DEFAULT '',
    text   TEXT NOT NULL DEFAULT ''
) STRICT;
INSERT INTO alert_turn_new (id, alert, at, kind, level, value) SELECT id, alert, at, kind, level, value FROM alert_turn;
DROP TABLE alert_turn;
DROP TABLE alert;
ALTER TABLE alert_new RENAME TO alert;
ALTER TABLE alert_turn_new RENAME TO alert_turn;
CREATE UNIQUE INDEX alert_open ON alert (rule, key) WHERE ended IS NULL;
CREATE INDEX alert_started ON alert (started);
CREATE INDEX alert_rule ON alert (rule, started);
CREATE INDEX alert_turn_alert ON alert_turn (alert);

ALTER TABLE rule DROP COLUMN query;
ALTER TABLE rule DROP COLUMN warning;
ALTER TABLE rule DROP COLUMN critical;
ALTER TABLE rule DROP COLUMN look_back;
ALTER TABLE rule DROP COLUMN interval;
ALTER TABLE rule DROP COLUMN zone;
ALTER TABLE rule DROP COLUMN value;

-- Records up to here were shown to the rules on every record.
CREATE TABLE rule_position (
    id       INTEGER PRIMARY KEY CHECK (id = 1),
    sequence INTEGER NOT NULL
) STRICT;

CREATE TABLE objective (
    id      INTEGER PRIMARY KEY,
    name    TEXT NOT NULL,
    good    TEXT NOT NULL,
    total   TEXT NOT NULL,
    target  REAL NOT NULL,
    days    INTEGER NOT NULL,
    note    TEXT NOT NULL,
    team    TEXT NOT NULL,
    zone    TEXT NOT NULL,
    author  INTEGER NOT NULL REFERENCES person (id),
    created INTEGER NOT NULL,
    removed INTEGER
) STRICT;

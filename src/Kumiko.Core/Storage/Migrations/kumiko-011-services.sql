-- What counts as a failed span of a service, where it is not the status: a condition of a query over spans.
CREATE TABLE service_failure (
    service   TEXT    PRIMARY KEY,
    condition TEXT    NOT NULL,
    author    TEXT    NOT NULL,
    changed   INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

-- Logbook format 6: what was thrown away and can be had back; what else is known of a thing; pictures.

CREATE TABLE thrown (                  -- runs that are shown no more and count for nothing, until they are put back
    run_id INTEGER PRIMARY KEY REFERENCES run (id) ON DELETE CASCADE,
    at TEXT NOT NULL                   -- UTC
);

CREATE TABLE unit_facts (
    unit_id INTEGER PRIMARY KEY REFERENCES unit (id) ON DELETE CASCADE,
    facts TEXT NOT NULL                -- JSON: serial, price, volume_l, connectors, tags
);

CREATE TABLE photo (                   -- of a label or a set-up; JPEG without what a camera writes about place and time
    id INTEGER PRIMARY KEY,
    unit_id INTEGER REFERENCES unit (id) ON DELETE CASCADE,
    run_id INTEGER REFERENCES run (id) ON DELETE CASCADE,
    digest TEXT NOT NULL,              -- SHA-256 of the JPEG, hexadecimal
    text TEXT NOT NULL,                -- what is on it
    jpeg BLOB NOT NULL
);

CREATE INDEX photo_by_unit ON photo (unit_id);
CREATE INDEX photo_by_run ON photo (run_id);

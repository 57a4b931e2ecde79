-- Logbook format 1. Times are seconds unless named otherwise; stamps are UTC in ISO 8601; ids are SQLite's.

CREATE TABLE unit (                    -- a thing on the shelf
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    kind TEXT NOT NULL,                -- battery, bank, converter, …
    label TEXT NOT NULL DEFAULT '',    -- as it stands on the thing; read anew each time
    chemistry TEXT,                    -- lifepo4, li-ion, lead-acid, nimh; NULL to go by the label
    note TEXT NOT NULL DEFAULT '',
    max_current_a REAL,
    stand_in TEXT NOT NULL DEFAULT '{}',  -- JSON: the simulated thing behind it, if it has one
    removed INTEGER NOT NULL DEFAULT 0 -- kept for its runs, shown no more
);

CREATE TABLE meter (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    voltage_accuracy TEXT NOT NULL DEFAULT '',  -- as its manual words it: "0.1 % + 3 mV"
    current_accuracy TEXT NOT NULL DEFAULT '',
    max_v REAL,
    max_a REAL
);

CREATE TABLE run (
    id INTEGER PRIMARY KEY,
    unit_id INTEGER REFERENCES unit (id),
    method TEXT NOT NULL,              -- discharge
    source TEXT NOT NULL,              -- "simulated bench", or the name of the log file
    state TEXT NOT NULL,               -- running, done, interrupted
    started TEXT NOT NULL,             -- UTC
    utc_offset_min INTEGER NOT NULL,   -- of the place, at the start
    ended_by TEXT NOT NULL DEFAULT '', -- cut-off, person, protection, …
    trouble TEXT NOT NULL DEFAULT '',
    plan TEXT NOT NULL DEFAULT '{}',   -- JSON: current_a, cutoff_v, hold_s, temperature_c, leads, …
    label TEXT NOT NULL DEFAULT '',    -- the unit's label when it was run
    chemistry TEXT,
    voltage_accuracy TEXT NOT NULL DEFAULT '',
    current_accuracy TEXT NOT NULL DEFAULT '',
    meter TEXT NOT NULL DEFAULT ''
);

CREATE INDEX run_by_unit ON run (unit_id);

CREATE TABLE channel (                 -- one quantity at one tap of one run
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    tap TEXT NOT NULL,                 -- battery, load
    quantity TEXT NOT NULL,            -- V, A
    UNIQUE (run_id, tap, quantity)
);

-- Readings: little-endian float64 columns. A running run adds small pieces; at its end they are folded into
-- pieces of 65 536. Within a channel, pieces in the order of seq make up the readings in the order of time.
CREATE TABLE piece (
    channel_id INTEGER NOT NULL REFERENCES channel (id) ON DELETE CASCADE,
    seq INTEGER NOT NULL,
    n INTEGER NOT NULL,
    time_s BLOB NOT NULL,
    value BLOB NOT NULL,
    PRIMARY KEY (channel_id, seq)
) WITHOUT ROWID;

CREATE TABLE event (                   -- what happened, and what a person jotted down
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    time_s REAL NOT NULL,
    kind TEXT NOT NULL,                -- load on, load off, paused, resumed, jotting
    text TEXT NOT NULL
);

CREATE INDEX event_by_run ON event (run_id);

CREATE TABLE summary (                 -- findings worked out before; good only for the version that stands with them
    run_id INTEGER PRIMARY KEY REFERENCES run (id) ON DELETE CASCADE,
    version INTEGER NOT NULL,
    findings TEXT NOT NULL             -- JSON: charge_ah, charge_u, label_share, share_u, verdict, sentence
);

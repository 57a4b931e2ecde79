-- Logbook format 3: what else is known of a meter; lines typed by a person.

ALTER TABLE meter ADD COLUMN details TEXT NOT NULL DEFAULT '{}';  -- JSON: role, how it is connected, floor, burden, input resistance, zero, reversed

CREATE TABLE jot (                     -- a line typed at the jot line that holds readings, in the grammar of docs/jot-text.md
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    time_s REAL NOT NULL,              -- what it is about, seconds from the start of the run
    typed TEXT NOT NULL,               -- when it was typed, UTC
    line TEXT NOT NULL,                -- as typed, without its time; never changed
    replaced_by INTEGER REFERENCES jot (id) ON DELETE SET NULL,  -- the line that corrects it; both are kept
    undone INTEGER NOT NULL DEFAULT 0
);

CREATE INDEX jot_by_run ON jot (run_id);

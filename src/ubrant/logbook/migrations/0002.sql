-- Logbook format 2: outlooks, and what reports have stated.

CREATE TABLE outlook (                 -- a prediction, with everything that went into it
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    run_id INTEGER REFERENCES run (id) ON DELETE SET NULL,  -- whose energy it rests on
    made TEXT NOT NULL,                -- UTC
    inputs TEXT NOT NULL,              -- JSON, as typed: load, efficiency, idle, input, kept back, hours
    answer TEXT NOT NULL               -- the sentence it gave then
);

CREATE TABLE statement (               -- what a report said, and by which version of the sums; never changed afterwards
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    stated TEXT NOT NULL,              -- UTC
    version INTEGER NOT NULL,
    findings TEXT NOT NULL             -- JSON: key → value, unit, expanded_uncertainty; verdict
);

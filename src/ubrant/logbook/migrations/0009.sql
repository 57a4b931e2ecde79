-- Logbook format 9: days at the bench that were planned.

CREATE TABLE bench_days (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    made TEXT NOT NULL,                -- UTC
    told TEXT NOT NULL,                -- what was asked for, as TOML: tests, tools, hours
    placed TEXT NOT NULL               -- JSON: each step with its hours, its tools, and whether it has begun and ended
);

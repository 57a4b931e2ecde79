-- Logbook format 5: a checksum on every row, so that damage is noticed.

-- crc is the CRC-32 of the row's values in the order of its table's columns, each as the first letter of its type
-- (N, I, R, T, B), the number of its bytes in four and its bytes (integers and reals eight, little-endian; text in UTF-8). It is renewed with the row, in the same transaction.
CREATE TABLE seal (
    tbl TEXT NOT NULL,                 -- unit, meter, outlook, run, statement, channel, piece, event, jot
    key INTEGER NOT NULL,              -- id; of a piece channel_id × 1048576 + seq
    run INTEGER,                       -- the run it belongs to; NULL for unit, meter, outlook
    crc INTEGER NOT NULL,
    PRIMARY KEY (tbl, key)
) WITHOUT ROWID;

CREATE INDEX seal_by_run ON seal (run);

CREATE TABLE run_seal (                -- how many sealed rows a run has, and the sum of their crc: what is missing is noticed as well
    run INTEGER PRIMARY KEY,
    rows INTEGER NOT NULL,
    total INTEGER NOT NULL
);

-- Logbook format 8: what a typed row says stands beside its line as data, and only that counts from now on.
--
-- jot.data is JSON: {"v": 1, "readings": [[tap, quantity, value, half_width, kind], ...], "mark": "...", "text": "..."}; a tap of "" is the run's own.
-- jot.line stays to the byte what was typed (or, of a row of the readings table, how it is written out) and is never read back.
-- Lines of older logbooks are read once, when they are migrated. Seals of the rows whose columns change are renewed, those of damaged rows are not.

ALTER TABLE jot ADD COLUMN data TEXT NOT NULL DEFAULT '';

-- Logbook format 4: what is known of a run and what happened in it, each in one typed form.

ALTER TABLE run ADD COLUMN head TEXT;    -- JSON: method, unit, battery, leads, meters by tap, plan, criteria, conditions, origin; NULL in rows of older formats
ALTER TABLE event ADD COLUMN data TEXT NOT NULL DEFAULT '';  -- JSON of the event, its kind first; empty in rows of older formats

-- In rows of format 4 run.plan is '{}' and the columns of one meter are empty; event.kind and event.text say the same as event.data, for searching.
-- What older formats wrote there stays as it is and is read by older.py.

-- Schools of retention, runs that are caught up, where a copy lands, and what a file system is known by.
ALTER TABLE job ADD COLUMN keep_counting TEXT NOT NULL DEFAULT 'beyond'
  CHECK (keep_counting IN ('beyond', 'each'));
ALTER TABLE job ADD COLUMN keep_of_period TEXT NOT NULL DEFAULT 'last'
  CHECK (keep_of_period IN ('last', 'first'));
ALTER TABLE job ADD COLUMN keep_windows TEXT NOT NULL DEFAULT '';
ALTER TABLE job ADD COLUMN catch_up INTEGER NOT NULL DEFAULT 0 CHECK (catch_up IN (0, 1));
ALTER TABLE job ADD COLUMN lands_in TEXT;
ALTER TABLE job ADD COLUMN lands_as TEXT;
ALTER TABLE pool ADD COLUMN uuid TEXT;
ALTER TABLE bucket ADD COLUMN locks_renewed INTEGER NOT NULL DEFAULT 0
  CHECK (locks_renewed IN (0, 1));

-- Job kinds beyond the first four with what they work on, caps and allowances of links, buckets,
-- the model of change, windows and first copies, and signed risks.

ALTER TABLE link ADD COLUMN relayed INTEGER NOT NULL DEFAULT 0 CHECK (relayed IN (0, 1));
ALTER TABLE link ADD COLUMN allowance_bytes_per_month INTEGER CHECK (allowance_bytes_per_month >= 0);

ALTER TABLE dataset ADD COLUMN deleted_bytes_per_day INTEGER NOT NULL DEFAULT 0
  CHECK (deleted_bytes_per_day >= 0);
ALTER TABLE dataset ADD COLUMN repeat_share REAL NOT NULL DEFAULT 0
  CHECK (repeat_share BETWEEN 0 AND 1);
ALTER TABLE dataset ADD COLUMN file_bytes INTEGER NOT NULL DEFAULT 4000000 CHECK (file_bytes > 0);

CREATE TABLE cap (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  link TEXT NOT NULL,
  from_at TEXT NOT NULL,
  to_at TEXT NOT NULL CHECK (to_at <> from_at),
  mbit REAL NOT NULL CHECK (mbit > 0),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, link) REFERENCES link (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE bucket (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  site TEXT NOT NULL,
  account TEXT NOT NULL,
  locked_days INTEGER NOT NULL CHECK (locked_days >= 0),
  price_minor INTEGER NOT NULL CHECK (price_minor >= 0),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, site) REFERENCES site (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

ALTER TABLE job ADD COLUMN pool TEXT;
ALTER TABLE job ADD COLUMN host TEXT;
ALTER TABLE job ADD COLUMN after TEXT CHECK (after IS NULL OR after <> id);
ALTER TABLE job ADD COLUMN target_bucket TEXT
  CHECK (target_bucket IS NULL OR (target_pool IS NULL AND target_disk IS NULL));
ALTER TABLE job ADD COLUMN wire_encrypted INTEGER NOT NULL DEFAULT 0 CHECK (wire_encrypted IN (0, 1));
ALTER TABLE job ADD COLUMN resumable INTEGER NOT NULL DEFAULT 1 CHECK (resumable IN (0, 1));
ALTER TABLE job ADD COLUMN first_copy TEXT NOT NULL DEFAULT 'done'
  CHECK (first_copy IN ('done', 'side_by_side', 'carried', 'over_link'));
ALTER TABLE job ADD COLUMN first_on TEXT;
ALTER TABLE job ADD COLUMN window_from TEXT;
ALTER TABLE job ADD COLUMN window_to TEXT CHECK ((window_from IS NULL) = (window_to IS NULL));
ALTER TABLE job ADD COLUMN fixed INTEGER NOT NULL DEFAULT 0 CHECK (fixed IN (0, 1));
ALTER TABLE job ADD COLUMN alarm_days REAL CHECK (alarm_days > 0);
ALTER TABLE job ADD COLUMN schedule_nth INTEGER NOT NULL DEFAULT 0 CHECK (schedule_nth BETWEEN -1 AND 5);
ALTER TABLE job ADD COLUMN schedule_only_from TEXT;
ALTER TABLE job ADD COLUMN schedule_only_to TEXT
  CHECK ((schedule_only_from IS NULL) = (schedule_only_to IS NULL));
ALTER TABLE job ADD COLUMN schedule_zone TEXT;
ALTER TABLE job ADD COLUMN keep_thin INTEGER NOT NULL DEFAULT 0 CHECK (keep_thin >= 0);
ALTER TABLE job ADD COLUMN keep_trash_days INTEGER NOT NULL DEFAULT 0 CHECK (keep_trash_days >= 0);
ALTER TABLE job ADD COLUMN keep_hold_until TEXT;

CREATE TABLE accepted_risk (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  dataset TEXT NOT NULL,
  hazard TEXT NOT NULL,
  reason TEXT NOT NULL,
  made_on TEXT NOT NULL,
  who TEXT NOT NULL,
  basis TEXT NOT NULL,
  PRIMARY KEY (plan_id, id),
  UNIQUE (plan_id, dataset, hazard),
  FOREIGN KEY (plan_id, dataset) REFERENCES dataset (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

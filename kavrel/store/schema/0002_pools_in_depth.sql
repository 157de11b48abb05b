-- Power and restarts of hosts, recording, age and power of disks, fast tiers, wanted pools; UPSes,
-- a price list, where data is before the move, and the steps that were ticked at the rack.

ALTER TABLE host ADD COLUMN idle_watts REAL CHECK (idle_watts > 0);
ALTER TABLE host ADD COLUMN shutdown_minutes REAL NOT NULL DEFAULT 2.0 CHECK (shutdown_minutes >= 0);
ALTER TABLE host ADD COLUMN after_power_cut TEXT NOT NULL DEFAULT 'by_hand'
  CHECK (after_power_cut IN ('by_itself', 'over_network', 'by_hand'));
ALTER TABLE host ADD COLUMN start_order INTEGER NOT NULL DEFAULT 1 CHECK (start_order >= 1);

ALTER TABLE disk ADD COLUMN recording TEXT NOT NULL DEFAULT 'cmr' CHECK (recording IN ('cmr', 'smr'));
ALTER TABLE disk ADD COLUMN sector TEXT NOT NULL DEFAULT '512e' CHECK (sector IN ('512n', '512e', '4kn'));
ALTER TABLE disk ADD COLUMN bought_on TEXT;
ALTER TABLE disk ADD COLUMN run_hours INTEGER NOT NULL DEFAULT 0 CHECK (run_hours >= 0);
ALTER TABLE disk ADD COLUMN wear_percent INTEGER NOT NULL DEFAULT 0 CHECK (wear_percent BETWEEN 0 AND 100);
ALTER TABLE disk ADD COLUMN watts REAL CHECK (watts > 0);

ALTER TABLE pool ADD COLUMN purpose TEXT NOT NULL DEFAULT 'files'
  CHECK (purpose IN ('files', 'vms', 'footage'));
ALTER TABLE pool ADD COLUMN standing INTEGER NOT NULL DEFAULT 1 CHECK (standing IN (0, 1));
ALTER TABLE pool ADD COLUMN compression_ratio REAL NOT NULL DEFAULT 1.0 CHECK (compression_ratio >= 1);
ALTER TABLE pool ADD COLUMN tier_mirrored INTEGER NOT NULL DEFAULT 1 CHECK (tier_mirrored IN (0, 1));
ALTER TABLE pool ADD COLUMN mover_at TEXT NOT NULL DEFAULT '03:30';

ALTER TABLE pool_disk ADD COLUMN role TEXT NOT NULL DEFAULT 'member'
  CHECK (role IN ('member', 'spare', 'tier'));
UPDATE pool_disk SET role = 'spare' WHERE group_number IS NULL;

CREATE TABLE supply (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  site TEXT NOT NULL,
  va REAL NOT NULL CHECK (va > 0),
  watts REAL NOT NULL CHECK (watts > 0),
  battery_wh REAL NOT NULL CHECK (battery_wh > 0),
  rated_hours REAL NOT NULL CHECK (rated_hours > 0),
  exponent REAL NOT NULL CHECK (exponent >= 1),
  health_percent INTEGER NOT NULL CHECK (health_percent BETWEEN 1 AND 100),
  delay_minutes REAL NOT NULL CHECK (delay_minutes >= 0),
  price_minor INTEGER NOT NULL CHECK (price_minor >= 0),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, site) REFERENCES site (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE supply_host (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  supply TEXT NOT NULL,
  host TEXT NOT NULL,
  role TEXT NOT NULL CHECK (role IN ('hosts', 'signals')),
  place INTEGER NOT NULL,
  PRIMARY KEY (plan_id, supply, role, host),
  FOREIGN KEY (plan_id, supply) REFERENCES supply (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, host) REFERENCES host (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE offer (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  label TEXT NOT NULL,
  capacity_bytes INTEGER NOT NULL CHECK (capacity_bytes > 0),
  kind TEXT NOT NULL CHECK (kind IN ('hdd', 'ssd', 'nvme')),
  form TEXT NOT NULL,
  condition TEXT NOT NULL,
  recording TEXT NOT NULL CHECK (recording IN ('cmr', 'smr')),
  price_minor INTEGER NOT NULL CHECK (price_minor >= 0),
  mb_per_s REAL NOT NULL CHECK (mb_per_s > 0),
  at_most INTEGER NOT NULL CHECK (at_most >= 1),
  PRIMARY KEY (plan_id, id)
) STRICT;

CREATE TABLE holding (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  disk TEXT NOT NULL,
  dataset TEXT NOT NULL,
  verified INTEGER NOT NULL CHECK (verified IN (0, 1)),
  PRIMARY KEY (plan_id, id),
  UNIQUE (plan_id, disk, dataset),
  FOREIGN KEY (plan_id, disk) REFERENCES disk (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, dataset) REFERENCES dataset (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE tick (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  step TEXT NOT NULL,
  made_on TEXT NOT NULL,
  outcome TEXT NOT NULL CHECK (outcome IN ('done', 'failed')),
  hours REAL,
  who TEXT NOT NULL,
  note TEXT NOT NULL,
  PRIMARY KEY (plan_id, id)
) STRICT;

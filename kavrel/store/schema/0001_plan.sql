-- One lab's plan in relations: everything belongs to a plan, and lists keep their order in
-- `position`. References are checked at the end of a transaction, so a change may pass through
-- states that are not whole. Revisions keep every plan that ever was, as a compressed plan file.

CREATE TABLE plan (
  id TEXT PRIMARY KEY,
  name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 80),
  variant TEXT NOT NULL DEFAULT '',
  currency TEXT NOT NULL CHECK (length(currency) = 3),
  zone TEXT NOT NULL,
  head INTEGER NOT NULL,
  pinned INTEGER,
  created_at TEXT NOT NULL
) STRICT;

CREATE TABLE revision (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  number INTEGER NOT NULL CHECK (number >= 1),
  parent INTEGER,
  made_at TEXT NOT NULL,
  summary TEXT NOT NULL,
  content BLOB NOT NULL,
  PRIMARY KEY (plan_id, number),
  FOREIGN KEY (plan_id, parent) REFERENCES revision (plan_id, number) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE site (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  own INTEGER NOT NULL CHECK (own IN (0, 1)),
  PRIMARY KEY (plan_id, id)
) STRICT;

CREATE TABLE link (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  a TEXT NOT NULL,
  b TEXT NOT NULL CHECK (a <> b),
  mbit_a_to_b REAL NOT NULL CHECK (mbit_a_to_b > 0),
  mbit_b_to_a REAL NOT NULL CHECK (mbit_b_to_a > 0),
  encrypted INTEGER NOT NULL CHECK (encrypted IN (0, 1)),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, a) REFERENCES site (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, b) REFERENCES site (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE host (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  kind TEXT NOT NULL,
  site TEXT NOT NULL,
  bays_35 INTEGER NOT NULL CHECK (bays_35 >= 0),
  bays_25 INTEGER NOT NULL CHECK (bays_25 >= 0),
  slots_nvme INTEGER NOT NULL CHECK (slots_nvme >= 0),
  ports_usb INTEGER NOT NULL CHECK (ports_usb >= 0),
  ram_gib REAL NOT NULL CHECK (ram_gib > 0),
  network_mbit REAL NOT NULL CHECK (network_mbit > 0),
  boot_device TEXT NOT NULL,
  boot_copied INTEGER NOT NULL CHECK (boot_copied IN (0, 1)),
  on_ups INTEGER NOT NULL CHECK (on_ups IN (0, 1)),
  default_passwords_changed INTEGER NOT NULL CHECK (default_passwords_changed IN (0, 1)),
  price_minor INTEGER NOT NULL CHECK (price_minor >= 0),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, site) REFERENCES site (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE disk (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  label TEXT NOT NULL,
  serial TEXT NOT NULL,
  capacity_bytes INTEGER NOT NULL CHECK (capacity_bytes > 0),
  kind TEXT NOT NULL CHECK (kind IN ('hdd', 'ssd', 'nvme')),
  form TEXT NOT NULL,
  condition TEXT NOT NULL,
  batch TEXT NOT NULL,
  price_minor INTEGER NOT NULL CHECK (price_minor >= 0),
  mb_per_s REAL NOT NULL CHECK (mb_per_s > 0),
  yearly_failure_rate REAL CHECK (yearly_failure_rate BETWEEN 0 AND 1),
  bits_per_read_error REAL,
  own_supply INTEGER NOT NULL CHECK (own_supply IN (0, 1)),
  holds_data INTEGER NOT NULL CHECK (holds_data IN (0, 1)),
  host TEXT,
  bay TEXT CHECK ((bay IS NULL) = (host IS NULL)),
  shelf TEXT CHECK (shelf IS NULL OR host IS NULL),
  PRIMARY KEY (plan_id, id),
  UNIQUE (plan_id, host, bay),
  FOREIGN KEY (plan_id, host) REFERENCES host (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, shelf) REFERENCES site (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE pool (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  host TEXT NOT NULL,
  family TEXT NOT NULL,
  filesystem TEXT NOT NULL CHECK (filesystem IN ('zfs', 'ext4', 'xfs', 'btrfs', 'none')),
  ashift INTEGER NOT NULL CHECK (ashift BETWEEN 9 AND 16),
  record_kib INTEGER NOT NULL,
  encrypted INTEGER NOT NULL CHECK (encrypted IN (0, 1)),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, host) REFERENCES host (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

-- group_number is null for a spare; the key makes a disk a member of one pool only.
CREATE TABLE pool_disk (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  disk TEXT NOT NULL,
  pool TEXT NOT NULL,
  group_number INTEGER,
  place INTEGER NOT NULL,
  PRIMARY KEY (plan_id, disk),
  FOREIGN KEY (plan_id, disk) REFERENCES disk (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, pool) REFERENCES pool (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE dataset (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  pool TEXT NOT NULL,
  size_bytes INTEGER NOT NULL CHECK (size_bytes >= 0),
  growth_bytes_per_year INTEGER NOT NULL CHECK (growth_bytes_per_year >= 0),
  change_bytes_per_day INTEGER NOT NULL CHECK (change_bytes_per_day >= 0),
  worth TEXT NOT NULL CHECK (worth IN ('irreplaceable', 'nuisance', 'fetch_again')),
  compressible INTEGER NOT NULL CHECK (compressible IN (0, 1)),
  throw_away INTEGER NOT NULL CHECK (throw_away IN (0, 1)),
  live_database INTEGER NOT NULL CHECK (live_database IN (0, 1)),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, pool) REFERENCES pool (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE share (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  dataset TEXT NOT NULL,
  guest TEXT NOT NULL CHECK (guest IN ('none', 'read', 'write')),
  smb1 INTEGER NOT NULL CHECK (smb1 IN (0, 1)),
  home INTEGER NOT NULL CHECK (home IN (0, 1)),
  recycle_days INTEGER NOT NULL CHECK (recycle_days >= 0),
  comment TEXT NOT NULL,
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, dataset) REFERENCES dataset (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE account (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  login TEXT NOT NULL,
  full_name TEXT NOT NULL,
  role TEXT NOT NULL,
  enabled INTEGER NOT NULL CHECK (enabled IN (0, 1)),
  PRIMARY KEY (plan_id, id),
  UNIQUE (plan_id, login)
) STRICT;

CREATE TABLE account_group (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  PRIMARY KEY (plan_id, id)
) STRICT;

CREATE TABLE group_member (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  account_group TEXT NOT NULL,
  place INTEGER NOT NULL,
  account TEXT NOT NULL,
  PRIMARY KEY (plan_id, account_group, place),
  FOREIGN KEY (plan_id, account_group) REFERENCES account_group (plan_id, id)
    DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, account) REFERENCES account (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE access_grant (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  share TEXT NOT NULL,
  account TEXT,
  account_group TEXT CHECK ((account IS NULL) <> (account_group IS NULL)),
  access_right TEXT NOT NULL CHECK (access_right IN ('none', 'read', 'write')),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, share) REFERENCES share (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, account) REFERENCES account (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, account_group) REFERENCES account_group (plan_id, id)
    DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE job (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  kind TEXT NOT NULL,
  reads_from TEXT CHECK (reads_from IS NULL OR reads_from <> id),
  target_pool TEXT,
  target_disk TEXT CHECK (target_pool IS NULL OR target_disk IS NULL),
  encrypted INTEGER NOT NULL CHECK (encrypted IN (0, 1)),
  credentials TEXT NOT NULL,
  limit_mbit REAL CHECK (limit_mbit > 0),
  schedule_kind TEXT NOT NULL,
  schedule_every INTEGER NOT NULL CHECK (schedule_every >= 1),
  schedule_at TEXT NOT NULL,
  schedule_weekdays TEXT NOT NULL,
  schedule_day INTEGER NOT NULL,
  schedule_start TEXT,
  schedule_until TEXT,
  keep_all_days INTEGER NOT NULL CHECK (keep_all_days >= 0),
  keep_last INTEGER NOT NULL CHECK (keep_last >= 0),
  keep_hourly INTEGER NOT NULL CHECK (keep_hourly >= 0),
  keep_daily INTEGER NOT NULL CHECK (keep_daily >= 0),
  keep_weekly INTEGER NOT NULL CHECK (keep_weekly >= 0),
  keep_monthly INTEGER NOT NULL CHECK (keep_monthly >= 0),
  keep_yearly INTEGER NOT NULL CHECK (keep_yearly >= 0),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, reads_from) REFERENCES job (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, target_pool) REFERENCES pool (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, target_disk) REFERENCES disk (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE job_dataset (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  job TEXT NOT NULL,
  place INTEGER NOT NULL,
  dataset TEXT NOT NULL,
  PRIMARY KEY (plan_id, job, place),
  UNIQUE (plan_id, job, dataset),
  FOREIGN KEY (plan_id, job) REFERENCES job (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, dataset) REFERENCES dataset (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE job_key_site (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  job TEXT NOT NULL,
  place INTEGER NOT NULL,
  site TEXT NOT NULL,
  PRIMARY KEY (plan_id, job, place),
  FOREIGN KEY (plan_id, job) REFERENCES job (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, site) REFERENCES site (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE log_entry (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  made_on TEXT NOT NULL,
  kind TEXT NOT NULL,
  about_kind TEXT NOT NULL,
  about TEXT NOT NULL,
  result TEXT NOT NULL CHECK (result IN ('ok', 'failed', 'noted')),
  who TEXT NOT NULL,
  minutes INTEGER CHECK (minutes >= 0),
  note TEXT NOT NULL,
  PRIMARY KEY (plan_id, id)
) STRICT;

CREATE TABLE assumption (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  value REAL NOT NULL,
  note TEXT NOT NULL,
  PRIMARY KEY (plan_id, id)
) STRICT;

-- What machines say, beside the plan and never part of it: by host of the plan and by time. A host that
-- leaves the plan takes nothing with it: `host` is the id that it had.

CREATE TABLE look (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  number INTEGER NOT NULL,
  host TEXT NOT NULL,
  host_name TEXT NOT NULL,
  seen_at REAL NOT NULL,
  arrived_at REAL NOT NULL,
  sent INTEGER NOT NULL CHECK (sent IN (0, 1)),
  hash TEXT NOT NULL,
  machine BLOB NOT NULL,
  said BLOB,
  PRIMARY KEY (plan_id, number),
  UNIQUE (plan_id, host, hash)
) STRICT;
CREATE INDEX look_newest ON look (plan_id, host, seen_at);

-- Readings of one disk, one a look: what a look is thinned to in the end.
CREATE TABLE disk_reading (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  serial TEXT NOT NULL,
  seen_at REAL NOT NULL,
  hours INTEGER,
  temperature INTEGER,
  reallocated INTEGER,
  pending INTEGER,
  uncorrectable INTEGER,
  crc INTEGER,
  written_bytes INTEGER,
  wear_percent INTEGER,
  healthy INTEGER CHECK (healthy IN (0, 1)),
  PRIMARY KEY (plan_id, serial, seen_at)
) STRICT;

-- What a dataset or a pool had in it when it was looked at.
CREATE TABLE fill_reading (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  collection TEXT NOT NULL CHECK (collection IN ('pools', 'datasets')),
  thing TEXT NOT NULL,
  seen_at REAL NOT NULL,
  used_bytes INTEGER NOT NULL CHECK (used_bytes >= 0),
  PRIMARY KEY (plan_id, collection, thing, seen_at)
) STRICT;

-- A run of a job as lab-job wrote it down on its host.
CREATE TABLE run (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  host TEXT NOT NULL,
  job TEXT NOT NULL,
  began REAL NOT NULL,
  ended REAL NOT NULL,
  result TEXT NOT NULL CHECK (result IN ('ok', 'failed', 'noted')),
  said TEXT NOT NULL,
  PRIMARY KEY (plan_id, host, job, began)
) STRICT;

-- What a host shows when it sends a look by itself: the hash of its token alone.
CREATE TABLE host_token (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  host TEXT NOT NULL,
  hash TEXT PRIMARY KEY,
  made_at REAL NOT NULL,
  withdrawn_at REAL,
  used_at REAL
) STRICT;

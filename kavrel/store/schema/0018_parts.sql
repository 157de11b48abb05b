-- File systems of a pool that stands in several parts: where each is mounted, and its UUID.
CREATE TABLE pool_part (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  pool TEXT NOT NULL,
  place INTEGER NOT NULL,
  path TEXT,
  uuid TEXT,
  PRIMARY KEY (plan_id, pool, place)
) STRICT;

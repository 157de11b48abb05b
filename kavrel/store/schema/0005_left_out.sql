-- What a job leaves out: patterns, and the share of the datasets that they match.
ALTER TABLE job ADD COLUMN left_out_share REAL NOT NULL DEFAULT 0
  CHECK (left_out_share >= 0 AND left_out_share < 1);

CREATE TABLE job_left_out (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  job TEXT NOT NULL,
  place INTEGER NOT NULL,
  pattern TEXT NOT NULL,
  PRIMARY KEY (plan_id, job, place),
  FOREIGN KEY (plan_id, job) REFERENCES job (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

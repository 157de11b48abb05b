-- The name that a client gave to an edit: one that is sent again, for its answer was lost, is made once.
ALTER TABLE revision ADD COLUMN edit_key TEXT;
CREATE UNIQUE INDEX revision_by_edit ON revision (plan_id, edit_key) WHERE edit_key IS NOT NULL;

-- File systems and protocols are what the registries have: a list of them here would be a second one.
-- A CHECK goes by the way that SQLite's documentation gives for it (lang_altertable, section 7).
PRAGMA writable_schema = ON;
UPDATE sqlite_schema SET sql = replace(
  sql, ' CHECK (filesystem IN (''zfs'', ''ext4'', ''xfs'', ''btrfs'', ''none''))', ''
) WHERE type = 'table' AND name = 'pool';
UPDATE sqlite_schema SET sql = replace(
  sql, ' CHECK (protocol IN (''nfs'', ''iscsi'', ''rsync'', ''sftp'', ''s3'', ''ftp''))', ''
) WHERE type = 'table' AND name = 'export';
PRAGMA writable_schema = RESET;

-- The tree of datasets with quotas, addresses, everything that is offered in another way than SMB,
-- applications with their paths, default logins, and what is reached from outside.

ALTER TABLE host ADD COLUMN addressing TEXT NOT NULL DEFAULT 'dhcp'
  CHECK (addressing IN ('dhcp', 'reserved', 'static'));
ALTER TABLE host ADD COLUMN address TEXT;
ALTER TABLE host ADD COLUMN vpn_address TEXT;

ALTER TABLE dataset ADD COLUMN parent TEXT CHECK (parent IS NULL OR parent <> id);
ALTER TABLE dataset ADD COLUMN use TEXT NOT NULL DEFAULT 'files'
  CHECK (use IN ('files', 'vm_disks', 'isos', 'database', 'cache'));
ALTER TABLE dataset ADD COLUMN quota_bytes INTEGER CHECK (quota_bytes >= 0);
ALTER TABLE dataset ADD COLUMN reserve_bytes INTEGER NOT NULL DEFAULT 0 CHECK (reserve_bytes >= 0);
ALTER TABLE dataset ADD COLUMN compression TEXT NOT NULL DEFAULT 'lz4'
  CHECK (compression IN ('off', 'lz4', 'zstd'));
ALTER TABLE dataset ADD COLUMN checksums INTEGER NOT NULL DEFAULT 1 CHECK (checksums IN (0, 1));
ALTER TABLE dataset ADD COLUMN record_kib INTEGER CHECK (record_kib > 0);
ALTER TABLE dataset ADD COLUMN encrypted INTEGER NOT NULL DEFAULT 0 CHECK (encrypted IN (0, 1));
ALTER TABLE dataset ADD COLUMN owner TEXT;
ALTER TABLE dataset ADD COLUMN mode TEXT NOT NULL DEFAULT '2770';

ALTER TABLE account ADD COLUMN expires_on TEXT;
ALTER TABLE account ADD COLUMN second_factor INTEGER NOT NULL DEFAULT 0 CHECK (second_factor IN (0, 1));
ALTER TABLE account ADD COLUMN must_change INTEGER NOT NULL DEFAULT 0 CHECK (must_change IN (0, 1));
ALTER TABLE access_grant ADD COLUMN expires_on TEXT;

CREATE TABLE network (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  site TEXT NOT NULL,
  name TEXT NOT NULL,
  range TEXT NOT NULL,
  dhcp_from TEXT,
  dhcp_to TEXT CHECK ((dhcp_from IS NULL) = (dhcp_to IS NULL)),
  gateway TEXT,
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, site) REFERENCES site (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE quota (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  account TEXT NOT NULL,
  dataset TEXT NOT NULL,
  bytes INTEGER NOT NULL CHECK (bytes >= 0),
  PRIMARY KEY (plan_id, id),
  UNIQUE (plan_id, account, dataset),
  FOREIGN KEY (plan_id, account) REFERENCES account (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, dataset) REFERENCES dataset (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE export (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  protocol TEXT NOT NULL CHECK (protocol IN ('nfs', 'iscsi', 'rsync', 'sftp', 's3', 'ftp')),
  name TEXT NOT NULL,
  dataset TEXT NOT NULL,
  may TEXT NOT NULL CHECK (may IN ('read', 'write')),
  size_bytes INTEGER CHECK (size_bytes >= 0),
  thick INTEGER NOT NULL CHECK (thick IN (0, 1)),
  secured INTEGER NOT NULL CHECK (secured IN (0, 1)),
  squash TEXT NOT NULL CHECK (squash IN ('root', 'all', 'none')),
  many_sessions INTEGER NOT NULL CHECK (many_sessions IN (0, 1)),
  cluster_filesystem INTEGER NOT NULL CHECK (cluster_filesystem IN (0, 1)),
  port INTEGER CHECK (port BETWEEN 1 AND 65535),
  console_port INTEGER CHECK (console_port BETWEEN 1 AND 65535),
  idle_minutes INTEGER NOT NULL CHECK (idle_minutes >= 1),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, dataset) REFERENCES dataset (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

-- Clients, accounts and buckets of an export, by the name of the field.
CREATE TABLE export_list (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  owner TEXT NOT NULL,
  field TEXT NOT NULL CHECK (field IN ('clients', 'accounts', 'buckets')),
  place INTEGER NOT NULL,
  value ANY NOT NULL,
  PRIMARY KEY (plan_id, owner, field, place),
  FOREIGN KEY (plan_id, owner) REFERENCES export (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE app (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  host TEXT NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('app', 'container', 'vm')),
  account TEXT,
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, host) REFERENCES host (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, account) REFERENCES account (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE app_list (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  owner TEXT NOT NULL,
  field TEXT NOT NULL CHECK (field = 'ports'),
  place INTEGER NOT NULL,
  value ANY NOT NULL,
  PRIMARY KEY (plan_id, owner, field, place),
  FOREIGN KEY (plan_id, owner) REFERENCES app (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE mount (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  app TEXT NOT NULL,
  dataset TEXT NOT NULL,
  inside TEXT NOT NULL,
  may TEXT NOT NULL CHECK (may IN ('read', 'write')),
  PRIMARY KEY (plan_id, id),
  UNIQUE (plan_id, app, inside),
  FOREIGN KEY (plan_id, app) REFERENCES app (plan_id, id) DEFERRABLE INITIALLY DEFERRED,
  FOREIGN KEY (plan_id, dataset) REFERENCES dataset (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE default_login (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  host TEXT NOT NULL,
  service TEXT NOT NULL,
  login TEXT NOT NULL,
  changed_on TEXT,
  off INTEGER NOT NULL CHECK (off IN (0, 1)),
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, host) REFERENCES host (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

CREATE TABLE opening (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  position INTEGER NOT NULL,
  host TEXT NOT NULL,
  port INTEGER NOT NULL CHECK (port BETWEEN 1 AND 65535),
  transport TEXT NOT NULL CHECK (transport IN ('tcp', 'udp')),
  source TEXT NOT NULL CHECK (source IN ('internet', 'vpn')),
  purpose TEXT NOT NULL,
  PRIMARY KEY (plan_id, id),
  FOREIGN KEY (plan_id, host) REFERENCES host (plan_id, id) DEFERRABLE INITIALLY DEFERRED
) STRICT;

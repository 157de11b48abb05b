-- Passkeys (WebAuthn): public halves alone. What a session was opened with, and of whom more is asked.
ALTER TABLE person ADD COLUMN handle TEXT; -- a random name towards authenticators, not the person's own
ALTER TABLE session ADD COLUMN strong INTEGER NOT NULL DEFAULT 0 CHECK (strong IN (0, 1));

CREATE TABLE passkey (
  id TEXT PRIMARY KEY, -- the authenticator's own, base64url
  person TEXT NOT NULL REFERENCES person (name) ON DELETE CASCADE ON UPDATE CASCADE,
  site TEXT NOT NULL, -- the host name that it is bound to
  public_key BLOB NOT NULL,
  signed INTEGER NOT NULL, -- the authenticator's own count: one that does not grow was copied
  name TEXT NOT NULL,
  made_at REAL NOT NULL,
  used_at REAL
) STRICT;
CREATE INDEX passkey_person ON passkey (person);

-- One row: whether a password alone is enough.
CREATE TABLE door_rule (
  one INTEGER PRIMARY KEY CHECK (one = 1),
  second_for TEXT NOT NULL CHECK (second_for IN ('nobody', 'planners', 'everybody'))
) STRICT;
INSERT INTO door_rule VALUES (1, 'nobody');

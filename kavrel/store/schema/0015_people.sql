-- Who may come in. Passwords are kept as Argon2id hashes alone, sessions as hashes of their cookies.
CREATE TABLE person (
  name TEXT PRIMARY KEY COLLATE NOCASE,
  role TEXT NOT NULL CHECK (role IN ('planner', 'hands', 'reader')),
  password_hash TEXT NOT NULL,
  second_secret TEXT, -- of the time-based codes (RFC 6238); NULL while they are not asked for
  second_last INTEGER NOT NULL DEFAULT 0, -- the newest code's step: each code counts once
  calendar_hash TEXT UNIQUE, -- of the secret address of a calendar to subscribe to
  made_at REAL NOT NULL
) STRICT;

CREATE TABLE session (
  hash TEXT PRIMARY KEY,
  number TEXT NOT NULL UNIQUE, -- what it is called in lists; lets nobody in
  person TEXT NOT NULL REFERENCES person (name) ON DELETE CASCADE ON UPDATE CASCADE,
  made_at REAL NOT NULL,
  used_at REAL NOT NULL,
  address TEXT NOT NULL,
  device TEXT NOT NULL
) STRICT;
CREATE INDEX session_person ON session (person);

-- Who came in, who was refused, and what leaves no revision of a plan.
CREATE TABLE door_note (
  number INTEGER PRIMARY KEY,
  at REAL NOT NULL,
  who TEXT NOT NULL,
  address TEXT NOT NULL,
  what TEXT NOT NULL
) STRICT;
CREATE INDEX door_note_at ON door_note (at);

ALTER TABLE revision ADD COLUMN made_by TEXT NOT NULL DEFAULT '';

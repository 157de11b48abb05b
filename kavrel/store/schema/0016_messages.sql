-- A way by which somebody is told: a mailbox, a webhook, or the open page itself.
CREATE TABLE way (
  plan_id TEXT NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  id TEXT NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('mail', 'webhook', 'page')),
  name TEXT NOT NULL,
  works INTEGER NOT NULL CHECK (works IN (0, 1)), -- its one switch
  place TEXT NOT NULL, -- its one place: an address of mail or of a webhook
  server TEXT NOT NULL DEFAULT '',
  port INTEGER NOT NULL DEFAULT 0,
  security TEXT NOT NULL DEFAULT 'tls' CHECK (security IN ('tls', 'starttls', 'none')),
  login TEXT NOT NULL DEFAULT '',
  secret TEXT NOT NULL DEFAULT '', -- of the mail server, or what signs a webhook's calls
  sender TEXT NOT NULL DEFAULT '',
  quiet_from TEXT NOT NULL, -- hours in the plan's zone, HH:MM; equal: none
  quiet_until TEXT NOT NULL,
  daily_at TEXT NOT NULL,
  heartbeat_day INTEGER CHECK (heartbeat_day BETWEEN 0 AND 6), -- from Monday; NULL: none
  PRIMARY KEY (plan_id, id)
) STRICT;

CREATE TABLE way_topic (
  plan_id TEXT NOT NULL,
  way TEXT NOT NULL,
  topic TEXT NOT NULL,
  PRIMARY KEY (plan_id, way, topic),
  FOREIGN KEY (plan_id, way) REFERENCES way (plan_id, id) ON DELETE CASCADE
) STRICT;

-- One thing that was or will be told by a way: once, as long as its key stays.
CREATE TABLE news (
  plan_id TEXT NOT NULL,
  way TEXT NOT NULL,
  key TEXT NOT NULL,
  found_at REAL NOT NULL,
  topic TEXT NOT NULL,
  urgent INTEGER NOT NULL CHECK (urgent IN (0, 1)),
  title TEXT NOT NULL,
  body TEXT NOT NULL,
  told INTEGER NOT NULL DEFAULT 0 CHECK (told IN (0, 1)), -- a message has it; old messages go, this stays
  PRIMARY KEY (plan_id, way, key),
  FOREIGN KEY (plan_id, way) REFERENCES way (plan_id, id) ON DELETE CASCADE
) STRICT;

-- The outbox. 'sending' is written before it goes: what is found so after a crash is 'unsure', and is
-- not sent again, but named in the next message.
CREATE TABLE message (
  number INTEGER PRIMARY KEY,
  plan_id TEXT NOT NULL,
  way TEXT NOT NULL,
  mark TEXT NOT NULL UNIQUE, -- of the message itself, for whoever receives it
  made_at REAL NOT NULL,
  daily INTEGER NOT NULL CHECK (daily IN (0, 1)),
  subject TEXT NOT NULL,
  body TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('waiting', 'sending', 'sent', 'unsure', 'given up')),
  tries INTEGER NOT NULL DEFAULT 0,
  next_at REAL NOT NULL,
  settled_at REAL,
  error TEXT NOT NULL DEFAULT '',
  named INTEGER NOT NULL DEFAULT 0 CHECK (named IN (0, 1)), -- an unsure one that a later one named
  FOREIGN KEY (plan_id, way) REFERENCES way (plan_id, id) ON DELETE CASCADE
) STRICT;
CREATE INDEX message_way ON message (plan_id, way, state);

-- What the server does by itself once a day, by name, and the day on which it was done last.
CREATE TABLE chore_done (
  name TEXT PRIMARY KEY,
  day TEXT NOT NULL,
  said TEXT NOT NULL
) STRICT;

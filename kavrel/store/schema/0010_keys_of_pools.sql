-- How an encrypted pool is opened after a start, and where its passphrase is kept.
ALTER TABLE pool ADD COLUMN "unlock" TEXT NOT NULL DEFAULT 'typed' CHECK ("unlock" IN ('typed', 'key_file'));
ALTER TABLE pool ADD COLUMN passphrase_at TEXT NOT NULL DEFAULT '';

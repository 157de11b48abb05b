-- Kinds that make whole archives: whether their store keeps chunks that are alike once.
ALTER TABLE job ADD COLUMN chunk_store INTEGER NOT NULL DEFAULT 0 CHECK (chunk_store IN (0, 1));
-- Boxes of one site that reach each other over somebody's relay.
ALTER TABLE site ADD COLUMN relayed INTEGER NOT NULL DEFAULT 0 CHECK (relayed IN (0, 1));
-- A box that boots from a part of a data disk.
ALTER TABLE host ADD COLUMN boot_disk TEXT;

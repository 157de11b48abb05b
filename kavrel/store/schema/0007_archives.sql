-- Kinds that make whole archives: whether their store keeps chunks that are alike once.
ALTER TABLE job ADD COLUMN chunk_store INTEGER NOT NULL DEFAULT 0 CHECK (chunk_store IN (0, 1));

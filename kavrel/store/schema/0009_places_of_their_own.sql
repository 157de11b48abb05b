-- Pools and datasets that stand where somebody else put them: their name on the box, and their folder.
ALTER TABLE pool ADD COLUMN known_as TEXT;
ALTER TABLE pool ADD COLUMN path TEXT;
ALTER TABLE dataset ADD COLUMN folder TEXT;
-- The hardware card that makes a mirror, and what reads its disks when it dies.
ALTER TABLE pool ADD COLUMN card TEXT NOT NULL DEFAULT '';
ALTER TABLE pool ADD COLUMN spare_card INTEGER NOT NULL DEFAULT 0 CHECK (spare_card IN (0, 1));
ALTER TABLE pool ADD COLUMN card_readable INTEGER NOT NULL DEFAULT 0 CHECK (card_readable IN (0, 1));

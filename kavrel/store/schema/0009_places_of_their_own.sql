-- Pools and datasets that stand where somebody else put them: their name on the box, and their folder.
ALTER TABLE pool ADD COLUMN known_as TEXT;
ALTER TABLE pool ADD COLUMN path TEXT;
ALTER TABLE dataset ADD COLUMN folder TEXT;
